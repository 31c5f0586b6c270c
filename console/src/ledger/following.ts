import { useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { call, type Page } from "../api/client";
import type { Entry } from "../subnets/queries";

const WAIT = 20; // seconds that one call waits for something
const PAUSE = 3000; // where the service is away, or lets nobody more wait

/** Have the ledger read again as soon as something is committed, by the feed. */
export function useFollowing(on: boolean, newest: number | undefined): void {
  const client = useQueryClient();
  useEffect(() => {
    if (!on || newest === undefined) return;
    const ended = new AbortController();
    const follow = async () => {
      let after = String(newest);
      while (!ended.signal.aborted) {
        const begun = Date.now();
        try {
          const page = await call<Page<Entry>>("GET", "ledger", { query: { after, wait: WAIT, limit: 1000 }, signal: ended.signal });
          after = (page.next && new URL(page.next).searchParams.get("after")) ?? after;
          if (page.results.length) await client.invalidateQueries({ queryKey: ["ledger"] });
          else if (Date.now() - begun < PAUSE) await pause();
        } catch {
          await pause();
        }
      }
    };
    void follow();
    return () => ended.abort();
    // From where it began on: what is read again has a newer entry, and is no reason to begin anew.
  }, [on, newest === undefined, client]);
}

function pause(): Promise<void> {
  return new Promise((done) => setTimeout(done, PAUSE));
}
