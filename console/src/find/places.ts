// Where a record has its page, or the list that shows it.

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
  person: "people",
};

/** The address of the page about a record; null if it has none. Of an address record, `id` is that of its subnet. */
export function placeOf(kind: string, id: number): string | null {
  if (kind === "pool") return `/pools/${id}`;
  if (kind === "subnet" || kind === "address record") return `/subnets/${id}`;
  if (kind === "plan") return `/plans/${id}`;
  const list = SET_UP[kind];
  return list ? `/set-up/${list}/${id}` : null;
}
