import { expect, test } from "vitest";
import { csvOf } from "./csv";

test("rows become a table with a fact a column", () => {
  const rows = [
    { name: "quay-01", blocks: [{ prefix: "10.40.64.0/26" }, { prefix: "2001:db8::/64" }], zone: { id: 1, name: "nc-1" }, hosts: 50 },
    { name: 'the "old" one, north', blocks: [], zone: null, hosts: null, labels: { quay: "7" } },
  ];
  expect(csvOf(rows).split("\r\n")).toEqual([
    "name,blocks,zone,hosts,labels",
    "quay-01,10.40.64.0/26 2001:db8::/64,nc-1,50,",
    '"the ""old"" one, north",,,,quay=7',
    "",
  ]);
});

test.each(["=1+1", "+49", "-2", "@x"])("%s is no formula in a spreadsheet", (text) => {
  expect(csvOf([{ purpose: text, free: -3 }])).toBe(`purpose,free\r\n'${text},-3\r\n`);
});
