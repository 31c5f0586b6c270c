// Rows as a table for other programs: RFC 4180, one fact a column.
import { cellText } from "../setup/cells";

/** Rows as CSV. A cell that a spreadsheet would take for a formula is made text. */
export function csvOf(rows: Record<string, unknown>[]): string {
  const names = [...new Set(rows.flatMap((row) => Object.keys(row)))];
  const lines = [names, ...rows.map((row) => names.map((name) => row[name]))];
  return lines.map((line) => line.map(quoted).join(",") + "\r\n").join("");
}

function quoted(value: unknown): string {
  const text = typeof value === "number" ? String(value) : textOf(value);
  const harmless = typeof value !== "number" && /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
  return /[",\r\n]/.test(harmless) ? `"${harmless.replaceAll('"', '""')}"` : harmless;
}

function textOf(value: unknown): string {
  if (Array.isArray(value)) return value.map((one) => (isBlock(one) ? one.prefix : cellText(one, ""))).join(" ");
  return cellText(value, "");
}

function isBlock(value: unknown): value is { prefix: string } {
  return typeof value === "object" && value !== null && "prefix" in value;
}
