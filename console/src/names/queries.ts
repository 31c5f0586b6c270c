import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, change, type Answer, type How, type Page, type Told } from "../api/client";

export type DnsZone = Told<"DnsZone">;
export type DnsEntry = Told<"DnsEntry">;
export const STATES = ["published", "to add", "to remove", "refused", "hidden"] as const;
export const TYPES = ["A", "AAAA", "PTR", "CNAME", "NS", "DS", "TXT", "MX", "SRV", "CAA"] as const;
const SOON = 2000; // milliseconds, while something is under way

export function useDnsZones(filters: Record<string, string>) {
  return useQuery({ queryKey: ["dns-zones", filters], placeholderData: keepPreviousData, queryFn: ({ signal }) => call<Page<DnsZone>>("GET", "dns-zones", { query: filters, signal }) });
}

export function useDnsZone(id: string) {
  return useQuery({
    queryKey: ["dns-zones", id],
    queryFn: ({ signal }) => call<DnsZone>("GET", `dns-zones/${id}`, { signal }),
    refetchInterval: (query) => (query.state.data && underWay(query.state.data) ? SOON : false),
  });
}

export function useDnsEntries(filters: Record<string, string>, pushedAt: string | null | undefined) {
  return useQuery({
    queryKey: ["dns-entries", filters, pushedAt],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => call<Page<DnsEntry>>("GET", "dns-entries", { query: filters, signal }),
  });
}

/** Where the server of a DNS zone has something else, as the last comparison has told. */
export function useDifferences(zone: DnsZone) {
  return useQuery({
    queryKey: ["findings", "dns", zone.id, zone.serving?.compared_at],
    queryFn: ({ signal }) => call<Page<Told<"Finding">>>("GET", "findings", { query: { dns_zone: String(zone.id), state: "open", limit: "50" }, signal }),
  });
}

/** Whether something is being pushed or compared, so that what is shown is soon another. */
export function underWay(zone: DnsZone): boolean {
  const due = zone.serving?.compare_at && new Date(zone.serving.compare_at).getTime() <= Date.now();
  return zone.counts.pending > 0 || !!zone.serving?.failing_since || !!due;
}

/** How it goes with a DNS zone, in a few words. */
export function standing(zone: DnsZone): { words: string; state: "good" | "warn" | "bad" | "plain" } {
  if (zone.delegated) return { words: "others keep it", state: "plain" };
  if (!zone.address) return { words: zone.serving?.serial ? `a file, serial ${zone.serving.serial}` : "a file, not written yet", state: "plain" };
  if (zone.serving?.failing_since) return { words: `failing: ${zone.serving.outcome}`, state: "bad" };
  if (zone.counts.pending) return { words: `${zone.counts.pending} waiting to be pushed`, state: "warn" };
  if (zone.serving?.compared_at && zone.serving.differences) return { words: `${zone.serving.differences} differ on its server`, state: "warn" };
  return { words: zone.serving?.compared_at ? "as on its server" : "pushed", state: "good" };
}

export function act(id: number, verb: "push" | "compare", body: object, how: How): Promise<Answer<DnsZone>> {
  return change("POST", `dns-zones/${id}/${verb}`, body, how);
}
