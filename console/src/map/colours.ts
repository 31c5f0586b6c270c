// By what a piece of the map is coloured: each value has a ground, an ink and a mark of its own.
import type { Mark } from "../parts/states";
import type { MapCell } from "./queries";

export const BY = ["state", "project", "zone", "tier", "age", "use", "seen"] as const;
export type By = (typeof BY)[number];

export interface Tint {
  light: [string, string];
  dark: [string, string];
  mark: Mark;
}

// Ten hues that stay apart in both schemes; beyond them, the marks change.
const HUES: Tint["light"][] = [
  ["#cfe3ea", "#12566b"],
  ["#f3d9bd", "#8a4b14"],
  ["#dcd3ee", "#54408a"],
  ["#cfe8d8", "#1f6b4a"],
  ["#f3cfca", "#a8321f"],
  ["#f6e8b4", "#7a5c00"],
  ["#d3dcf3", "#2f4a94"],
  ["#eed0e2", "#8a2a64"],
  ["#dfe3c8", "#56621a"],
  ["#d6d6d6", "#444444"],
];
const MARKS: Mark[] = ["rising", "dots", "lines", "cross", "falling", "waves", "rings", "none"];
const SCALE: Tint["light"][] = [
  ["#eef6f4", "#8fb5ae"],
  ["#cfe6e6", "#5d9aa3"],
  ["#9fcbd3", "#2a7a8c"],
  ["#5fa3b3", "#12566b"],
  ["#1d6374", "#0c3c4b"],
];
const STEPS: Mark[] = ["none", "dots", "lines", "cross", "solid"];
const AGES = ["under a month", "under 6 months", "under a year", "under 2 years", "older"];
const USES = ["under a quarter", "under half", "under three quarters", "nearly all", "all of it"];

/** The value by which a cell is coloured; null where its state says more. */
export function valueOf(cell: MapCell, by: By): string | null {
  if (by === "state") return null;
  if (by === "age") {
    if (!cell.since) return null;
    const days = (Date.now() - Date.parse(cell.since)) / 86_400_000;
    return AGES[[31, 183, 365, 730].filter((limit) => days >= limit).length]!;
  }
  if (by === "use") {
    if (cell.state !== "handed out" || cell.usable === null) return null;
    if (cell.hosts === null) return "not known";
    const share = Number(cell.hosts) / Math.max(Number(cell.usable), 1);
    return USES[[0.25, 0.5, 0.75, 1].filter((limit) => share >= limit).length]!;
  }
  if (by === "seen") return cell.seen;
  return cell[by] && cell[by] !== "several" ? cell[by] : null;
}

/** The tints of all values in view, in order. */
export function tintsOf(cells: MapCell[], by: By): Map<string, Tint> {
  const there = new Set(cells.map((cell) => valueOf(cell, by)).filter((value): value is string => value !== null));
  const scale = by === "age" ? AGES : by === "use" ? [...USES, "not known"] : null;
  const values = scale ? scale.filter((value) => there.has(value)) : [...there].sort();
  return new Map(
    values.map((value, n) => {
      if (scale && value !== "not known") {
        const step = scale.indexOf(value);
        return [value, tint(SCALE[step]!, STEPS[step]!)];
      }
      return [value, tint(HUES[value === "not known" ? 9 : n % 10]!, MARKS[(n + Math.floor(n / 10)) % MARKS.length]!)];
    }),
  );
}

/** In the dark scheme the ink is the ground. */
function tint(light: Tint["light"], mark: Mark): Tint {
  return { light, dark: [light[1], light[0]], mark };
}
