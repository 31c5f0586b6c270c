import type { QueryClient } from "@tanstack/react-query";

const STAYS = ["preview", "me", "size", "split"]; // what no change of the registry touches

/** After a change: what is shown of the registry is read again; who is signed in, and what is worked out, stays. */
export function refreshed(queryClient: QueryClient): Promise<void> {
  return queryClient.invalidateQueries({ predicate: (query) => !STAYS.includes(String(query.queryKey[0])) });
}
