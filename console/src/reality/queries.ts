import { useQuery } from "@tanstack/react-query";
import { grouped } from "../parts/text";
import { call, change, type Answer, type How, type Page, type Told } from "../api/client";

export type Finding = Told<"Finding">;
export type Sighting = Told<"Sighting">;

export function useFindings(filters: Record<string, string>) {
  return useQuery({ queryKey: ["findings", filters], queryFn: ({ signal }) => call<Page<Finding>>("GET", "findings", { query: filters, signal }) });
}

export function useSightings(filters: Record<string, string>) {
  return useQuery({ queryKey: ["sightings", filters], queryFn: ({ signal }) => call<Page<Sighting>>("GET", "sightings", { query: filters, signal }) });
}

export type PoolSeen = Told<"PoolSeen">;

/** What is handed out in a pool, by what is seen of it. */
export function usePoolSeen(id: number) {
  return useQuery({ queryKey: ["pools", id, "seen"], queryFn: ({ signal }) => call<PoolSeen[]>("GET", `pools/${id}/seen`, { signal }) });
}

/** How much of one family is seen, in words. */
export function seenText(row: PoolSeen): string {
  const share = row.addresses === "0" ? 0 : (100 * Number(row.seen)) / Number(row.addresses);
  return `IPv${row.family}: ${share.toFixed(0)} % is seen, in ${grouped(row.seen_blocks)} of ${grouped(row.blocks)} blocks`;
}

export type Survey = Told<"Survey">;

/** A source; read again and again while it is being asked, or is about to be. */
export function useSource(id: number) {
  return useQuery({
    queryKey: ["sources", id, "look"],
    queryFn: ({ signal }) => call<Told<"Source">>("GET", `sources/${id}`, { signal }),
    refetchInterval: ({ state }) => {
      const look = state.data?.look;
      return look && (look.begun_at || (look.due_at && Date.parse(look.due_at) <= Date.now())) ? 1000 : 15_000;
    },
  });
}

/** Surveys of a source; `seen` is when it looked last, with which they change. */
export function useSurveys(filters: Record<string, string>, seen: string | null) {
  return useQuery({ queryKey: ["surveys", filters, seen], queryFn: ({ signal }) => call<Page<Survey>>("GET", "surveys", { query: filters, signal }) });
}

/** Settle several findings together: all of them, or none. */
export function settleMany(findings: Finding[], what: string, values: Record<string, unknown>, how: How): Promise<Answer<unknown>> {
  return change("POST", `findings/${what}`, { ...values, findings: findings.map((one) => one.id) }, how);
}

/** Dismiss, reopen or take over a finding. */
export function settle(finding: Finding, what: string, values: Record<string, unknown>, how: How): Promise<Answer<Finding>> {
  return change("POST", `findings/${finding.id}/${what}`, values, how);
}
