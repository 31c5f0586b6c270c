// One intake: what its columns mean, what becomes of its rows, how far the service is; then commit, or take back.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import LinearProgress from "@mui/material/LinearProgress";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { useParams } from "react-router";
import type { How } from "../api/client";
import { refreshed } from "../api/refreshing";
import { ProblemAlert, Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { ConfirmChange } from "../parts/ConfirmChange";
import { RecordTable } from "../parts/RecordTable";
import { counted, grouped, percent, shortTime } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { IntakeColumns } from "./IntakeColumns";
import { IntakeRows } from "./IntakeRows";
import { inWords } from "./IntakesPage";
import { act, commit, edit, useIntake, type Intake, type Options } from "./queries";

export function IntakePage() {
  const { id = "" } = useParams();
  const intake = useIntake(id);
  useTitle(intake.data?.name ?? "Bring in");
  return (
    <Shown query={intake} what="the table">
      {(data) => <IntakeView intake={data} />}
    </Shown>
  );
}

const FLAGS: [string, Partial<Options>, string][] = [
  ["outer", { outer: "pools" }, "A row that contains others becomes a pool"],
  ["make_missing", { make_missing: true }, "Make regions, zones, tiers and projects that there are not"],
  ["update", { update: true }, "Take over facts that differ"],
];

/** The options with what a value of a field means. */
function translated(options: Options, { field, was, meant }: { field: string; was: string; meant: string }): Partial<Options> {
  return { ...options, values: { ...options.values, [field]: { ...options.values?.[field], [was]: meant } } };
}

/** The options with one of them said, or taken back. */
function withFlag(options: Options, name: string, said: Partial<Options>, on: boolean): Partial<Options> {
  const others = Object.fromEntries(Object.entries(options).filter(([one]) => one !== name)) as Partial<Options>;
  return on ? { ...others, ...said } : others;
}

function IntakeView({ intake }: { intake: Intake }) {
  const queryClient = useQueryClient();
  const mayBring = useMay("planner");
  const working = intake.stage !== "";
  const was = useRef(working);
  useEffect(() => {
    if (was.current && !working) void refreshed(queryClient); // what it has made is shown elsewhere as well
    was.current = working;
  }, [working, queryClient]);
  const edited = useMutation({
    mutationFn: (what: Parameters<typeof edit>[1]) => edit(intake.id, what),
    onSettled: () => queryClient.invalidateQueries({ queryKey: ["intakes"] }),
  });
  const may = mayBring && intake.state === "open" && !working;
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "baseline", flexWrap: "wrap" }}>
        <Typography variant="h1">{intake.name}</Typography>
        <Typography color="text.secondary" sx={{ flexGrow: 1 }}>
          {intake.table} · {intake.state} · {intake.told || `${grouped(intake.size)} bytes`} · uploaded by {intake.person?.name ?? "lentra"} on {shortTime(intake.created_at)}
        </Typography>
        {mayBring && <Actions intake={intake} />}
      </Stack>
      {working && <Progress intake={intake} />}
      {intake.fault && (
        <Alert severity="error">
          {intake.fault.message}
          {intake.fault.conflicts.map((one, n) => (
            <div key={n}>
              {String(one["range"])} {String(one["why"] ?? [one["kind"], one["owner"]].filter(Boolean).join(", "))}
            </div>
          ))}
          {intake.fault.suggestions.length > 0 && <div>Would work: {intake.fault.suggestions.join(", ")}</div>}
        </Alert>
      )}
      <ProblemAlert error={edited.error} />
      {intake.columns.length > 0 && <IntakeColumns intake={intake} disabled={!may || edited.isPending} onChange={(options) => edited.mutate({ options })} />}
      {intake.table === "subnets" && (
        <Stack direction="row" sx={{ gap: 1, flexWrap: "wrap" }}>
          {FLAGS.map(([name, said, words]) => (
            <FormControlLabel
              key={name}
              control={<Checkbox checked={name in intake.options} disabled={!may || edited.isPending} onChange={(event) => edited.mutate({ options: withFlag(intake.options, name, said, event.target.checked) })} />}
              label={words}
            />
          ))}
        </Stack>
      )}
      {Object.entries(intake.missing).map(([kind, names]) => (
        <Alert key={kind} severity="info">
          Made for them: {kind} {names.join(", ")}
        </Alert>
      ))}
      {intake.usage.length > 0 && <Usage intake={intake} />}
      {Object.keys(intake.counts).length > 0 && <IntakeRows intake={intake} editable={may && !edited.isPending} onRight={(what) => edited.mutate("row" in what ? { cells: [what] } : { options: translated(intake.options, what) })} />}
      <CommandLine text={`lentra intake show ${intake.id}`} />
    </Stack>
  );
}

