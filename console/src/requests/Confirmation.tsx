import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import type { Answer } from "../api/client";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { amount } from "../parts/text";
import { NOTHING_SAID, WaitsNote, type Said } from "../parts/Waits";
import type { HandedOut } from "./queries";

/** Exactly what will be handed out: realm, pool, block, usable hosts and name. */
export function Confirmation({ answer, busy, onConfirm }: { answer: Answer<HandedOut>; busy: boolean; onConfirm: (why: string, said: Said) => void }) {
  const [why, setWhy] = useState("");
  const [said, setSaid] = useState(NOTHING_SAID);
  return (
    <Stack sx={{ gap: 1.5 }}>
      <RecordTable
        label="Proposal"
        rows={answer.result.subnets.flatMap((subnet) => subnet.blocks.map((block) => ({ ...block, id: block.prefix, subnet })))}
        columns={[
          { head: "Realm › pool", cell: (row) => `${row.subnet.realm.name} › ${row.subnet.pool.name}` },
          { head: "Block", cell: (row) => <Mono>{row.prefix}</Mono> },
          { head: "Usable hosts", right: true, cell: (row) => amount(row, row.usable) },
          { head: "Name", cell: (row) => row.subnet.name },
        ]}
      />
      <span>Why there: {[...new Set(answer.result.why)].slice(0, 3).join("; ")}.</span>
      {answer.notes.map((note) => (
        <Alert key={note} severity="warning">
          {note}
        </Alert>
      ))}
      {answer.waits && <WaitsNote waits={answer.waits} said={said} onChange={setSaid} />}
      <Stack direction="row" sx={{ gap: 2 }}>
        <TextField label={answer.waits ? "Reason" : "Reason (optional)"} value={why} onChange={(event) => setWhy(event.target.value)} sx={{ minWidth: 320 }} />
        <Button variant="contained" disabled={busy} onClick={() => onConfirm(why, said)}>
          {answer.waits ? "Ask for it" : "Hand it out"}
        </Button>
      </Stack>
    </Stack>
  );
}
