import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Answer, type Page, type Told } from "../api/client";

export type AnyRecord = Record<string, unknown> & { id: number; version: number; name?: string };

/** The records of a kind, a page at a time. */
export function useRecords(collection: string, filters: Record<string, string>) {
  return useQuery({
    queryKey: ["records", collection, filters],
    queryFn: () => call<Page<AnyRecord>>("GET", collection, { query: { limit: 100, ...filters } }),
    placeholderData: keepPreviousData,
  });
}

/** The names of a kind, for choosing. */
export function useAll(collection: string, filters: Record<string, string>) {
  return useQuery({
    queryKey: ["records", collection, "all", filters],
    staleTime: 30_000,
    queryFn: () => call<Page<AnyRecord>>("GET", collection, { query: { limit: 1000, ...filters } }),
  });
}

export type Use = Told<"Use">;

/** What uses a record, and which of its fields are fixed. */
export function useUse(collection: string, id: number | undefined) {
  return useQuery({
    queryKey: ["records", collection, id, "use"],
    enabled: id !== undefined && collection !== "subnets",
    queryFn: () => call<Use>("GET", `${collection}/${id}/use`),
  });
}

export function addRecord(collection: string, values: object, preview: boolean, why: string): Promise<Answer<AnyRecord>> {
  return call("POST", collection, { query: { preview: preview || undefined, why }, body: values, key: crypto.randomUUID() });
}

export function editRecord(collection: string, record: AnyRecord, values: object, preview: boolean, why: string): Promise<Answer<AnyRecord>> {
  return call("PATCH", `${collection}/${record.id}`, { query: { preview: preview || undefined, why }, body: values, version: record.version });
}

export function removeRecord(collection: string, id: number, preview: boolean, why: string): Promise<Answer<AnyRecord>> {
  return call("DELETE", `${collection}/${id}`, { query: { preview: preview || undefined, why } });
}

/** One of the things that can be done with a record: ranges of a pool, change-range, second-family, unlock of a person. */
export function actOn(collection: string, id: number, what: string, body: object, preview: boolean, why: string): Promise<Answer<unknown>> {
  return call("POST", `${collection}/${id}/${what}`, { query: { preview: preview || undefined, why }, body, key: crypto.randomUUID() });
}
