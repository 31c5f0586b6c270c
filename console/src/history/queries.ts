import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Page, type Told } from "../api/client";

export type Tenure = Told<"Tenure">;

/** Who had what of a range, in order of address and then of time. */
export function useTenures(filters: Record<string, string>) {
  return useQuery({
    queryKey: ["history", filters],
    enabled: !!filters["range"],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) => call<Page<Tenure>>("GET", "history", { query: { limit: 200, ...filters }, signal }),
  });
}

/** Where the past of a range is shown. */
export function pastOf(range: string): string {
  return `/history?range=${encodeURIComponent(range)}`;
}
