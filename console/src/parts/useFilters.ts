import { useSearchParams } from "react-router";

/** The filters of a page, which live in its address; a changed filter starts again at the first page. */
export function useFilters() {
  const [query, setQuery] = useSearchParams();
  const filters: Record<string, string> = Object.fromEntries(query.entries());
  const set = (name: string, value: string) => {
    const next = new URLSearchParams(query);
    if (value) next.set(name, value);
    else next.delete(name);
    if (name !== "cursor") next.delete("cursor");
    setQuery(next, { replace: true });
  };
  return { filters, set, clear: () => setQuery({}, { replace: true }) };
}
