// A plan as the service reads it, and changes of it that the grid makes.
import { parse, stringify } from "yaml";

export interface TierEntry {
  tier: string;
  as?: string;
  hosts?: number;
  growth?: number;
  length?: number;
  zones?: string[];
  count?: number;
  room?: number;
  gateway?: "none" | "first" | "last";
  tag?: number | "next" | "none";
  exposure?: string;
  purpose?: string;
}

export interface Pools {
  ipv4?: string;
  ipv6?: string;
}

export interface ZoneEntry {
  zone: string;
  pools?: Pools;
}

export interface PlanDocument {
  format: "lentra-plan-1";
  name: string;
  project: string;
  realm?: string;
  pools: Pools;
  zones: (string | ZoneEntry)[];
  tiers: TierEntry[];
  summarise?: "none" | "zone" | "plan";
  room?: { zones?: number; tiers?: number; block?: number };
  names?: string;
  tags?: "next" | "none" | { from: number };
  purpose?: string;
  [other: string]: unknown;
}

export const EMPTY: PlanDocument = { format: "lentra-plan-1", name: "", project: "", pools: {}, zones: [], tiers: [] };

/** What tells two entries of a tier apart. */
export function keyOf(entry: TierEntry): string {
  return entry.as ?? entry.tier;
}

export function zoneName(zone: string | ZoneEntry): string {
  return typeof zone === "string" ? zone : zone.zone;
}

export function isIn(entry: TierEntry, zone: string): boolean {
  return !entry.zones || entry.zones.includes(zone);
}

/** Put a tier into a zone, or take it out. */
export function toggled(document: PlanDocument, index: number, zone: string): PlanDocument {
  const names = document.zones.map(zoneName);
  const entry = document.tiers[index]!;
  const here = names.filter((name) => (name === zone ? !isIn(entry, name) : isIn(entry, name)));
  const { zones: _, ...rest } = entry;
  return withTier(document, index, here.length === names.length ? rest : { ...rest, zones: here });
}

export function withTier(document: PlanDocument, index: number, entry: TierEntry): PlanDocument {
  return { ...document, tiers: document.tiers.map((old, n) => (n === index ? entry : old)) };
}

/** Take a zone out, of the tiers that name it as well. */
export function withoutZone(document: PlanDocument, zone: string): PlanDocument {
  return {
    ...document,
    zones: document.zones.filter((one) => zoneName(one) !== zone),
    tiers: document.tiers.map((entry) => (entry.zones ? { ...entry, zones: entry.zones.filter((name) => name !== zone) } : entry)),
  };
}

/** A key for another entry of a tier that the plan has already. */
export function freshEntry(document: PlanDocument, tier: string): TierEntry {
  const keys = document.tiers.map(keyOf);
  if (!keys.includes(tier)) return { tier };
  let n = 2;
  while (keys.includes(`${tier}-${n}`)) n += 1;
  return { tier, as: `${tier}-${n}` };
}

export function textOf(document: PlanDocument): string {
  return stringify(document, { flowCollectionPadding: false });
}

/** The document of a text, or null where it is none that the grid can show. */
export function documentOf(text: string): PlanDocument | null {
  try {
    const found: unknown = parse(text);
    if (!found || typeof found !== "object" || !Array.isArray((found as PlanDocument).zones) || !Array.isArray((found as PlanDocument).tiers)) return null;
    const document = found as PlanDocument;
    const sound = document.tiers.every((entry) => entry && typeof entry === "object" && typeof entry.tier === "string");
    return sound ? { ...document, pools: document.pools ?? {} } : null;
  } catch {
    return null;
  }
}

/** Whether enough is said for the service to work it out. */
export function isComplete(document: PlanDocument): boolean {
  const sized = document.tiers.every((entry) => entry.hosts || entry.length !== undefined || !document.pools.ipv4);
  return !!document.name && !!document.project && Object.keys(document.pools).length > 0 && document.zones.length > 0 && document.tiers.length > 0 && sized;
}
