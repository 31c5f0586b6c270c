import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, change, everyRow, type Answer, type How, type Page, type Told } from "../api/client";
import type { PlanDocument } from "./document";

export type Plan = Omit<Told<"Plan">, "document"> & { document: PlanDocument };
export type Proposed = Told<"ProposedPlan">;
export type PlanBlock = Proposed["blocks"][number];
/** What the grid and the picture show, of a proposal or of what is there. */
export interface There {
  blocks: Pick<PlanBlock, "slot" | "change" | "zone" | "tier" | "blocks" | "room" | "usable" | "tag">[];
  reserving: { range: string; kind: string; zone: string }[];
}
export type Finding = Proposed["notes"][number];
export type Departure = Told<"Departure">;
/** A plan as it is sent: as text, or as a document. */
export type Written = { text: string } | { document: PlanDocument };

export function usePlans(filters: Record<string, string>) {
  return useQuery({ queryKey: ["plans", filters], queryFn: () => call<Page<Plan>>("GET", "plans", { query: filters }) });
}

export function usePlan(id: string) {
  return useQuery({ queryKey: ["plans", id], enabled: id !== "", queryFn: () => call<Plan>("GET", `plans/${id}`) });
}

export function useDepartures(id: string) {
  return useQuery({ queryKey: ["plans", id, "departures"], queryFn: () => everyRow<Departure>(`plans/${id}/departures`) });
}

/** Whether what a plan no longer wants is given back with it, and also where something is recorded inside. */
export interface GiveBack {
  give_back: boolean;
  despite_use: boolean;
}

/** What a plan comes to, anew whenever it changes. */
export function usePlanPreview(written: Written | null, giveBack: GiveBack) {
  return useQuery({
    queryKey: ["preview", "plan", written, giveBack],
    enabled: written !== null,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => send(written!, giveBack, true, ""),
  });
}

export function send(written: Written, options: object, preview: boolean, why: string, key?: string, said: Record<string, string> = {}): Promise<Answer<Proposed>> {
  return call("POST", "plans", {
    query: { preview: preview || undefined, why, ...said },
    body: { ...written, ...options },
    ...(key ? { key } : {}),
  });
}

/** Take a departure over into the plan, or put it right. */
export function settle(plan: Plan, departure: { slot: string; how: string }, how: How): Promise<Answer<Plan>> {
  return change("POST", `plans/${plan.id}/settle`, departure, how);
}

export function removePlan(id: number, words: GiveBack, how: How): Promise<Answer<Plan>> {
  return change("POST", `plans/${id}/remove`, words, how);
}
