import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, change, everyRow, type Answer, type How, type Page, type Told } from "../api/client";

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
    queryFn: () => everyRow<BreakdownRow>("usage/breakdown", filters),
  });
}

export function useIdle(filters: Query) {
  return useQuery({ queryKey: ["idle", filters], placeholderData: keepPreviousData, queryFn: () => call<Page<Idle>>("GET", "idle", { query: { limit: 100, ...filters } }) });
}

export function useChanges(filters: Query) {
  return useQuery({ queryKey: ["usage", "changes", filters], queryFn: () => everyRow<Changes>("usage/changes", filters) });
}

export type UsageThen = Told<"UsageThen">;

export function useUsageOn(filters: Query) {
  return useQuery({
    queryKey: ["usage", "on", filters],
    enabled: !!filters["on"],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => everyRow<UsageThen>("usage/on", filters, signal),
  });
}

export type ListedRange = Told<"ListedRange">;

export function useRanges(filters: Query) {
  return useQuery({
    queryKey: ["ranges", filters],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => call<Page<ListedRange>>("GET", "ranges", { query: { limit: 1000, ...filters }, signal }),
  });
}

export type Alert = Told<"Alert">;
export type WhatIfAnswer = Told<"WhatIf">;
export type Compaction = Told<"Compaction">;
export type Grid = Told<"ProjectGrid">;
export type GridCell = Told<"GridCell">;

const A_MINUTE = 60_000;

/** Alerts, looked up again each minute. */
export function useAlerts(filters: Query = {}) {
  return useQuery({
    queryKey: ["alerts", filters],
    refetchInterval: A_MINUTE,
    queryFn: () => call<Page<Alert>>("GET", "alerts", { query: { limit: 200, ...filters } }),
  });
}

/** Say that somebody looks after an alert; until a day nobody is told of it. */
export function acknowledge(alert: Alert, values: Record<string, unknown>, how: How): Promise<Answer<Alert>> {
  const until = values["until"] ? { until: `${String(values["until"])}T00:00:00Z` } : {};
  return change("POST", `alerts/${alert.id}/acknowledge`, { reason: values["reason"], ...until }, how);
}

export function reopen(alert: Alert, how: How): Promise<Answer<Alert>> {
  return change("POST", `alerts/${alert.id}/reopen`, {}, how);
}

export function useProjectGrid(project: string) {
  return useQuery({ queryKey: ["projects", project, "grid"], enabled: project !== "", queryFn: () => call<Grid>("GET", `projects/${project}/grid`) });
}

export type Trend = Told<"Trend">;

/** Growth of a realm (all its pools together, with thresholds), of a project or of a zone. */
export function useGrowth(kind: "realm" | "project" | "region" | "zone", name: string) {
  return useQuery({ queryKey: [kind, name, "headroom"], queryFn: () => call<(Trend | PoolHeadroom)[]>("GET", `${kind}s/${encodeURIComponent(name)}/headroom`) });
}

export interface Supposed {
  ranges?: string[];
  growth_percent?: number;
  give_back_idle?: boolean;
  text?: string;
  needs?: { family: number; length: number; count: number; day: string }[];
}

/** A pool's name, with its realm where it may be there in several. */
export function suppose(pool: string, supposed: Supposed): Promise<WhatIfAnswer> {
  return call<WhatIfAnswer>("POST", `pools/${pool}/what-if`, { body: supposed });
}

export function useCompaction(pool: string, length: string, family: string) {
  return useQuery({
    queryKey: ["pools", pool, "compaction", length, family],
    enabled: pool !== "" && length !== "",
    queryFn: () => call<Compaction>("GET", `pools/${pool}/compaction`, { query: { length, family } }),
  });
}

export type UsageOfOne = Told<"Usage">;

export function useUsageTogether(filters: Query) {
  const of = Object.fromEntries(Object.entries(filters).filter(([name]) => ["realm", "region", "zone", "project"].includes(name)));
  return useQuery({
    queryKey: ["usage", "together", of],
    placeholderData: keepPreviousData,
    queryFn: () => call<UsageOfOne[]>("GET", "usage/together", { query: of }),
  });
}
