import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, change, everyRow, type Answer, type How, type Page, type Told } from "../api/client";

export type Renumbering = Told<"Renumbering">;
export type Shown = Told<"RenumberingShown">;
export type Started = Told<"Started">;
export type Move = Told<"MoveOf">;
export type Row = Told<"MoveProgress">;
export const CHECKS = ["rules changed", "names changed", "hosts moved", "old silent"] as const;

/** What is to move, as the page has it in its address: lists with commas between. */
export interface Wanted {
  name: string;
  from_pool: string;
  from_ranges: string;
  from_plan: string;
  from_subnets: string;
  clear: string;
  to_pool: string;
  to_ranges: string;
  length_v4: string;
  length_v6: string;
  vacate: string;
  waves: string;
  by: string;
  realm: string;
}

export const FIELDS = ["name", "from_pool", "from_ranges", "from_plan", "from_subnets", "clear", "to_pool", "to_ranges", "length_v4", "length_v6", "vacate", "waves", "by", "realm"] as const;
const LISTS: readonly string[] = ["from_ranges", "from_subnets", "to_ranges"];
const NUMBERS: readonly string[] = ["clear", "length_v4", "length_v6"];

export const parts = (text: string) => text.split(",").map((part) => part.trim()).filter(Boolean);

/** A request, of what is filled in. */
export function bodyOf(wanted: Wanted): Record<string, unknown> {
  const said = FIELDS.filter((name) => wanted[name] !== "").map((name) => [name, valueOf(name, wanted[name])] as const);
  return Object.fromEntries(said);
}

function valueOf(name: string, text: string): unknown {
  if (LISTS.includes(name)) return parts(text);
  if (NUMBERS.includes(name)) return Number(text.replace("/", ""));
  return name === "vacate" ? text === "yes" : text;
}

export const says = (wanted: Wanted) => [wanted.from_pool, wanted.from_ranges, wanted.from_plan, wanted.from_subnets].filter(Boolean).length === 1;

export function useRenumberings(filters: Record<string, string>) {
  return useQuery({ queryKey: ["renumberings", filters], queryFn: ({ signal }) => call<Page<Renumbering>>("GET", "renumberings", { query: filters, signal }) });
}

export function useRenumbering(id: string) {
  return useQuery({ queryKey: ["renumberings", id], queryFn: ({ signal }) => call<Shown>("GET", `renumberings/${id}`, { signal }) });
}

export function useMoves(id: number, filters: Record<string, string>) {
  return useQuery({
    queryKey: ["renumberings", id, "moves", filters],
    placeholderData: keepPreviousData,
    queryFn: () => everyRow<Move>(`renumberings/${id}/moves`, filters),
  });
}

/** What a renumbering would come to, anew whenever it is asked for otherwise; nothing is changed. */
export function usePreview(wanted: Wanted) {
  return useQuery({
    queryKey: ["preview", "renumbering", wanted],
    enabled: says(wanted),
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => start({ ...wanted, name: wanted.name || "a-preview" }, { preview: true, why: "" }),
  });
}

export function start(wanted: Wanted, how: How): Promise<Answer<Started>> {
  return change("POST", "renumberings", bodyOf(wanted), how);
}

/** A step of a renumbering: begin, finish, turn-back, moved, check. */
export function step(id: number, verb: string, body: object, how: How): Promise<Answer<Shown>> {
  return change("POST", `renumberings/${id}/${verb}`, body, how);
}
