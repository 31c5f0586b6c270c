// Tenures put into lanes, and the ticks of the time that they cover.
import type { Tenure } from "./queries";

const DAY = 86_400_000;
const TICK = 84; // pixels that the word of one takes, with some air

export interface Lane {
  key: string;
  prefix: string;
  tenures: Tenure[];
}

/** A lane for each prefix of each realm; what overlaps in time there (a keep-out over a subnet, say) has one of its own. */
export function lanesOf(tenures: Tenure[]): Lane[] {
  const lanes: Lane[] = [];
  for (const tenure of tenures) {
    const begins = Date.parse(tenure.begins);
    const free = lanes.find(
      (lane) => lane.key.startsWith(`${tenure.realm.id} ${tenure.prefix} `) && lane.tenures.every((one) => one.ends !== null && Date.parse(one.ends) <= begins),
    );
    if (free) free.tenures.push(tenure);
    else lanes.push({ key: `${tenure.realm.id} ${tenure.prefix} ${lanes.length}`, prefix: tenure.prefix, tenures: [tenure] });
  }
  return lanes;
}

/** From the first beginning to now, or to an end that lies ahead; never less than a day. */
export function spanOf(tenures: Tenure[], now: number): [number, number] {
  const first = Math.min(...tenures.map((one) => Date.parse(one.begins)), now);
  const ahead = Math.max(...tenures.map((one) => (one.ends ? Date.parse(one.ends) : now)), now);
  const last = Math.min(ahead, now + Math.max(now - first, DAY) / 4);
  return [first, Math.max(last, first + DAY)];
}

/** Ticks at even steps of the calendar, as many as there is room for. */
export function ticksOf(first: number, last: number, width: number): { at: number; word: string }[] {
  const most = Math.max(2, Math.floor(width / TICK));
  const days = (last - first) / DAY;
  const months = [1, 2, 3, 6, 12, 24, 60].find((step) => days / 30.4 / step <= most) ?? 120;
  if (days / most < 15) {
    const step = Math.max(1, Math.ceil(days / most));
    const start = Math.ceil(first / DAY) * DAY;
    return Array.from({ length: Math.floor((last - start) / (step * DAY)) + 1 }, (_, n) => start + n * step * DAY).map((at) => ({ at, word: worded(at, { day: "numeric", month: "short" }) }));
  }
  const found: { at: number; word: string }[] = [];
  const start = new Date(first);
  for (let month = start.getUTCMonth() + 1; ; month += 1) {
    const at = Date.UTC(start.getUTCFullYear(), month, 1);
    if (at > last) return found;
    if (new Date(at).getUTCMonth() % Math.min(months, 12) === 0 && (months <= 12 || new Date(at).getUTCFullYear() % (months / 12) === 0)) found.push({ at, word: worded(at, { month: "short", year: "numeric" }) });
  }
}

function worded(at: number, how: Intl.DateTimeFormatOptions): string {
  return new Date(at).toLocaleDateString("en-GB", { ...how, timeZone: "UTC" });
}
