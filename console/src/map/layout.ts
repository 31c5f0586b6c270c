// Where the pieces of a map go: a row for each prefix length, from the view down to its slots; what is whole reaches to the bottom.
import type { MapBranch, MapCell, MapShown } from "./queries";

export const ROW = 34;
export const AXIS = 18;

export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

export function lengthOf(range: string): number {
  return Number(range.split("/")[1]);
}

export function heightOf(map: MapShown): number {
  return AXIS + (map.slot - lengthOf(map.range) + 2) * ROW;
}

export function boxOfBranch(map: MapShown, branch: MapBranch, width: number): Box {
  return { x: branch.start * width, y: AXIS + (branch.length - lengthOf(map.range)) * ROW, width: branch.share * width, height: ROW };
}

export function boxOfCell(map: MapShown, cell: MapCell, width: number): Box {
  const y = AXIS + (lengthOf(cell.range) - lengthOf(map.range)) * ROW;
  return { x: cell.start * width, y, width: cell.share * width, height: heightOf(map) - y };
}

/** The cell after (or before) another, in order of address. */
export function step(map: MapShown, from: number, by: number): number {
  return Math.min(Math.max(from + by, 0), map.cells.length - 1);
}

/** The part of the view, out of four, that holds a share of it. */
export function quarterAt(map: MapShown, share: number): string | undefined {
  return map.quarters[Math.min(Math.floor(Math.max(share, 0) * map.quarters.length), map.quarters.length - 1)];
}

const LETTER = 6.6;

/** The first of several texts that fits in so many pixels, or the last shortened to them; none where too little would be left. */
export function fitting(texts: string[], width: number): string {
  const room = Math.floor((width - 8) / LETTER);
  const whole = texts.find((text) => text.length <= room);
  if (whole !== undefined) return whole;
  return room < 6 ? "" : `${texts[0]!.slice(0, room - 1)}…`;
}
