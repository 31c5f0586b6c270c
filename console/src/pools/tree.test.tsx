import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { MemoryRouter } from "react-router";
import { afterEach, expect, test, vi } from "vitest";
import { POOL_COLUMNS, rowsOf } from "./columns";
import { PoolTree } from "./PoolTree";
import type { PoolUsage } from "./queries";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const own = (family: number, used: number) => ({
  ...{ family, total: "1024", used_percent: used, largest_free: family === 4 ? "/24" : "/52", unit: "/64", percent: { free: 100 - used, "handed out": used } },
  units: { free: "512", "handed out": "512", cooling: "0" },
});
const pool = (id: number, name: string, carved: number, families = [4]) =>
  ({
    ...{ pool: { id, name }, realm: { id: 1, name: "fleet" }, parent: null, region: null, zone: null, carved, warning_percent: 75, critical_percent: 90 },
    own: families.map((family) => own(family, 80)),
    with_carved: [],
  }) as unknown as PoolUsage;

/** A service where each pool has two below it, three deep. */
function service(): string[] {
  const asked: string[] = [];
  vi.stubGlobal("fetch", async (url: URL) => {
    const parent = Number(url.searchParams.get("parent"));
    asked.push(`below ${parent}`);
    const deep = parent > 10 ? 0 : 2;
    const results = [1, 2].map((n) => pool(parent * 10 + n, `part-${parent * 10 + n}`, deep));
    return new Response(JSON.stringify({ next: null, previous: null, results }));
  });
  return asked;
}

function show(pools: PoolUsage[], deep = true) {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <MemoryRouter>
        <PoolTree pools={pools} columns={POOL_COLUMNS} deep={deep} />
      </MemoryRouter>
    </QueryClientProvider>,
  );
}

const names = () => screen.getAllByRole("link").map((link) => link.textContent);
const branch = (name: string) => screen.getByRole("button", { name: `What is carved out of ${name}` });

test("what lies below is read when it is opened, and hidden when it is closed", async () => {
  const asked = service();
  show([pool(1, "whole", 2), pool(2, "other", 0)]);
  expect(names()).toEqual(["whole", "other"]);
  expect(asked).toEqual([]);
  fireEvent.click(branch("whole"));
  await screen.findByRole("link", { name: "part-11" });
  expect(branch("whole").getAttribute("aria-expanded")).toBe("true");
  fireEvent.click(branch("part-11"));
  await screen.findByRole("link", { name: "part-112" });
  expect(names()).toEqual(["whole", "part-11", "part-111", "part-112", "part-12", "other"]);
  expect(screen.queryByRole("button", { name: "What is carved out of part-112" })).toBeNull(); // nothing is
  fireEvent.click(branch("whole"));
  expect(names()).toEqual(["whole", "other"]);
  fireEvent.click(branch("whole"));
  expect(names()).toContain("part-112"); // as it was left
  expect(asked.slice(0, 2)).toEqual(["below 1", "below 11"]);
});

test("a pool of both families has a row for each, and opens at the first", () => {
  service();
  show([pool(1, "whole", 2, [4, 6])]);
  expect(names()).toEqual(["whole", "whole"]);
  expect(screen.getAllByRole("button")).toHaveLength(1);
  expect(rowsOf(pool(1, "whole", 2, [4, 6]), 3).map((row) => [row.id, row.depth, row.first])).toEqual([
    ["1-4", 3, true],
    ["1-6", 3, false],
  ]);
});

test("a list that is narrowed has no branches", () => {
  service();
  show([pool(1, "whole", 2)], false);
  expect(screen.queryByRole("button")).toBeNull();
  expect(screen.getByText(/80 % · warning/)).toBeTruthy();
});
