// Lists that people paste: keep-outs and address records, a line each.
import { expect, test } from "vitest";
import { listed } from "../subnets/AddressMap";
import { calledOf } from "./cells";
import { rowsOf } from "./queries";

test.each([
  ["10.45.0.0/22, crane yard, at Vestnes\n\n10.45.8.0-10.45.9.127", [{ range: "10.45.0.0/22", reason: "crane yard, at Vestnes" }, { range: "10.45.8.0-10.45.9.127" }]],
  ["10.45.0.0/22\tcrane yard ", [{ range: "10.45.0.0/22", reason: "crane yard" }]],
])("a line is a range and what is said of it: %s", (text, rows) => {
  expect(rowsOf(text)).toEqual(rows);
});

test("a line of addresses is a name and what is known of it", () => {
  expect(listed("mast, 10.40.64.9, router\n buoy\n\npump;;host;02:00:5e:20:00:01;on the quay")).toEqual([
    { name: "mast", address: "10.40.64.9", kind: "router" },
    { name: "buoy" },
    { name: "pump", kind: "host", mac: "02:00:5e:20:00:01", purpose: "on the quay" },
  ]);
});

test("what has no name is called by its range, or by its first and last", () => {
  expect([calledOf({ name: "nc-1" }), calledOf({ range: "10.0.0.0/8" }), calledOf({ first: 10, last: 20 })]).toEqual(["nc-1", "10.0.0.0/8", "10 to 20"]);
});
