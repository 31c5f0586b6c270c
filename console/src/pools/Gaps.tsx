// The gaps of a pool: every run of free space, with what lies on both sides; opened on request.
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState } from "react";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import { useGaps, type Pool } from "./queries";

export function Gaps({ pool }: { pool: Pool }) {
  const [open, setOpen] = useState(false);
  return (
    <Card component="details" sx={{ p: 2 }} onToggle={(event) => setOpen(event.currentTarget.hasAttribute("open"))}>
      <summary>
        <h2 style={{ display: "inline", font: "inherit", fontWeight: 600 }}>Gaps</h2>: every run of free space
      </summary>
      {open && <GapsOpen pool={pool} />}
    </Card>
  );
}

function GapsOpen({ pool }: { pool: Pool }) {
  const families = [...new Set(pool.ranges.map((range) => (range.includes(":") ? "6" : "4")))];
  const [family, setFamily] = useState(families[0] ?? "4");
  const [length, setLength] = useState("");
  const [cursor, setCursor] = useState("");
  const asked = { family, ...(length ? { length } : {}) };
  const gaps = useGaps(pool.id, cursor ? { ...asked, cursor } : asked);
  return (
    <Stack sx={{ gap: 1.5, pt: 2 }}>
      <Stack direction="row" role="search" aria-label="Which gaps" sx={{ gap: 2 }}>
        {families.length > 1 && (
          <Choice label="Family" value={family} choices={families.map((one) => [one, `IPv${one}`] as const)} onChange={(value) => (setFamily(value), setCursor(""))} width={110} />
        )}
        <TextField label="Where this length fits" type="number" value={length} onChange={(event) => (setLength(event.target.value), setCursor(""))} sx={{ width: 190 }} />
      </Stack>
      <Listed query={gaps} rows={(page) => page.results} empty="Nothing is free there.">
        {(rows) => (
          <RecordTable
            label="Gaps"
            rows={rows.map((row) => ({ ...row, id: row.first }))}
            columns={[
              { head: "Range", cell: (row) => <Mono>{row.range}</Mono> },
              { head: "Addresses", right: true, cell: (row) => grouped(row.addresses) },
              { head: "Largest block", cell: (row) => row.largest },
              { head: "Before it", cell: (row) => side(row.before) },
              { head: "After it", cell: (row) => side(row.after) },
            ]}
          />
        )}
      </Listed>
      <PageTurner page={gaps.data} cursor={cursor} onTurn={setCursor} address={`pools/${pool.id}/gaps`} query={asked} />
      <CommandLine text={commandLine(["pool", "gaps", pool.name], length ? asked : families.length > 1 ? { family } : {})} />
    </Stack>
  );
}

function side(near: { range: string; owner?: string | undefined; state: string } | null) {
  return near ? (
    <>
      <Mono>{near.range}</Mono> {near.owner ?? near.state}
    </>
  ) : (
    "edge of the range"
  );
}
