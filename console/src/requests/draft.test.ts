import { afterEach, beforeEach, expect, test } from "vitest";
import type { Subnet } from "../subnets/queries";
import { commandOf, draftLike, draftOf, EMPTY, keepDraft, keptDraft, needOf, wantedOf, type Draft } from "./draft";
import type { Candidate } from "./queries";

const named = (id: number, name: string) => ({ id, name });
const SUBNET = {
  ...{ id: 7, name: "ticketing-ml-1-app-01", realm: named(1, "fleet"), project: named(2, "ticketing"), tier: named(3, "app"), pool: named(9, "ticket-hall") },
  ...{ region: named(4, "mainland"), zone: named(5, "ml-1"), hosts: 110, growth: 20, purpose: "boarding", tag: null, gateway: "first" },
  blocks: [{ prefix: "10.42.16.0/24", family: 4 }, { prefix: "2001:db8::/64", family: 6 }],
} as unknown as Subnet;

beforeEach(() => sessionStorage.clear());
afterEach(() => sessionStorage.clear());

test("a request like a former one asks for the same in the same place", () => {
  const draft = draftLike(SUBNET);
  expect(draft).toMatchObject({ realm: "fleet", project: "ticketing", tier: "app", zone: "ml-1", families: "4,6", by: "hosts", hosts: "110", growth: "20", gateway: "first", tag: "" });
  expect(draft.name).toBe(""); // its own stays with it
});

test("one that was asked for by length is asked for by length, and with a tag if it has one", () => {
  const draft = draftLike({ ...SUBNET, hosts: null, zone: null, tag: 17, gateway: "10.42.16.9" } as Subnet);
  expect(draft).toMatchObject({ by: "length", length: "24", hosts: "", zone: "", region: "mainland", tag: "next", gateway: "" });
});

test("a draft is kept in the tab until it is empty or done", () => {
  const draft: Draft = { ...EMPTY, project: "ticketing", hosts: "40" };
  keepDraft(draft);
  expect(keptDraft()).toEqual(draft);
  keepDraft(EMPTY);
  expect(sessionStorage.length).toBe(0);
  keepDraft(draft);
  keepDraft(null);
  expect(keptDraft()).toEqual(EMPTY);
});

test("what is kept and cannot be read is forgotten", () => {
  sessionStorage.setItem("lentra.request", "{half");
  expect(keptDraft()).toEqual(EMPTY);
  sessionStorage.setItem("lentra.request", '{"project": "ticketing"}');
  expect(keptDraft()).toEqual({ ...EMPTY, project: "ticketing" }); // fields that came later are empty
});

test("an address says what to ask for, and nothing else of it counts", () => {
  expect(draftOf(new URLSearchParams("project=ticketing&tier=app&zone=nc-2&pool=9"))).toEqual({ ...EMPTY, project: "ticketing", tier: "app", zone: "nc-2" });
  expect(draftOf(new URLSearchParams("pool=9"))).toBeNull();
});

test("the realm narrows the candidates, and the request itself is about a pool", () => {
  const draft: Draft = { ...EMPTY, realm: "fleet", project: "ticketing", tier: "app", zone: "ml-1", hosts: "110", growth: "20", families: "4,6", tag: "next" };
  expect(needOf(draft)).toMatchObject({ realm: "fleet", family: 4, dual: "true", hosts: 110, growth: 20 });
  const wanted = wantedOf(draft, { pool: { id: 9, name: "ticket-hall" } } as Candidate);
  expect(wanted).toEqual({ project: "ticketing", tier: "app", zone: "ml-1", hosts: 110, growth: 20, pool: 9, families: [4, 6], tag: "next" });
  expect(commandOf(wanted)).toBe("lentra request --project ticketing --tier app --zone ml-1 --hosts 110 --growth 20 --pool 9 --family 4,6 --tag next");
});

test("by length alone, in a region without zone", () => {
  const draft: Draft = { ...EMPTY, project: "ticketing", tier: "app", region: "mainland", by: "length", length: "26", hosts: "9", count: "3", hold: "30" };
  expect(wantedOf(draft, null)).toEqual({ project: "ticketing", tier: "app", region: "mainland", length: 26, families: [4], count: 3, hold_minutes: 30 });
});
