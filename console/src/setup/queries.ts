import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, change, type Answer, type How, type Page, type Told } from "../api/client";

export type AnyRecord = Record<string, unknown> & { id: number; version: number; name?: string };

/** The records of a kind, a page at a time. */
export function useRecords(collection: string, filters: Record<string, string>) {
  return useQuery({
    queryKey: ["records", collection, filters],
    queryFn: () => call<Page<AnyRecord>>("GET", collection, { query: { limit: 100, ...filters } }),
    placeholderData: keepPreviousData,
  });
}

/** A few records of a kind whose names have a text, for choosing. */
export function useChoices(collection: string, filters: Record<string, string>) {
  return useQuery({
    queryKey: ["records", collection, "choices", filters],
    staleTime: 30_000,
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => call<Page<AnyRecord>>("GET", collection, { query: { limit: 100, ...filters }, signal }),
  });
}

export function useRecord(collection: string, id: string) {
  return useQuery({
    queryKey: ["records", collection, id],
    enabled: collection !== "",
    queryFn: ({ signal }) => call<AnyRecord>("GET", `${collection}/${id}`, { signal }),
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

export function addRecord(collection: string, values: object, how: How): Promise<Answer<AnyRecord>> {
  return change("POST", collection, values, how);
}

export function editRecord(collection: string, record: AnyRecord, values: object, how: How): Promise<Answer<AnyRecord>> {
  return change("PATCH", `${collection}/${record.id}`, values, how, record.version);
}

export function removeRecord(collection: string, id: number, how: How): Promise<Answer<AnyRecord>> {
  return change("DELETE", `${collection}/${id}`, {}, how);
}

/** One of the things that can be done with a record: ranges of a pool, change-range, second-family, unlock of a person. */
export function actOn<Result = unknown>(collection: string, id: number, what: string, body: object, how: How): Promise<Answer<Result>> {
  return change("POST", `${collection}/${id}/${what}`, body, how);
}

/** Add several records out of a list: a line each, with a range, and what is said of it after the first comma. */
export function addSeveral(collection: string, { list, ...shared }: Record<string, unknown>, how: How): Promise<Answer<unknown>> {
  return change("POST", `${collection}/several`, { ...shared, rows: rowsOf(String(list ?? "")) }, how);
}

export function rowsOf(text: string): { range: string; reason?: string }[] {
  return text
    .split("\n")
    .map((line) => line.trim())
    .filter(Boolean)
    .map((line) => {
      const [, range = line, reason = ""] = /^([^,;\t]+)[,;\t]\s*(.*)$/.exec(line) ?? [];
      return { range: range.trim(), ...(reason ? { reason } : {}) };
    });
}
