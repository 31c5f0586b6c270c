import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Told } from "../api/client";

export type Meeting = Told<"Meeting">;
export type ClashLine = Told<"ClashLine">;
export type HandsOut = Told<"HandsOut">;
export type Graph = Told<"RealmGraph">;

/** A link that is thought of, as the page has it in its address: ranges with commas between. */
export interface Thought {
  one: string;
  other: string;
  one_shows: string;
  other_shows: string;
  one_gives: string;
  other_gives: string;
  passes_on: string;
}

export const parts = (text: string) => text.split(",").map((part) => part.trim()).filter(Boolean);

/** What would meet if two realms were linked so. */
export function useThoughtOf(thought: Thought) {
  const { one, other, passes_on } = thought;
  const ranges = { one_shows: parts(thought.one_shows), other_shows: parts(thought.other_shows), one_gives: parts(thought.one_gives), other_gives: parts(thought.other_gives) };
  return useQuery({
    queryKey: ["meetings", thought],
    enabled: one !== "" && other !== "",
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => (await call<{ meetings: Meeting[] }>("GET", "meetings", { query: { one, other, ...ranges, passes_on: passes_on === "yes" || undefined }, signal })).meetings,
  });
}

/** What meets by a link that is there. */
export function useMeetings(link: number) {
  return useQuery({
    queryKey: ["meetings", "of", link],
    queryFn: async ({ signal }) => (await call<{ meetings: Meeting[] }>("GET", `links/${link}/meetings`, { signal })).meetings,
  });
}

export function useGraph() {
  return useQuery({ queryKey: ["meetings", "graph"], queryFn: ({ signal }) => call<Graph>("GET", "realm-graph", { signal }) });
}
