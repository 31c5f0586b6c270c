// What the request form holds, and what the service is asked with.
import { commandLine } from "../parts/command";
import type { Candidate, Need } from "./queries";

export interface Draft {
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
}

export const EMPTY: Draft = {
  ...{ project: "", tier: "", zone: "", region: "", families: "4", by: "hosts", hosts: "", growth: "", length: "" },
  ...{ count: "1", placement: "", name: "", purpose: "" },
  ...{ room: "", reservation: "", tag: "", gateway: "", hold: "" },
};

/** The need as the search for candidates takes it. */
export function needOf(draft: Draft): Need {
  return {
    project: draft.project,
    tier: draft.tier,
    zone: draft.zone || undefined,
    region: draft.zone ? undefined : draft.region || undefined,
    family: draft.families === "6" ? 6 : 4,
    dual: draft.families === "4,6" ? "true" : undefined,
    placement: draft.placement || undefined,
    ...(draft.by === "hosts"
      ? { hosts: Number(draft.hosts), growth: Number(draft.growth) || undefined }
      : { length: draft.length === "" ? undefined : Number(draft.length) }),
  };
}

/** The request as the service takes it. */
export function wantedOf(draft: Draft, chosen: Candidate | null): Record<string, unknown> {
  const { family: _, dual: __, ...need } = needOf(draft);
  const values = {
    ...need,
    pool: chosen?.pool.id,
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
