// Between what a form holds (text) and what a record holds.
import { cellText } from "./cells";
import type { Field } from "./kinds";

export type Draft = Record<string, string>;
type Values = Record<string, unknown>;

/** What the form shows at first: the record's values, or what is preset. */
export function draftOf(fields: Field[], record: Values | undefined, preset: Record<string, string>): Draft {
  const draft: Draft = {};
  for (const field of fields) {
    const value = record?.[field.name];
    if (field.name in preset) draft[field.name] = preset[field.name]!;
    else if (value === undefined || value === null) draft[field.name] = "";
    else if (field.kind === "yes-no") draft[field.name] = value ? "yes" : "no";
    else if (field.kind === "rules" || field.kind === "labels")
      draft[field.name] = Object.entries(value as Values)
        .filter(([, inner]) => inner !== null)
        .map(([name, inner]) => `${name}=${inner}`)
        .join(", ");
    else draft[field.name] = cellText(value, "");
  }
  return draft;
}

/** The values that the form changes. */
export function valuesOf(fields: Field[], draft: Draft, before: Draft | undefined): Values {
  const values: Values = {};
  for (const field of fields) {
    const text = (draft[field.name] ?? "").trim();
    if (before ? text === (before[field.name] ?? "").trim() : text === "") continue;
    values[field.name] = valueOf(field, text);
  }
  return values;
}

function valueOf(field: Field, text: string): unknown {
  const parts = text.split(",").map((part) => part.trim()).filter(Boolean);
  switch (field.kind) {
    case "number":
      return text === "" ? null : Number(text);
    case "yes-no":
      return text === "yes";
    case "ref":
    case "date":
      return text === "" ? null : text;
    case "refs":
      return parts;
    case "list":
      return field.name === "lengths" ? parts.map(lengthOf) : parts;
    case "labels":
      return Object.fromEntries(parts.map(pairOf));
    case "rules":
      return parts.length ? Object.fromEntries(parts.map(pairOf).map(([name, value]) => [name, Number(value)])) : null;
    default:
      return text;
  }
}

function pairOf(text: string): [string, string] {
  const [name = "", ...rest] = text.split("=");
  return [name.trim(), rest.join("=").trim()];
}

function lengthOf(text: string): { family: number; length: number } {
  const [family, length] = text.includes("/") ? text.split("/") : ["4", text];
  return { family: Number(family || 4), length: Number(length) };
}
