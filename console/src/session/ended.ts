import { useQuery, type QueryClient } from "@tanstack/react-query";
import { call, Problem } from "../api/client";

export const ENDED = ["session ended"];

/** Told of every error: one that says that nobody is signed in any more opens the dialog. */
export function noticeEnd(queryClient: QueryClient, error: unknown) {
  if (!queryClient.getQueryData(["me"]) || !(error instanceof Problem) || error.document.status !== 401) return;
  // It may have been a password that was wrong: whether anybody is signed in, the session tells.
  call("GET", "session").catch((failure) => {
    if (failure instanceof Problem && failure.document.status === 401) queryClient.setQueryData(ENDED, true);
  });
}

/** Whether the session has ended while somebody was at work. */
export function useEnded(): boolean {
  return useQuery({ queryKey: ENDED, queryFn: () => false, initialData: false, staleTime: Infinity }).data;
}
