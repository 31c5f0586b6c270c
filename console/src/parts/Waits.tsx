// That something will wait for a planner, and what is told with it.
import Alert from "@mui/material/Alert";
import AlertTitle from "@mui/material/AlertTitle";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import type { Waits } from "../api/client";
import { shellWord, shortTime } from "./text";


/** What a planner is told with a request, should it wait. */
export interface Said {
  needed_by: string;
  link: string;
}

export const NOTHING_SAID: Said = { needed_by: "", link: "" };

export function WaitsNote({ waits, said, onChange }: { waits: Waits; said: Said; onChange: (said: Said) => void }) {
  return (
    <Alert severity="info">
      <AlertTitle>This waits for a planner</AlertTitle>
      Rule {waits.rule}: {waits.words}. {waits.holds ? `What is shown is held until it is decided, until ${shortTime(waits.lapses_at)} at most.` : `Nothing is held meanwhile; it lapses at ${shortTime(waits.lapses_at)}.`}
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap", mt: 1.5 }}>
        <TextField
          label="Needed by"
          type="date"
          value={said.needed_by}
          onChange={(event) => onChange({ ...said, needed_by: event.target.value })}
          slotProps={{ inputLabel: { shrink: true } }}
        />
        <TextField label="Link" value={said.link} onChange={(event) => onChange({ ...said, link: event.target.value })} helperText="where a planner finds more" sx={{ minWidth: 280 }} />
      </Stack>
    </Alert>
  );
}

/** The same as options of a command. */
export function saidInCommand(said: Said): string {
  return (said.needed_by ? ` --needed-by ${said.needed_by}` : "") + (said.link ? ` --link ${shellWord(said.link)}` : "");
}
