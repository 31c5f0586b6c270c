import { useQuery } from "@tanstack/react-query";
import { call, change, type Answer, type How, type Page, type Told } from "../api/client";

export type Finding = Told<"Finding">;
export type Sighting = Told<"Sighting">;

export function useFindings(filters: Record<string, string>) {
  return useQuery({ queryKey: ["findings", filters], queryFn: ({ signal }) => call<Page<Finding>>("GET", "findings", { query: filters, signal }) });
}

export function useSightings(filters: Record<string, string>) {
  return useQuery({ queryKey: ["sightings", filters], queryFn: ({ signal }) => call<Page<Sighting>>("GET", "sightings", { query: filters, signal }) });
}

/** Dismiss, reopen or take over a finding. */
export function settle(finding: Finding, what: string, values: Record<string, unknown>, how: How): Promise<Answer<Finding>> {
  return change("POST", `findings/${finding.id}/${what}`, values, how);
}
