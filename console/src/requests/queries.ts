import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Answer, type Told } from "../api/client";

export type Candidate = Told<"Candidate">;
export type Size = Told<"Size">;
export type Need = Record<string, string | number | string[] | undefined>;

/** The pools that may serve a need, and where in each. */
export function useCandidates(need: Need, enabled: boolean) {
  return useQuery({
    queryKey: ["candidates", need],
    enabled,
    retry: false,
    queryFn: () => call<{ candidates: Candidate[]; passed_over: string[] }>("GET", "candidates", { query: need }),
    placeholderData: keepPreviousData,
  });
}

/** The size for a number of hosts under a rule sheet, while typing. */
export function useSize(query: Need, enabled: boolean) {
  return useQuery({
    queryKey: ["size", query],
    enabled,
    retry: false,
    queryFn: () => call<Size>("GET", "size", { query }),
    placeholderData: keepPreviousData,
  });
}

export type HandedOut = Told<"HandedOut">;

export function requestSubnets(wanted: object, preview: boolean, why: string, key?: string, said: Record<string, string> = {}): Promise<Answer<HandedOut>> {
  return call("POST", "subnets", { query: { preview: preview || undefined, why, ...said }, body: wanted, ...(key ? { key } : {}) });
}
