// Where a record has its page, or the list that shows it.
import type { Found } from "./queries";

const SET_UP: Record<string, string> = {
  realm: "realms",
  "rule sheet": "rule-sheets",
  region: "regions",
  zone: "zones",
  tier: "tiers",
  project: "projects",
  "keep-out": "keep-outs",
  reservation: "reservations",
  "planned need": "planned-needs",
  quota: "quotas",
  "approval rule": "approval-rules",
  person: "people",
  "group mapping": "group-mappings",
  link: "links",
  source: "sources",
  "taking rule": "taking-rules",
  subscription: "subscriptions",
  "DNS record": "dns-records",
};

/** The address of the page about a record; null if it has none. Of an address record, `id` is that of its subnet. */
export function placeOf(kind: string, id: number): string | null {
  if (kind === "pool") return `/pools/${id}`;
  if (kind === "subnet" || kind === "address record") return `/subnets/${id}`;
  if (kind === "request") return `/waiting/${id}`;
  if (kind === "finding") return "/findings";
  if (kind === "DNS zone") return `/names/${id}`;
  if (kind === "renumbering") return `/renumberings/${id}`;
  if (kind === "plan") return `/plans/${id}`;
  const list = SET_UP[kind];
  return list ? `/set-up/${list}/${id}` : null;
}

const SHOWN = 10;

export interface Answer {
  key: string;
  name: string;
  about: string;
  to: string;
}

/** The first of what was found that has a page of its own. */
export function answersOf(found: Found | undefined): Answer[] {
  const places = (found?.places ?? []).map((place) => ({
    key: `place ${place.realm.id}`,
    name: `${found?.range ?? ""} in ${place.realm.name}`,
    about: place.holders[0] ? [place.holders[0].state, place.holders[0].owner].filter(Boolean).join(", ") : "in no pool",
    to: `/find?text=${encodeURIComponent(found?.range ?? "")}`,
  }));
  const records = (found?.records ?? []).flatMap((record) => {
    const to = placeOf(record.kind, record.id);
    return to ? [{ key: `${record.kind} ${record.id} ${record.name}`, name: record.name, about: [record.kind, record.about].filter(Boolean).join(": "), to }] : [];
  });
  return [...places, ...records].slice(0, SHOWN);
}
