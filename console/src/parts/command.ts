// The command that does what a form does: one table of fields and options for all forms.
import { shellWord } from "./text";

type Values = Record<string, unknown>;

// A field -> its option, where that is not the field's name with dashes.
const OPTIONS: Record<string, string> = {
  hold_minutes: "hold",
  labels: "label",
  lengths: "length",
  name_servers: "name-server",
  ranges: "range",
};
const ARGUMENTS = ["doublings", "target"]; // said without a name
const EMPTIED: Record<string, string> = { gateway: "none", tag: "none" }; // what empties them is a value
const UNSAID = ["move"]; // in the command's own name

/** The options that stand for the values of a form; what is emptied is --no-NAME. */
export function optionsOf(values: Values): string[] {
  return Object.entries(values).flatMap(([name, value]) => {
    if (UNSAID.includes(name) || value === undefined) return [];
    const option = OPTIONS[name] ?? name.replaceAll("_", "-");
    if (ARGUMENTS.includes(name)) return [shellWord(String(value))];
    if (name === "password") return ["--password"];
    if (value === true) return [`--${option}`];
    if (value === false) return [`--no-${option}`];
    if (isEmpty(value)) return [EMPTIED[name] ? `--${option} ${EMPTIED[name]}` : `--no-${name.replaceAll("_", "-")}`];
    if (name === "families") return [`--family ${(value as number[]).join(",")}`];
    if (name === "lengths") return (value as { family: number; length: number }[]).map((one) => `--length ${one.family}/${one.length}`);
    if (name === "projects" || name === "tiers") return [`--${option} ${shellWord((value as string[]).join(","))}`];
    if (Array.isArray(value)) return value.map((one) => `--${option} ${shellWord(String(one))}`);
    if (typeof value === "object") return pairsOf(option, value as Values);
    return [`--${option} ${shellWord(value as string | number)}`];
  });
}

/** A command: its words, then the options of what is filled in. */
export function commandLine(words: (string | number)[], values: Values = {}): string {
  const [plain, named] = [optionsOf(pick(values, true)), optionsOf(pick(values, false))];
  return ["lentra", ...words.map(shellWord), ...plain, ...named].join(" ");
}

function pick(values: Values, said: boolean): Values {
  return Object.fromEntries(Object.entries(values).filter(([name]) => ARGUMENTS.includes(name) === said));
}

function isEmpty(value: unknown): boolean {
  return value === null || value === "" || (Array.isArray(value) ? value.length === 0 : typeof value === "object" && Object.keys(value as object).length === 0);
}

/** Labels are an option each; the rules of a family are one: head=1,tail=1. */
function pairsOf(option: string, value: Values): string[] {
  const pairs = Object.entries(value).map(([name, one]) => `${name}=${String(one)}`);
  return option === "label" ? pairs.map((pair) => `--label ${shellWord(pair)}`) : [`--${option} ${shellWord(pairs.join(","))}`];
}
