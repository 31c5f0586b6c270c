import Chip from "@mui/material/Chip";

const COLOURS: Record<string, "primary" | "success" | "error" | "default"> = { waiting: "primary", granted: "success", refused: "error" };

/** The state of a request, in words. */
export function RequestState({ state }: { state: string }) {
  return <Chip size="small" variant="outlined" label={state} color={COLOURS[state] ?? "default"} />;
}

const DAY = 24 * 3600 * 1000;

/** Whole days since a moment. */
export function daysSince(moment: string, now = Date.now()): number {
  return Math.max(0, Math.floor((now - new Date(moment).getTime()) / DAY));
}
