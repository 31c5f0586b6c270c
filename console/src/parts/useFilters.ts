import { useEffect } from "react";
import { useLocation, useSearchParams } from "react-router";

// What was last asked for on a page and has not landed in its address yet: the router takes its time, and what
// changes meanwhile must not start from the address as it was.
let pending: { page: string; query: string } | null = null;

/** The filters of a page, which live in its address; a changed filter starts again at the first page. */
export function useFilters() {
  const [query, setQuery] = useSearchParams();
  const { pathname: page } = useLocation();
  const landed = query.toString();
  useEffect(() => {
    if (pending && (pending.page !== page || pending.query === landed)) pending = null;
  }, [page, landed]);
  const change = (next: URLSearchParams) => {
    pending = { page, query: next.toString() };
    setQuery(next, { replace: true });
  };
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(pending?.page === page ? pending.query : query);
    if (value) next.set(name, value);
    else next.delete(name);
    if (name !== "cursor") next.delete("cursor");
    change(next);
  };
  const filters: Record<string, string> = Object.fromEntries(query.entries());
  return { filters, set, clear: () => change(new URLSearchParams()) };
}
