import Alert from "@mui/material/Alert";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped, shellWord } from "../parts/text";
import { AsPlan } from "./AsPlan";
import { needsOf } from "./needs";
import { Inputs, SheetSelect } from "./parts";
import { useWorkedOutFrom, type Packed } from "./queries";

export function SeveralForm() {
  const [text, setText] = useState("data 700\napp 250\nedge 110\nops 20\nlink /29");
  const [inside, setInside] = useState("");
  const [sheet, setSheet] = useState("");
  const [realm, setRealm] = useState("");
  const { needs, odd } = needsOf(text);
  const body = { needs, ...(inside ? { inside } : {}), ...(inside && realm ? { realm } : {}), ...(sheet ? { sheet } : {}) };
  const packed = useWorkedOutFrom<Packed>("size/several", body, needs.length > 0 && odd.length === 0);
  return (
    <Stack sx={{ gap: 2 }}>
      <Inputs>
        <TextField
          label="Subnets, one a line"
          multiline
          minRows={5}
          value={text}
          onChange={(event) => setText(event.target.value)}
          helperText="name and hosts, with growth (+10) if you like; or name and /length"
          sx={{ minWidth: 320 }}
        />
        <Stack sx={{ gap: 2 }}>
          <TextField label="Pack them into" value={inside} onChange={(event) => setInside(event.target.value)} placeholder="10.40.128.0/21" />
          <RefSelect kind="realms" label="What is free in" value={realm} onChange={setRealm} none="not asked" />
          <SheetSelect value={sheet} onChange={setSheet} />
        </Stack>
      </Inputs>
      {odd.length > 0 && (
        <Alert severity="warning">
          Not read: {odd.map((line) => `“${line}”`).join(", ")}. Write a name and a whole number without separators, such as: app 1200, or app 250 +10, or link /29.
        </Alert>
      )}
      <ProblemAlert error={packed.error} />
      {packed.data && !packed.error && (
        <>
          <RecordTable
            label="Largest first"
            rows={packed.data.sized.map((row) => ({ ...row, id: row.name }))}
            columns={[
              { head: "Name", cell: (row) => row.name },
              { head: "Block", cell: (row) => <Mono>{row.block ?? `/${row.size.length}`}</Mono> },
              { head: "First to last usable", cell: (row) => (row.bounds?.first_usable ? <Mono>{`${row.bounds.first_usable} to ${row.bounds.last_usable}`}</Mono> : "—") },
              { head: "Usable", right: true, cell: (row) => grouped(row.size.usable) },
              { head: "Needed", right: true, cell: (row) => grouped(row.size.needed) },
              { head: "Spare", right: true, cell: (row) => grouped(row.size.spare) },
              { head: "Why not smaller", cell: (row) => row.size.why_not_smaller },
            ]}
          />
          <Typography>
            {grouped(packed.data.total)} addresses in all; a {packed.data.least} holds them.
            {packed.data.left_over !== null && (
              <>
                {" "}
                Left over: <Mono>{packed.data.left.join("  ") || "nothing"}</Mono> = {grouped(packed.data.left_over)} addresses.
              </>
            )}
          </Typography>
        </>
      )}
      {needs.length > 0 && odd.length === 0 && <AsPlan needs={needs} sheet={sheet} />}
      <CommandLine
        text={["lentra pack", ...needs.map((need) => shellWord(`${need.name}=${need.length ? `/${need.length}` : `${need.hosts}${need.growth ? `+${need.growth}` : ""}`}`)), ...(inside ? [`--inside ${inside}`] : []), ...(inside && realm ? [`--realm ${realm}`] : [])].join(" ")}
      />
    </Stack>
  );
}
