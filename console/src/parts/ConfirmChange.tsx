// Every change is previewed, shown with its owner chain, and confirmed. What is refused unless one insists can be insisted on.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { useNavigate } from "react-router";
import { isStale, newKey, Problem, type Answer, type How } from "../api/client";
import { refreshed } from "../api/refreshing";
import { Loading, ProblemAlert } from "./Answers";
import { CommandLine } from "./CommandLine";
import { NOTHING_SAID, saidInCommand, WaitsNote } from "./Waits";

export function ConfirmChange<Result>({
  title,
  chain,
  command,
  run,
  describe,
  onClose,
  onDone,
  needsWhy = false,
  insist,
}: {
  title: string;
  chain: string[];
  command: string;
  run: (how: How, insisted: boolean) => Promise<Answer<Result>>;
  describe?: (result: Result) => ReactNode;
  onClose: () => void;
  onDone?: (answer: Answer<Result>) => void;
  needsWhy?: boolean;
  insist?: string; // what one insists on, for a refusal that `despite_use` gets over
}) {
  const [why, setWhy] = useState("");
  const [insisted, setInsisted] = useState(false);
  const [said, setSaid] = useState(NOTHING_SAID);
  const navigate = useNavigate();
  const [key] = useState(newKey);
  const queryClient = useQueryClient();
  const seen = useQuery({
    queryKey: ["preview", title, ...chain, command, insisted],
    queryFn: () => run({ preview: true, why: needsWhy ? why || "preview" : why }, insisted),
    gcTime: 0,
    staleTime: Infinity,
    retry: false,
  });
  const done = useMutation({
    mutationFn: () => run({ preview: false, why, key: `${key}-${insisted}`, proposal: seen.data?.proposal, said: seen.data?.waits ? { ...said } : {} }, insisted),
    onSuccess: async (answer) => {
      await refreshed(queryClient);
      if (answer.waits) navigate(`/waiting/${answer.waits.request}`);
      else onDone?.(answer);
      onClose();
    },
    onError: (error) => void (isStale(error) && seen.refetch()), // what was shown is over: look again
  });
  const inUse = seen.error instanceof Problem && seen.error.document.suggestions?.includes("despite_use: true");
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <DialogTitle>{title}</DialogTitle>
      <DialogContent>
        <Stack sx={{ gap: 1.5 }}>
          <Chain steps={chain} />
          {seen.isPending && <Loading what="what would be done" />}
          {seen.data && describe?.(seen.data.result)}
          {seen.data?.notes.map((note) => (
            <Alert key={note} severity="warning">
              {note}
            </Alert>
          ))}
          {seen.data?.waits && <WaitsNote waits={seen.data.waits} said={said} onChange={setSaid} />}
          <ProblemAlert error={done.error ?? seen.error} />
          {insist && (inUse || insisted) && (
            <FormControlLabel control={<Checkbox checked={insisted} onChange={(event) => setInsisted(event.target.checked)} />} label={insist} />
          )}
          {seen.data && (
            <TextField label={needsWhy ? "Reason" : "Reason (optional)"} value={why} required={needsWhy} onChange={(event) => setWhy(event.target.value)} />
          )}
          <CommandLine text={command + (insisted ? " --despite-use" : "") + (why ? ` --why '${why.replaceAll("'", "")}'` : "") + saidInCommand(said)} />
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" disabled={!seen.data || done.isPending || (needsWhy && !why.trim())} onClick={() => done.mutate()}>
          {seen.data?.waits ? "Ask for it" : title}
        </Button>
      </DialogActions>
    </Dialog>
  );
}

/** Whose it is: realm › pool › … */
export function Chain({ steps }: { steps: string[] }) {
  return (
    <Stack direction="row" component="p" sx={{ flexWrap: "wrap", gap: 0.75, m: 0, fontWeight: 600 }}>
      {steps.map((step, n) => (
        <span key={n}>
          {n > 0 && <span aria-hidden="true">› </span>}
          {step}
        </span>
      ))}
    </Stack>
  );
}
