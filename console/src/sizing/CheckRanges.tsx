import Button from "@mui/material/Button";
import Chip from "@mui/material/Chip";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useRef, useState } from "react";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { Inputs } from "./parts";
import { useWorkedOutFrom, type Checked } from "./queries";

const COLOURS: Record<string, "success" | "warning" | "error" | "default"> = { free: "success", contains: "warning", overlaps: "error", inside: "error", equal: "error" };

/** A list of ranges, pasted or from a file, beside all that is known. */
export function CheckRanges() {
  const [realm, setRealm] = useState("");
  const [text, setText] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const checked = useWorkedOutFrom<Checked[]>("check-ranges", { realm, text }, realm !== "" && text.trim() !== "");
  return (
    <Stack sx={{ gap: 2 }}>
      <Inputs>
        <RefSelect kind="realms" label="Realm" value={realm} onChange={setRealm} required />
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
        <RecordTable
          label="Checked ranges"
          rows={checked.data.map((row, n) => ({ ...row, id: n }))}
          columns={[
            { head: "Range", cell: (row) => <Mono>{row.range ?? row.text}</Mono> },
            { head: "How", cell: (row) => <Chip size="small" variant="outlined" label={row.how} color={COLOURS[row.how] ?? "default"} /> },
            { head: "Pool around it", cell: (row) => row.pool?.name ?? "—" },
            { head: "What it meets", cell: (row) => row.why },
          ]}
        />
      )}
      <CommandLine text={`lentra check --realm ${realm || "…"} --file ranges.txt`} />
    </Stack>
  );
}
