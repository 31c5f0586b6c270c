import { expect, test } from "vitest";
import { lanesOf, spanOf, ticksOf } from "./lanes";
import type { Tenure } from "./queries";

const DAY = 86_400_000;
const tenure = (prefix: string, begins: string, ends: string | null, realm = 1) => ({ realm: { id: realm, name: "fleet" }, prefix, begins, ends }) as unknown as Tenure;

test("what follows one another on a prefix shares a lane; what overlaps, or lies in another realm, does not", () => {
  const lanes = lanesOf([
    tenure("10.40.0.0/26", "2026-01-01T00:00:00Z", "2026-02-01T00:00:00Z"),
    tenure("10.40.0.0/26", "2026-02-01T00:00:00Z", null),
    tenure("10.40.0.0/26", "2026-03-01T00:00:00Z", null),
    tenure("10.40.0.0/26", "2026-05-01T00:00:00Z", null, 2),
    tenure("10.40.0.64/26", "2026-01-01T00:00:00Z", null),
  ]);
  expect(lanes.map((lane) => [lane.prefix, lane.tenures.length])).toEqual([
    ["10.40.0.0/26", 2],
    ["10.40.0.0/26", 1],
    ["10.40.0.0/26", 1],
    ["10.40.0.64/26", 1],
  ]);
});

test("an end far ahead does not push the past aside", () => {
  const now = Date.parse("2026-11-01T00:00:00Z");
  const [first, last] = spanOf([tenure("10.40.0.0/26", "2026-07-24T00:00:00Z", "2036-01-01T00:00:00Z")], now);
  expect([first, last]).toEqual([now - 100 * DAY, now + 25 * DAY]);
  expect(spanOf([], now)[1] - spanOf([], now)[0]).toBe(DAY);
});

test.each([
  [3 * DAY, 400],
  [40 * DAY, 1000],
  [700 * DAY, 390],
  [4000 * DAY, 1200],
  [20_000 * DAY, 900],
])("over %d ms there are some ticks, and no more than there is room for", (long, width) => {
  const ticks = ticksOf(Date.parse("2020-03-05T10:00:00Z"), Date.parse("2020-03-05T10:00:00Z") + long, width);
  expect(ticks.length).toBeGreaterThan(0);
  expect(ticks.length).toBeLessThanOrEqual(width / 84 + 2);
});
