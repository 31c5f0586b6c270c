import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { grouped, shellWord } from "../parts/text";
import { Inputs, SheetSelect } from "./parts";
import { useWorkedOutFrom, type Packed } from "./queries";

interface Need {
  name: string;
  hosts?: number;
  growth?: number;
  length?: number;
}

/** Lines such as "data 700", "app 110 +10" or "link /29". */
function needsOf(text: string): Need[] {
  return text
    .split("\n")
    .map((line) => line.trim().split(/[\s=]+/))
    .filter((words) => words.length > 1 && words[0] !== "")
    .map(([name = "", amount = "", more = ""]) => {
      if (amount.startsWith("/")) return { name, length: Number(amount.slice(1)) };
      const growth = Number((more || amount.split("+")[1] || "").replace(/[+%]/g, ""));
      return { name, hosts: Number.parseInt(amount, 10) || 0, ...(growth ? { growth } : {}) };
    });
}

export function SeveralForm() {
  const [text, setText] = useState("data 700\napp 250\nedge 110\nops 20\nlink /29");
  const [inside, setInside] = useState("");
  const [sheet, setSheet] = useState("");
  const needs = needsOf(text);
  const body = { needs, ...(inside ? { inside } : {}), ...(sheet ? { sheet } : {}) };
  const packed = useWorkedOutFrom<Packed>("size/several", body, needs.length > 0);
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
          <SheetSelect value={sheet} onChange={setSheet} />
        </Stack>
      </Inputs>
      <ProblemAlert error={packed.error} />
      {packed.data && !packed.error && (
        <>
          <RecordTable
            label="Largest first"
            rows={packed.data.sized.map((row) => ({ ...row, id: row.name }))}
            columns={[
              { head: "Name", cell: (row) => row.name },
              { head: "Block", cell: (row) => <Mono>{row.block ?? `/${row.size.length}`}</Mono> },
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
      <CommandLine
        text={["lentra pack", ...needs.map((need) => shellWord(`${need.name}=${need.length ? `/${need.length}` : `${need.hosts}${need.growth ? `+${need.growth}` : ""}`}`)), ...(inside ? [`--inside ${inside}`] : [])].join(" ")}
      />
    </Stack>
  );
}
