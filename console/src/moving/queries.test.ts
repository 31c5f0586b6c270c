import { describe, expect, it } from "vitest";
import { bodyOf, FIELDS, parts, says, type Wanted } from "./queries";

const nothing = Object.fromEntries(FIELDS.map((name) => [name, ""])) as unknown as Wanted;

describe("what is to move", () => {
  it("is said by one source alone", () => {
    expect(says(nothing)).toBe(false);
    expect(says({ ...nothing, from_pool: "old-quay" })).toBe(true);
    expect(says({ ...nothing, from_ranges: "10.40.0.0/20" })).toBe(true);
    expect(says({ ...nothing, from_pool: "old-quay", from_subnets: "desk" })).toBe(false);
  });

  it("is sent as what is filled in: lists, lengths and words", () => {
    const wanted = { ...nothing, name: "quay-west", from_subnets: "desk, cams ,", to_ranges: "10.60.0.0/20", length_v4: "/26", clear: "22", vacate: "yes", waves: "zone" };
    expect(bodyOf(wanted)).toEqual({ name: "quay-west", from_subnets: ["desk", "cams"], to_ranges: ["10.60.0.0/20"], length_v4: 26, clear: 22, vacate: true, waves: "zone" });
    expect(bodyOf(nothing)).toEqual({});
  });

  it("has lists with commas between", () => {
    expect(parts(" a, b,,c ")).toEqual(["a", "b", "c"]);
    expect(parts("")).toEqual([]);
  });
});
