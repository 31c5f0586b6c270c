// Choosing a part of the registry, and the command for what is chosen.
import { shellWord } from "../parts/text";
import { RefSelect } from "../parts/RefSelect";
import { useFilters } from "../parts/useFilters";

const PLURALS: Record<string, string> = { realm: "realms", pool: "pools", region: "regions", zone: "zones", tier: "tiers", project: "projects" };

/** Choosers for a part of the registry, kept in the address of the page. */
export function Scope({ names }: { names: string[] }) {
  const { filters, set } = useFilters();
  return (
    <>
      {names.map((name) => (
        <RefSelect key={name} kind={PLURALS[name]!} label={name[0]!.toUpperCase() + name.slice(1)} value={filters[name] ?? ""} onChange={(value) => set(name, value)} none="any" />
      ))}
    </>
  );
}

/** A command with the filters as its options. */
export function commandOf(word: string, filters: Record<string, string>): string {
  return [word, ...Object.entries(filters).filter(([name]) => !["cursor", "by"].includes(name)).map(([name, value]) => `--${name} ${shellWord(value)}`)].join(" ");
}
