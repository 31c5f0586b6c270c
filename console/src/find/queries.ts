import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Told } from "../api/client";

export type Found = Told<"Search">;
export type Place = Found["places"][number];
export type FoundRecord = Found["records"][number];
export type Explanation = Told<"Explanation">;

export function useFound(text: string) {
  return useQuery({
    queryKey: ["search", text],
    enabled: text !== "",
    queryFn: ({ signal }) => call<Found>("GET", "search", { query: { text }, signal }),
  });
}

/** What is found while one types, from the second letter on; what was found before stays until there is something new. */
export function useAnswers(text: string) {
  return useQuery({
    queryKey: ["search", text],
    enabled: text.length > 1,
    placeholderData: keepPreviousData,
    staleTime: 5000,
    queryFn: ({ signal }) => call<Found>("GET", "search", { query: { text }, signal }),
  });
}

/** All plain facts about a prefix; of a range that is none, nothing. */
export function useExplanation(range: string) {
  return useQuery({
    queryKey: ["explain", range],
    enabled: range.includes("/"),
    retry: false,
    queryFn: ({ signal }) => call<Explanation>("GET", "explain", { query: { prefix: range }, signal }),
  });
}
