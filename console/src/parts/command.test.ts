import { expect, test } from "vitest";
import { commandLine } from "./command";

test.each([
  [["request"], { project: "ticketing", families: [4, 6], hold_minutes: 15 }, "lentra request --project ticketing --family 4,6 --hold 15"],
  [["edit", "gate-01"], { purpose: "gate readers", hosts: null, labels: { quay: "7" } }, "lentra edit gate-01 --purpose 'gate readers' --no-hosts --label quay=7"],
  [["edit", "gate-01"], { labels: {}, tag: null }, "lentra edit gate-01 --no-labels --tag none"],
  [["pool", "add", "inner"], { lengths: [{ family: 6, length: 56 }], zone: "nc-1" }, "lentra pool add inner --length 6/56 --zone nc-1"],
  [["pool", "edit", "inner"], { zone: null, about: "" }, "lentra pool edit inner --no-zone --no-about"],
  [["reservation", "add", "links"], { tiers: ["app", "data"], reason: "it's for links" }, "lentra reservation add links --tiers app,data --reason 'it'\\''s for links'"],
  [["rule-sheet", "edit", "plain"], { v4: { head: 1, tail: 1 }, dhcp: false }, "lentra rule-sheet edit plain --v4 head=1,tail=1 --no-dhcp"],
  [["public", "move", "edge-05"], { target: "balancer 7", move: true }, "lentra public move edge-05 'balancer 7'"],
  [["room", "gate-01"], { doublings: 1 }, "lentra room gate-01 1"],
  [["person", "add", "kim"], { password: "secret", active: true }, "lentra person add kim --password --active"],
] as const)("%s with %o", (words, values, line) => {
  expect(commandLine([...words], values)).toBe(line);
});
