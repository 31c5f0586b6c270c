import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Page, type Told } from "../api/client";

export type Pool = Told<"Pool">;
export type PoolUsage = Told<"PoolUsage">;

export function usePool(id: string) {
  return useQuery({ queryKey: ["pools", id], queryFn: () => call<Pool>("GET", `pools/${id}`) });
}

export function usePoolUsage(id: string) {
  return useQuery({ queryKey: ["pools", id, "usage"], queryFn: () => call<PoolUsage>("GET", `pools/${id}/usage`) });
}

/** Runs of free space of a pool, a page at a time. */
export function useGaps(id: number, query: Record<string, string>) {
  return useQuery({
    queryKey: ["pools", String(id), "gaps", query],
    queryFn: () => call<Page<Told<"Gap">>>("GET", `pools/${id}/gaps`, { query }),
    placeholderData: keepPreviousData,
  });
}

/** Usage of pools, a page at a time; `cursor` is the query of a next or previous page. */
export function useUsages(filters: Record<string, string>) {
  return useQuery({
    queryKey: ["usage", filters],
    queryFn: () => call<Page<PoolUsage>>("GET", "usage", { query: { limit: 100, ...filters } }),
    placeholderData: keepPreviousData,
  });
}