function Progress({ intake }: { intake: Intake }) {
  const queryClient = useQueryClient();
  const stopped = useMutation({ mutationFn: () => act(intake, "stop", { preview: false, why: "" }), onSettled: () => queryClient.invalidateQueries({ queryKey: ["intakes"] }) });
  const known = intake.total > 0;
  return (
    <Card sx={{ p: 2 }} role="status" aria-label="Progress">
      <Stack direction="row" sx={{ gap: 2, alignItems: "center" }}>
        <Typography sx={{ flexGrow: 1 }}>
          It {intake.stage}
          {intake.of && `: ${intake.of} ${grouped(intake.done)}${known ? ` of ${grouped(intake.total)}` : ""}`}
        </Typography>
        <Button onClick={() => stopped.mutate()} disabled={stopped.isPending}>
          Stop it
        </Button>
      </Stack>
      <LinearProgress aria-label="How far it is" variant={known ? "determinate" : "indeterminate"} value={known ? (100 * intake.done) / intake.total : 0} />
    </Card>
  );
}

function Usage({ intake }: { intake: Intake }) {
  return (
    <Card>
      <Typography variant="h2" sx={{ p: 2, pb: 0 }}>
        Usage before and after
      </Typography>
      <RecordTable
        label="Usage before and after"
        rows={intake.usage.map((row, n) => ({ ...row, id: n }))}
        columns={[
          { head: "Pool", cell: (row) => `${row.pool} IPv${row.family}` },
          { head: "Comes in", right: true, cell: (row) => counted(row.added, row.family) },
          { head: "Before", right: true, cell: (row) => percent(row.before_percent) },
          { head: "After", right: true, cell: (row) => percent(row.after_percent) },
        ]}
      />
    </Card>
  );
}

type Doing = "commit" | "good rows" | "take-back" | "drop";

function Actions({ intake }: { intake: Intake }) {
  const [doing, setDoing] = useState<Doing | null>(null);
  const refused = intake.counts["refused"] ?? 0;
  const rows = Object.values(intake.counts).reduce((sum, count) => sum + count, 0);
  if (intake.stage) return null;
  const open = intake.state === "open";
  return (
    <>
      {open && rows > 0 && !refused && (
        <Button variant="contained" onClick={() => setDoing("commit")}>
          Commit
        </Button>
      )}
      {open && refused > 0 && refused < rows && (
        <Button variant="contained" onClick={() => setDoing("good rows")}>
          Commit the good rows
        </Button>
      )}
      {open && <Button onClick={() => setDoing("drop")}>Drop</Button>}
      {intake.state === "committed" && <Button onClick={() => setDoing("take-back")}>Take back</Button>}
      {doing && <Confirmed intake={intake} doing={doing} onClose={() => setDoing(null)} />}
    </>
  );
}

const TITLES: Record<Doing, string> = { commit: "Commit", "good rows": "Commit the good rows", "take-back": "Take back", drop: "Drop" };

function Confirmed({ intake, doing, onClose }: { intake: Intake; doing: Doing; onClose: () => void }) {
  const committing = doing === "commit" || doing === "good rows";
  const command = committing ? `lentra intake commit ${intake.id}${doing === "good rows" ? " --good-rows" : ""}` : `lentra intake ${doing} ${intake.id}`;
  const run = (how: How) => (committing ? commit(intake, doing === "good rows", how) : act(intake, doing, how));
  return (
    <ConfirmChange
      title={TITLES[doing]}
      chain={["intake", intake.name]}
      command={command}
      run={run}
      describe={() => <Typography>{committing ? inWords(intake.counts) : doing === "take-back" ? `All goes again that it made: ${Object.entries(intake.made).map(([what, count]) => `${grouped(count)} ${what}`).join(", ")}.` : "Its file and rows are forgotten."}</Typography>}
      onClose={onClose}
    />
  );
}
