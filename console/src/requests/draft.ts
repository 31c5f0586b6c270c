// What the request form holds, and what the service is asked with.
import { commandLine } from "../parts/command";
import type { Subnet } from "../subnets/queries";
import type { Candidate, Need } from "./queries";

export interface Draft {
  realm: string;
  project: string;
  tier: string;
  zone: string;
  region: string;
  families: string;
  by: "hosts" | "length";
  hosts: string;
  growth: string;
  length: string;
  count: string;
  placement: string;
  name: string;
  purpose: string;
  room: string;
  reservation: string;
  tag: string;
  gateway: string;
  hold: string;
  near: string;
  away: string;
  places: string;
}

export const EMPTY: Draft = {
  ...{ realm: "", project: "", tier: "", zone: "", region: "", families: "4", by: "hosts", hosts: "", growth: "", length: "" },
  ...{ count: "1", placement: "", name: "", purpose: "" },
  ...{ room: "", reservation: "", tag: "", gateway: "", hold: "" },
  ...{ near: "", away: "", places: "1" },
};

const KEPT = "lentra.request";

/** The draft that was begun in this tab, if there is one: it outlives a reload. */
export function keptDraft(): Draft {
  try {
    return { ...EMPTY, ...(JSON.parse(sessionStorage.getItem(KEPT) ?? "{}") as Partial<Draft>) };
  } catch {
    return EMPTY;
  }
}

export function keepDraft(draft: Draft | null) {
  if (draft && JSON.stringify(draft) !== JSON.stringify(EMPTY)) sessionStorage.setItem(KEPT, JSON.stringify(draft));
  else sessionStorage.removeItem(KEPT);
}

/** A draft that asks for another subnet like one that there is. */
export function draftLike(subnet: Subnet): Draft {
  const families = subnet.blocks.map((block) => block.family);
  const length = subnet.blocks[0]?.prefix.split("/")[1] ?? "";
  return {
    ...EMPTY,
    realm: subnet.realm.name,
    project: subnet.project.name,
    tier: subnet.tier.name,
    region: subnet.region?.name ?? "",
    zone: subnet.zone?.name ?? "",
    families: [...new Set(families)].sort().join(","),
    ...(subnet.hosts ? { hosts: String(subnet.hosts), growth: subnet.growth ? String(subnet.growth) : "" } : { by: "length" as const, length }),
    purpose: subnet.purpose ?? "",
    tag: subnet.tag ? "next" : "",
    gateway: ["first", "last"].includes(subnet.gateway ?? "") ? subnet.gateway! : "",
  };
}

/** A draft of what an address says: /request?project=ticketing&tier=app&zone=nc-1 */
export function draftOf(query: URLSearchParams): Draft | null {
  const said = Object.fromEntries([...query].filter(([name]) => name in EMPTY));
  return Object.keys(said).length ? { ...EMPTY, ...said } : null;
}

/** The need as the search for candidates takes it. */
export function needOf(draft: Draft): Need {
  return {
    realm: draft.realm || undefined,
    project: draft.project,
    tier: draft.tier,
    zone: draft.zone || undefined,
    region: draft.zone ? undefined : draft.region || undefined,
    family: draft.families === "6" ? 6 : 4,
    dual: draft.families === "4,6" ? "true" : undefined,
    placement: draft.placement || undefined,
    beside: draft.near || undefined,
    away_from: draft.away ? draft.away.split(",").map((text) => text.trim()).filter(Boolean) : undefined,
    each: Number(draft.places) > 1 ? Number(draft.places) : undefined,
    ...(draft.by === "hosts"
      ? { hosts: Number(draft.hosts), growth: Number(draft.growth) || undefined }
      : { length: draft.length === "" ? undefined : Number(draft.length) }),
  };
}

/** The request as the service takes it. */
export function wantedOf(draft: Draft, chosen: Candidate | null): Record<string, unknown> {
  const { family: _, dual: __, realm: ___, each, ...need } = needOf(draft); // the pool says which realm
  const values = {
    ...need,
    pool: chosen?.pool.id,
    ...(chosen && each ? { prefix: chosen.block, beside: undefined, away_from: undefined } : {}),
    families: draft.families.split(",").map(Number),
    count: Number(draft.count) > 1 ? Number(draft.count) : undefined,
    name: draft.name || undefined,
    purpose: draft.purpose || undefined,
    room: Number(draft.room) || undefined,
    reservation: draft.reservation || undefined,
    tag: draft.tag || undefined,
    gateway: draft.gateway || undefined,
    hold_minutes: Number(draft.hold) || undefined,
  };
  return Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined));
}

/** The command that asks the same. */
export function commandOf(wanted: Record<string, unknown>): string {
  return commandLine(["request"], wanted);
}
