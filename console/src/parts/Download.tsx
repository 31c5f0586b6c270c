import Button from "@mui/material/Button";
import { useMutation } from "@tanstack/react-query";
import { everyRow } from "../api/client";
import { ProblemAlert } from "./Answers";
import { csvOf } from "./csv";

/** All rows of a list, not only this page of it, as a CSV file. */
export function Download({ name, address, query, row = (one) => one }: { name: string; address: string; query: Record<string, string>; row?: (one: Record<string, unknown>) => Record<string, unknown> }) {
  const fetched = useMutation({
    mutationFn: async () => {
      const { cursor: _, ...filters } = query;
      const rows = await everyRow<Record<string, unknown>>(address, filters, undefined, Infinity);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([csvOf(rows.map(row))], { type: "text/csv" }));
      link.download = `${name}.csv`;
      link.click();
      URL.revokeObjectURL(link.href);
    },
  });
  return (
    <>
      <Button size="small" onClick={() => fetched.mutate()} disabled={fetched.isPending}>
        {fetched.isPending ? "Reading all pages…" : "Download CSV"}
      </Button>
      <ProblemAlert error={fetched.error} />
    </>
  );
}
