import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped } from "../parts/text";
import { Inputs } from "./parts";
import { useWorkedOutFrom, type Checked } from "./queries";

const MOST_SHOWN = 500;
const COLOURS: Record<string, "success" | "warning" | "error" | "default"> = { unknown: "success", "ours, free": "warning", contains: "warning", overlaps: "error", inside: "error", equal: "error" };

/** A list of ranges, pasted or from a file, beside all that is known. */
export function CheckRanges() {
  const [realm, setRealm] = useState("");
  const [text, setText] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const checked = useWorkedOutFrom<Checked[]>("check-ranges", { text, ...(realm ? { realms: [realm] } : {}) }, text.trim() !== "");
  const counts = new Map<string, number>();
  for (const row of checked.data ?? []) counts.set(row.how, (counts.get(row.how) ?? 0) + 1);
  return (
    <Stack sx={{ gap: 2 }}>
      <Inputs>
        <RefSelect kind="realms" label="Realm" value={realm} onChange={setRealm} none="all" />
        <Button variant="outlined" sx={{ height: 40 }} onClick={() => file.current?.click()}>
          From a file
        </Button>
        <input
          ref={file}
          type="file"
          accept=".txt,.csv,text/*"
          hidden
          aria-label="File with ranges"
          onChange={(event) => {
            void event.target.files?.[0]?.text().then(setText);
          }}
        />
      </Inputs>
      <TextField
        label="Ranges, one a line"
        multiline
        minRows={5}
        value={text}
        onChange={(event) => setText(event.target.value)}
        placeholder={"10.40.64.0/24\n10.44.3.0/24\n172.16.0.10-172.16.0.40"}
      />
      <ProblemAlert error={checked.error} />
      {checked.data && !checked.error && (
        <Typography>
          {[...counts].map(([how, count]) => `${grouped(String(count))} ${how}`).join(", ")}
          {checked.data.length > MOST_SHOWN && `; the first ${MOST_SHOWN} are shown here, the command line tells all`}
        </Typography>
      )}
      {checked.data && !checked.error && (
        <RecordTable
          label="Checked ranges"
          rows={checked.data.slice(0, MOST_SHOWN).map((row, n) => ({ ...row, id: n }))}
          columns={[
            { head: "Line", right: true, cell: (row) => row.line },
            { head: "Range", cell: (row) => <Mono>{row.range ?? row.text}</Mono> },
            { head: "How", cell: (row) => <Chip size="small" variant="outlined" label={row.how} color={COLOURS[row.how] ?? "default"} /> },
            { head: "Pool around it", cell: (row) => row.pool?.name ?? "—" },
            { head: "What it meets", cell: (row) => row.why },
            { head: "Beside it", cell: (row) => row.name || "—" },
          ]}
        />
      )}
      <CommandLine text={`lentra check ${realm ? `--realm ${realm} ` : ""}--file ranges.txt`} />
    </Stack>
  );
}
