import { grouped } from "../parts/text";

/** Any value of a record as one line of text. */
export function cellText(value: unknown, none = "—"): string {
  if (value === null || value === undefined || value === "") return none;
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (Array.isArray(value)) return value.map((inner) => cellText(inner)).join(", ") || none;
  if (typeof value === "object") {
    if ("limit" in value && "used" in value) {
      const row = value as { used: number; limit: number; words: string };
      return `${grouped(row.used)} of ${grouped(row.limit)} ${row.words}`;
    }
    if ("name" in value) return String(value.name);
    if ("head" in value) {
      const rules = value as Record<string, number | null>;
      return `${rules["head"]} + ${rules["tail"]} withheld, /${rules["shortest"]} to /${rules["longest"]}`;
    }
    return Object.entries(value)
      .map(([name, inner]) => `${name}=${cellText(inner)}`)
      .join(", ");
  }
  return String(value);
}

/** What a record is called: its name, its range, or what else tells it from others. */
export function calledOf(record: Record<string, unknown>): string {
  if (record["first"] !== undefined) return `${record["first"]} to ${record["last"]}`;
  return String(record["name"] ?? record["range"]);
}
