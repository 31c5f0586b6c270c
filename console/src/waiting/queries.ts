import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Page, type Told } from "../api/client";

export type Waiting = Told<"WaitingRequest">;
export type Beside = Told<"Beside">;

export function useWaitingList(query: Record<string, string>) {
  return useQuery({
    queryKey: ["waiting", "list", query],
    queryFn: ({ signal }) => call<Page<Waiting>>("GET", "waiting-requests", { query, signal }),
    placeholderData: keepPreviousData,
  });
}

export function useWaiting(id: string) {
  return useQuery({ queryKey: ["waiting", id], queryFn: ({ signal }) => call<Waiting>("GET", `waiting-requests/${id}`, { signal }) });
}

export function useBeside(id: number, enabled = true) {
  return useQuery({ queryKey: ["waiting", id, "beside"], enabled, queryFn: ({ signal }) => call<Beside>("GET", `waiting-requests/${id}/beside`, { signal }) });
}

export function useConversation(id: number) {
  return useQuery({
    queryKey: ["waiting", id, "conversation"],
    queryFn: ({ signal }) => call<Page<Told<"Said">>>("GET", `waiting-requests/${id}/conversation`, { query: { limit: 500 }, signal }),
  });
}
