import { expect, test } from "vitest";
import type { Idle } from "./queries";
import { stepOf } from "./steps";

const row = (kind: string, more: Partial<Idle> = {}) => ({ kind, id: 7, what: "ticketing-ml-1-app-01", where: "ml-1-general", why: "", step: "", since: null, days: null, ...more }) as Idle;

test("what is far too wide shrinks to the length that is proposed", () => {
  expect(stepOf(row("block far too wide", { step: "shrink it to /27" }))?.command).toBe("lentra shrink 7 --length 27");
});

test("a tier that is missing is asked for in the first zone without it", () => {
  const step = stepOf(row("tier missing in a zone", { what: "ticketing: app", where: "nc-2, nc-3" }));
  expect(step?.to).toBe("/request?project=ticketing&tier=app&zone=nc-2");
});

test.each([
  ["block without use", "lentra release 7"],
  ["public address idle", "lentra release 7"],
  ["cooling", "lentra release 7 --at-once"],
  ["hold about to end", "lentra confirm 7"],
  ["pool never used", "lentra pool remove 7"],
])("%s", (kind, command) => {
  expect(stepOf(row(kind))?.command).toBe(command);
});

test("what has no step of its own offers none", () => {
  expect(stepOf(row("something odd"))).toBeNull();
});
