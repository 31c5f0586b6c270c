// Tables that were brought in, or are about to be; and the way in for another one.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link as RouterLink, useNavigate } from "react-router";
import { Listed, ProblemAlert } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped, shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { EstateCard } from "./EstateCard";
import { OUTCOMES, TABLES, upload, useIntakes, type Intake } from "./queries";

export function IntakesPage() {
  useTitle("Bring in");
  const { filters, set } = useFilters();
  const intakes = useIntakes({ limit: "50", ...filters });
  const mayBring = useMay("planner");
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Bring in</Typography>
      <Typography color="text.secondary">Old spreadsheets, looked at row by row before anything changes: committed whole or by the good rows, and taken back while nobody has built on them.</Typography>
      {mayBring && <Upload />}
      <Card>
        <Listed query={intakes} rows={(page) => page.results} empty="No table was brought in yet.">
          {(rows) => (
            <RecordTable
              label="Intakes"
              rows={rows}
              columns={[
                { head: "File", cell: (row) => <Link component={RouterLink} to={`/intakes/${row.id}`}>{row.name}</Link> },
                { head: "Of", cell: (row) => row.table },
                { head: "State", cell: (row) => (row.stage ? `${row.state}, ${row.stage}` : row.state) },
                { head: "Rows", cell: (row) => inWords(row.counts) || "—" },
                { head: "By", cell: (row) => row.person?.name ?? "—" },
                { head: "Uploaded", cell: (row) => shortTime(row.created_at) },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={intakes.data} address="intakes" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text="lentra intake list" />
      {mayBring && <EstateCard />}
    </Stack>
  );
}

/** Rows by outcome, in words. */
export function inWords(counts: Intake["counts"]): string {
  return OUTCOMES.filter(([outcome]) => counts[outcome])
    .map(([outcome, words]) => `${grouped(counts[outcome]!)} ${words.toLowerCase()}`)
    .join(", ");
}

function Upload() {
  const [file, setFile] = useState<File | null>(null);
  const [table, setTable] = useState("subnets");
  const [realm, setRealm] = useState("");
  const navigate = useNavigate();
  const queryClient = useQueryClient();
  const options = realm ? { realm } : {};
  const sent = useMutation({
    mutationFn: () => upload(file!, table, options),
    onSuccess: async (answer) => {
      await queryClient.invalidateQueries({ queryKey: ["intakes"] });
      navigate(`/intakes/${answer.result.id}`);
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (file) sent.mutate();
  };
  return (
    <Card component="form" aria-label="A table" onSubmit={submit} sx={{ p: 2, display: "flex", flexDirection: "column", gap: 1.5 }}>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <Button component="label" role={undefined} tabIndex={-1} variant="outlined">
          {file ? file.name : "Choose a file: .csv, .xlsx, .jsonl"}
          <input type="file" aria-label="Table file" accept=".csv,.tsv,.txt,.xlsx,.jsonl,.ndjson" onChange={(event) => setFile(event.target.files?.[0] ?? null)} style={{ position: "absolute", width: 1, height: 1, opacity: 0 }} />
        </Button>
        <Choice label="Table of" value={table} choices={TABLES} onChange={setTable} width={170} />
        {table === "subnets" && <RefSelect kind="realms" label="Realm" value={realm} onChange={setRealm} none="as the rows say" />}
        <Button type="submit" variant="contained" disabled={!file || sent.isPending}>
          {sent.isPending ? "Uploading…" : "Look at it"}
        </Button>
      </Stack>
      <ProblemAlert error={sent.error} />
      <CommandLine text={commandLine(["intake", "preview", file?.name ?? "FILE"], { ...(table === "subnets" ? {} : { table }), ...options })} />
    </Card>
  );
}
