import { RefSelect } from "../parts/RefSelect";

export const PLACES = { realm: "realms", region: "regions", zone: "zones", project: "projects" };

/** Where pools are, and whom they serve. */
export function PlaceFilters({ filters, set }: { filters: Record<string, string>; set: (name: string, value: string) => void }) {
  return Object.entries(PLACES).map(([name, kind]) => (
    <RefSelect key={name} kind={kind} label={name[0]!.toUpperCase() + name.slice(1)} value={filters[name] ?? ""} onChange={(value) => set(name, value)} none="any" />
  ));
}
