// Moves to other addresses: those that are under way, and what one would come to.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, useNavigate } from "react-router";
import { Listed, ProblemAlert } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { StateChip } from "../parts/states";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { OldBesideNew } from "./OldBesideNew";
import { FIELDS, says, start, usePreview, useRenumberings, type Started, type Wanted } from "./queries";

const WAVES = [
  ["", "all at once"],
  ["zone", "a wave for each zone"],
  ["tier", "a wave for each tier"],
] as const;

export function RenumberingsPage() {
  useTitle("Renumbering");
  const { filters, set } = useFilters();
  const listed = { limit: "50", ...("cursor" in filters ? { cursor: filters["cursor"]! } : {}) };
  const there = useRenumberings(listed);
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Renumbering</Typography>
      <Typography color="text.secondary">Many subnets on their way to other addresses. Both sides live until the last host has moved.</Typography>
      <Card>
        <Listed query={there} rows={(page) => page.results} empty="Nothing is on its way.">
          {(rows) => (
            <RecordTable
              label="Renumberings"
              rows={rows}
              columns={[
                { head: "Name", cell: (row) => <Link component={RouterLink} to={`/renumberings/${row.id}`}>{row.name}</Link> },
                { head: "Realm", cell: (row) => row.realm.name },
                { head: "State", cell: (row) => <StateChip state={row.state} /> },
                { head: "From", cell: (row) => <Mono>{row.source}</Mono> },
                { head: "To", cell: (row) => <Mono>{row.target}</Mono> },
                { head: "To be done by", cell: (row) => row.by ?? "—" },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={there.data} address="renumberings" query={listed} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <Plan filters={filters} set={set} />
    </Stack>
  );
}

/** What is to move, and what it would come to. */
function Plan({ filters, set }: { filters: Record<string, string>; set: (name: string, value: string) => void }) {
  const planner = useMay("planner");
  const navigate = useNavigate();
  const wanted = Object.fromEntries(FIELDS.map((name) => [name, filters[name] ?? ""])) as unknown as Wanted;
  const seen = usePreview(wanted);
  const [starting, setStarting] = useState(false);
  if (!planner) return null;
  const text = (name: keyof Wanted, label: string) => <TextFilter label={label} value={wanted[name]} onChange={(value) => set(name, value)} />;
  return (
    <>
      <Typography variant="h2">What would move</Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <RefSelect kind="pools" label="All of a pool" value={wanted.from_pool} onChange={(value) => set("from_pool", value)} />
        {text("from_ranges", "or ranges")}
        <RefSelect kind="plans" label="or a plan" value={wanted.from_plan} onChange={(value) => set("from_plan", value)} />
        {text("from_subnets", "or subnets, by name")}
        {wanted.from_pool && text("clear", "only a stretch of length")}
      </Stack>
      <Typography variant="h2">Where to</Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <RefSelect kind="pools" label="To a pool" value={wanted.to_pool} onChange={(value) => set("to_pool", value)} none="stay in their pools" />
        {text("to_ranges", "or ranges of pools")}
        {text("length_v4", "New IPv4 length")}
        {text("length_v6", "New IPv6 length")}
        {wanted.from_ranges && text("realm", "Realm of the ranges")}
      </Stack>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <Choice label="Handed out" value={wanted.waves} choices={WAVES} onChange={(value) => set("waves", value)} width={200} />
        <TextFilter label="To be done by" type="date" value={wanted.by} onChange={(value) => set("by", value)} />
        <FormControlLabel control={<Checkbox checked={wanted.vacate === "yes"} onChange={(event) => set("vacate", event.target.checked ? "yes" : "")} />} label="Hand out nothing of the old ranges any more" />
        {text("name", "Name of the renumbering")}
        <Button variant="contained" disabled={!seen.data || !!seen.error || !wanted.name} onClick={() => setStarting(true)}>
          Start it
        </Button>
      </Stack>
      {!says(wanted) && <Alert severity="info">Say what moves: one of a pool, ranges, a plan, or subnets. Nothing is changed by looking.</Alert>}
      {says(wanted) && <ProblemAlert error={seen.error} onTake={(field, value) => ((FIELDS as readonly string[]).includes(field) ? () => set(field, value) : undefined)} />}
      {says(wanted) && seen.data && !seen.error && (
        <>
          {seen.data.notes.map((note) => (
            <Alert key={note} severity="warning">
              {note}
            </Alert>
          ))}
          <OldBesideNew made={seen.data.result} />
        </>
      )}
      <CommandLine text={command("preview", wanted)} />
      {starting && (
        <ConfirmChange<Started>
          title="Start the renumbering"
          chain={[seen.data?.result.realm.name ?? "", wanted.name]}
          command={command("start", wanted)}
          run={(how) => start(wanted, how)}
          describe={(made) => `${made.moves.length} subnets and reservations go from ${made.source} to ${made.target}${wanted.waves ? ", wave by wave: the new side is held until then" : ", all at once"}.`}
          onClose={() => setStarting(false)}
          onDone={(answer) => navigate(`/renumberings/${answer.result.id}`)}
        />
      )}
    </>
  );
}

/** The command that looks at it, or starts it. */
function command(verb: string, wanted: Wanted): string {
  const { from_pool, from_ranges, from_plan, from_subnets, to_pool, to_ranges, clear, vacate, ...rest } = wanted;
  const more = Object.fromEntries(Object.entries(rest).filter(([, value]) => value !== ""));
  const to = to_pool || to_ranges;
  if (clear && from_pool) return commandLine(["vacate"], { pool: from_pool, length: clear, ...(to ? { to } : {}), ...more, ...(verb === "preview" ? { preview: true } : {}) });
  const from = from_pool || from_ranges || from_plan || from_subnets || "POOL";
  return commandLine(["renumber", verb], { from, ...(to ? { to } : {}), ...more, ...(vacate ? { vacate: true } : {}) });
}
