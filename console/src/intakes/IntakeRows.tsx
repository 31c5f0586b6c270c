// What becomes of the rows, by outcome; a cell that is at fault is put right in its place.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable, type Column } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import { OUTCOMES, useIntakeRows, type Intake, type IntakeRow } from "./queries";

type Shown = IntakeRow & { id: number };
/** A cell of one row that is put right, or what a field's value means in every row. */
export type Righted = { row: number; cells: Record<string, string> } | { field: string; was: string; meant: string };
type OnRight = (what: Righted) => void;
// What would work, where that is something to tick on this page.
const WAYS: Record<string, string> = { "make_missing: true": "making what is missing", "outer: pools": "making it a pool", "good_rows: true": "the good rows alone" };

export function IntakeRows({ intake, editable, onRight }: { intake: Intake; editable: boolean; onRight: OnRight }) {
  const there = OUTCOMES.filter(([outcome]) => intake.counts[outcome]);
  const [chosen, setChosen] = useState("");
  const [cursor, setCursor] = useState("");
  const outcome = there.some(([one]) => one === chosen) ? chosen : (there[0]?.[0] ?? "");
  const rows = useIntakeRows(intake.id, outcome, cursor, `${intake.version} ${intake.proposal}`);
  return (
    <Card>
      <Tabs value={outcome} onChange={(_, next: string) => (setChosen(next), setCursor(""))} aria-label="Rows by outcome" variant="scrollable">
        {there.map(([one, words]) => (
          <Tab key={one} value={one} label={`${words}: ${grouped(intake.counts[one]!)}`} />
        ))}
      </Tabs>
      <Listed query={rows} rows={(page) => page.results} empty="No row is so any more.">
        {(found) => <RecordTable<Shown> label="Rows" rows={found.map((row) => ({ ...row, id: row.number }))} columns={columns(intake, outcome, editable, onRight)} />}
      </Listed>
      <Stack direction="row" sx={{ gap: 2, alignItems: "center" }}>
        <PageTurner page={rows.data} cursor={cursor} onTurn={setCursor} />
        {outcome === "refused" &&
          ["csv", "xlsx", "jsonl"].map((form) => (
            <Button key={form} size="small" component="a" href={`/api/v1/intakes/${intake.id}/left?as=${form}`} download>
              Download these as {form.toUpperCase()}
            </Button>
          ))}
      </Stack>
    </Card>
  );
}

function columns(intake: Intake, outcome: string, editable: boolean, onRight: OnRight): Column<Shown>[] {
  const number: Column<Shown> = { head: "Row", right: true, cell: (row) => row.number };
  const text = (name: string, head: string): Column<Shown> => ({ head, cell: (row) => String(row.told[name] ?? "") || "—" });
  if (outcome === "refused")
    return [
      number,
      { head: "What it says", cell: (row) => Object.values(row.cells).slice(0, 6).map(String).join(" · ") },
      { head: "Why not", cell: (row) => <Why row={row} /> },
      { head: "", label: "Put right", cell: (row) => editable && <PutRight intake={intake} row={row} onRight={onRight} /> },
    ];
  const prefix: Column<Shown> = { head: "Range", cell: (row) => <Mono>{String(row.told["prefix"] ?? row.told["address"] ?? "—")}</Mono> };
  const name: Column<Shown> = { head: "Name", cell: (row) => (row.told["id"] && intake.table === "subnets" && !row.told["becomes"] ? <Link component={RouterLink} to={`/subnets/${row.told["id"]}`}>{String(row.told["name"])}</Link> : String(row.told["name"] ?? "—")) };
  if (outcome === "differs") return [number, prefix, name, { head: "What differs", cell: (row) => <Differs row={row} /> }];
  if (intake.table !== "subnets") return [number, prefix, name, { head: "Says", cell: (row) => Object.entries(row.told).filter(([field]) => !["prefix", "name", "id", "address"].includes(field)).map(([field, value]) => `${field} ${String(value)}`).join(", ") }];
  return [number, prefix, name, text("pool", "Pool"), text("project", "Project"), text("zone", "Zone"), text("tier", "Tier"), text("tag", "Tag")];
}

function Why({ row }: { row: IntakeRow }) {
  return (
    <>
      {row.told.message}
      {row.told.suggestions?.length ? <Typography variant="body2" color="text.secondary">Would work: {row.told.suggestions.map((way) => WAYS[way] ?? way).join(", ")}</Typography> : null}
    </>
  );
}

function Differs({ row }: { row: IntakeRow }) {
  return Object.entries(row.told.differs ?? {}).map(([field, [was, now]]) => (
    <div key={field}>
      {field}: {was || "none"} → {now || "none"}
    </div>
  ));
}

/** The cell that a refusal is about: written anew, here or wherever the column says the same; the table is looked at again. */
function PutRight({ intake, row, onRight }: { intake: Intake; row: IntakeRow; onRight: OnRight }) {
  const column = intake.columns.find((one) => one.field && one.field === row.told.field) ?? intake.columns[0];
  const heading = column?.heading ?? "";
  const [text, setText] = useState<string | null>(null);
  const [everywhere, setEverywhere] = useState(false);
  const was = String(row.cells[heading] ?? "");
  if (text === null)
    return (
      <Button size="small" aria-label={`Put row ${row.number} right`} onClick={() => setText(was)}>
        Put right
      </Button>
    );
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onRight(everywhere && column ? { field: column.field, was, meant: text } : { row: row.number, cells: { [heading]: text } });
    setText(null);
  };
  return (
    <Stack component="form" sx={{ gap: 0.5 }} onSubmit={submit}>
      <Stack direction="row" sx={{ gap: 1 }}>
        <TextField autoFocus label={heading} value={text} onChange={(event) => setText(event.target.value)} sx={{ minWidth: 180 }} />
        <Button type="submit" size="small">
          Look again
        </Button>
      </Stack>
      {was !== "" && column?.field && <FormControlLabel control={<Checkbox size="small" checked={everywhere} onChange={(event) => setEverywhere(event.target.checked)} />} label={`wherever it says ${was}`} />}
    </Stack>
  );
}
