// Loading, empty and error states, and refusals with their evidence.
import Alert from "@mui/material/Alert";
import AlertTitle from "@mui/material/AlertTitle";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import CircularProgress from "@mui/material/CircularProgress";
import Typography from "@mui/material/Typography";
import type { UseQueryResult } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { Problem } from "../api/client";
import { Mono } from "./Mono";
import { taken } from "./taking";

export function Loading({ what }: { what: string }) {
  return (
    <Box role="status" sx={{ display: "flex", alignItems: "center", gap: 1.5, p: 3, color: "text.secondary" }}>
      <CircularProgress size={20} aria-label="Loading" />
      Loading {what}…
    </Box>
  );
}

export function Empty({ children }: { children: ReactNode }) {
  return (
    <Typography sx={{ p: 3 }} color="text.secondary">
      {children}
    </Typography>
  );
}

/** What takes a value that would work into a form; nothing if the form has no such field. */
export type Taking = (field: string, value: string) => (() => void) | undefined;

/** A refusal: why, which rule, what stands in the way, what would work, which is a button where a form can take it. */
export function ProblemAlert({ error, onRetry, onTake }: { error: unknown; onRetry?: () => void; onTake?: Taking }) {
  if (!error) return null;
  const problem = error instanceof Problem ? error.document : { title: "Something went wrong", detail: String(error) };
  const conflicts = ("conflicts" in problem && problem.conflicts) || [];
  const suggestions = ("suggestions" in problem && problem.suggestions) || [];
  return (
    <Alert severity="error" action={onRetry && <Button onClick={onRetry}>Try again</Button>}>
      <AlertTitle>{problem.title}</AlertTitle>
      {problem.detail}
      {"rule" in problem && problem.rule && <Box sx={{ mt: 0.5 }}>Rule: {problem.rule}</Box>}
      {conflicts.length > 0 && (
        <Box component="ul" sx={{ my: 0.5, pl: 2.5 }}>
          {conflicts.slice(0, 8).map((conflict, n) => (
            <li key={n}>
              <Mono>{conflict.range}</Mono> {[conflict.kind, conflict.state, conflict.owner, conflict.zone, conflict.tier].filter(Boolean).join(", ")}
              {typeof conflict["mend"] === "string" && (
                <>
                  {typeof conflict["why"] === "string" && `: ${conflict["why"]}`}; <em>{conflict["mend"]}</em>
                </>
              )}
            </li>
          ))}
          {conflicts.length > 8 && <li>and {conflicts.length - 8} more</li>}
        </Box>
      )}
      {"request" in problem && problem.request && problem.status >= 500 && <Box sx={{ mt: 0.5 }}>Request {problem.request}</Box>}
      {suggestions.length > 0 && (
        <Box sx={{ mt: 0.5 }}>
          Would work:{" "}
          {suggestions.slice(0, 5).map((suggestion, n) => {
            const [field, value] = taken("field" in problem ? problem.field : undefined, suggestion) ?? [];
            const take = field && value ? onTake?.(field, value) : undefined;
            return (
              <span key={suggestion}>
                {n > 0 && ", "}
                {take ? (
                  <Button size="small" variant="outlined" color="inherit" onClick={take} sx={{ py: 0, minWidth: 0 }}>
                    {suggestion}
                  </Button>
                ) : (
                  suggestion
                )}
              </span>
            );
          })}
        </Box>
      )}
    </Alert>
  );
}

/** What was asked for in one page or in many. */
type Asked<Data> = Pick<UseQueryResult<Data>, "isPending" | "error" | "data"> & { refetch: () => unknown };

/** One thing that was asked for: loading, refused, or there. */
export function Shown<Data>({ query, what, children }: { query: Asked<Data>; what: string; children: (data: Data) => ReactNode }) {
  if (query.isPending) return <Loading what={what} />;
  if (query.error && query.data === undefined) return <ProblemAlert error={query.error} onRetry={() => query.refetch()} />;
  return children(query.data as Data);
}

/** A list that was asked for: loading, refused, empty, or there. */
export function Listed<Data, Row>({
  query,
  rows,
  empty,
  children,
}: {
  query: Asked<Data>;
  rows: (data: Data) => Row[];
  empty: ReactNode;
  children: (rows: Row[]) => ReactNode;
}) {
  return (
    <Shown query={query} what="the list">
      {(data) => (rows(data).length ? children(rows(data)) : <Empty>{empty}</Empty>)}
    </Shown>
  );
}
