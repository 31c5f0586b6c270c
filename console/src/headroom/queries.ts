import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Page, type Told } from "../api/client";

export type PoolHeadroom = Told<"PoolHeadroom">;
export type HeadroomRow = Told<"HeadroomRow">;
export type BreakdownRow = Told<"BreakdownRow">;
export type Idle = Told<"Idle">;
export type Changes = Told<"Changes">;
type Query = Record<string, string>;

export function usePoolHeadroom(id: string, window: string) {
  return useQuery({
    queryKey: ["pools", id, "headroom", window],
    placeholderData: keepPreviousData,
    queryFn: () => call<PoolHeadroom[]>("GET", `pools/${id}/headroom`, { query: { window_days: window } }),
  });
}

export function useHeadroom(filters: Query) {
  return useQuery({
    queryKey: ["headroom", filters],
    placeholderData: keepPreviousData,
    queryFn: () => call<Page<HeadroomRow>>("GET", "headroom", { query: { limit: 100, ...filters } }),
  });
}

export function useBreakdown(filters: Query) {
  return useQuery({
    queryKey: ["usage", "breakdown", filters],
    placeholderData: keepPreviousData,
    queryFn: () => call<BreakdownRow[]>("GET", "usage/breakdown", { query: filters }),
  });
}

export function useIdle(filters: Query) {
  return useQuery({ queryKey: ["idle", filters], queryFn: () => call<Idle[]>("GET", "idle", { query: filters }) });
}

export function useChanges(filters: Query) {
  return useQuery({ queryKey: ["usage", "changes", filters], queryFn: () => call<Changes[]>("GET", "usage/changes", { query: filters }) });
}

export type ListedRange = Told<"ListedRange">;

export function useRanges(filters: Query) {
  return useQuery({
    queryKey: ["ranges", filters],
    placeholderData: keepPreviousData,
    queryFn: () => call<ListedRange[]>("GET", "ranges", { query: filters }),
  });
}
