// Doing the same with several subnets: each is looked at first, and what is possible is done by what was shown.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Problem, type Answer, type How } from "../api/client";
import { refreshed } from "../api/refreshing";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { RecordTable } from "../parts/RecordTable";
import { editSubnet, release, type Subnet } from "./queries";

export type BulkAct = "release" | "label";
const TITLES = { release: "Give back", label: "Add a label" };

interface Line {
  subnet: Subnet;
  proposal?: string | null;
  says: string;
  state: "possible" | "refused" | "done";
}

export function Bulk({ act, subnets, onClose }: { act: BulkAct; subnets: Subnet[]; onClose: () => void }) {
  const [label, setLabel] = useState("");
  const [why, setWhy] = useState("");
  const [lines, setLines] = useState<Line[]>([]);
  const queryClient = useQueryClient();
  const [name, value] = [label.slice(0, label.indexOf("=")).trim(), label.slice(label.indexOf("=") + 1).trim()];
  const said = act === "release" || (label.includes("=") && name !== "");
  const run = (subnet: Subnet, how: How): Promise<Answer<unknown>> =>
    act === "release"
      ? release(subnet, { at_once: false, despite_use: false }, how)
      : editSubnet(subnet, { labels: { ...subnet.labels, [name]: value } }, how);
  const each = async (work: (subnet: Subnet) => Promise<Line>, among: Subnet[]) => {
    for (const subnet of among) {
      const line = await work(subnet).catch((failure: unknown) => ({ subnet, says: messageOf(failure), state: "refused" as const }));
      setLines((known) => [...known.filter((one) => one.subnet.id !== subnet.id), line]);
    }
  };
  const look = useMutation({
    mutationFn: async () => {
      setLines([]);
      await each(async (subnet) => {
        const answer = await run(subnet, { preview: true, why });
        return { subnet, proposal: answer.proposal, says: answer.notes.join(" "), state: "possible" };
      }, subnets);
    },
  });
  const possible = lines.filter((line) => line.state === "possible");
  const done = useMutation({
    mutationFn: async () => {
      await each(
        async (subnet) => {
          await run(subnet, { preview: false, why, proposal: possible.find((line) => line.subnet.id === subnet.id)?.proposal });
          return { subnet, says: "", state: "done" };
        },
        possible.map((line) => line.subnet),
      );
      await refreshed(queryClient);
    },
  });
  const busy = look.isPending || done.isPending;
  const seen = !look.isPending && lines.length > 0;
  return (
    <Dialog open onClose={busy ? undefined : onClose} fullWidth maxWidth="md">
      <DialogTitle>
        {TITLES[act]}: {subnets.length} subnets
      </DialogTitle>
      <DialogContent>
        <Stack sx={{ gap: 1.5, pt: 1 }}>
          {act === "label" && <TextField label="Label (key=value)" value={label} onChange={(event) => (setLabel(event.target.value), setLines([]))} required />}
          <TextField label="Reason (optional)" value={why} onChange={(event) => setWhy(event.target.value)} />
          {busy && <LinearProgress aria-label="Progress" variant="determinate" value={(100 * lines.filter((line) => !done.isPending || line.state !== "possible").length) / subnets.length} />}
          {done.isSuccess && <Alert severity="success">{lines.filter((line) => line.state === "done").length} of {subnets.length} are done.</Alert>}
          {lines.length > 0 && (
            <RecordTable
              label="What becomes of each"
              rows={subnets.flatMap((subnet) => lines.filter((line) => line.subnet.id === subnet.id)).map((line) => ({ ...line, id: line.subnet.id }))}
              columns={[
                { head: "Subnet", cell: (line) => `${line.subnet.pool.name} › ${line.subnet.name}` },
                { head: "State", cell: (line) => line.state },
                { head: "What", cell: (line) => line.says },
              ]}
            />
          )}
          {said && <CommandLine text={commandOf(act, subnets, name, value)} />}
        </Stack>
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose} disabled={busy}>
          {done.isSuccess ? "Close" : "Leave it"}
        </Button>
        {!done.isSuccess && (
          <Button variant={seen ? "text" : "contained"} disabled={busy || !said} onClick={() => look.mutate()}>
            Look at each
          </Button>
        )}
        {seen && !done.isSuccess && (
          <Button variant="contained" disabled={busy || possible.length === 0} onClick={() => done.mutate()}>
            Do it for {possible.length}
          </Button>
        )}
      </DialogActions>
    </Dialog>
  );
}

function messageOf(failure: unknown): string {
  return failure instanceof Problem ? failure.document.detail : String(failure);
}

function commandOf(act: BulkAct, subnets: Subnet[], name: string, value: string): string {
  if (act === "release") return commandLine(["release", ...subnets.map((subnet) => subnet.id)]);
  return subnets.map((subnet) => commandLine(["edit", subnet.id], { labels: { ...subnet.labels, [name]: value } })).join("\n");
}
