// One renumbering: how far it is by zone and tier, what holds it up, when it ends, and every step of it.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { Listed, Shown as ShownQuery } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Download } from "../parts/Download";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { StateChip } from "../parts/states";
import { grouped } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { CHECKS, step, useMoves, useRenumbering, type Move, type Row, type Shown } from "./queries";

const FILES = [
  ["map", "Old beside new"],
  ["rules", "What rules need"],
  ["dns", "DNS changes"],
  ["routes", "Routes"],
] as const;

interface Step {
  verb: string;
  title: string;
  body: Record<string, unknown>;
  words: string;
}

export function RenumberingPage() {
  const { id = "" } = useParams();
  const found = useRenumbering(id);
  useTitle(found.data?.name ?? "Renumbering");
  return (
    <ShownQuery query={found} what="the renumbering">
      {(made) => <View made={made} />}
    </ShownQuery>
  );
}

function View({ made }: { made: Shown }) {
  const planner = useMay("planner");
  const [doing, setDoing] = useState<Step | null>(null);
  const { progress } = made;
  const { counts, hosts } = progress;
  const open = made.state === "moving";
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography color="text.secondary">
        {made.realm.name} › <Link component={RouterLink} to="/renumberings">Renumbering</Link> ›
      </Typography>
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1">{made.name}</Typography>
        <StateChip state={made.state} />
        <Typography sx={{ flexGrow: 1 }} color="text.secondary">
          from {made.source} to {made.target}
          {made.reason && `: ${made.reason}`}
        </Typography>
        {planner && open && <Actions counts={counts} part={{}} words="everything" onDo={setDoing} />}
      </Stack>
      {open && (
        <Alert severity={progress.late ? "warning" : "info"}>
          {progress.likely ? `Likely to end on ${progress.likely}, at the pace until now.` : "Its end is not in sight: nothing has moved yet."}
          {made.by && ` To be done by ${made.by}.`}
        </Alert>
      )}
      {made.vacated.length > 0 && (
        <Alert severity="info">
          Nothing is handed out of <Mono>{made.vacated.join(", ")}</Mono> any more{open ? "" : "; take the range out of its pool once what cools there is free"}.
        </Alert>
      )}
      <Card sx={{ p: 2 }}>
        <Typography variant="h2">How far it is</Typography>
        <Typography color="text.secondary" sx={{ mb: 1 }}>
          {grouped(hosts.moved)} of {grouped(hosts.all)} hosts have moved{hosts.seen > 0 && `, ${hosts.seen} of them as sources see it`}; {counts.planned} planned, {counts.moving} moving, {counts.finished} finished
          {counts.turned_back > 0 && `, ${counts.turned_back} turned back`}.
        </Typography>
        <Waves rows={progress.rows} open={planner && open} onDo={setDoing} />
      </Card>
      <Card sx={{ p: 2 }}>
        <Typography variant="h2">What holds it up</Typography>
        {progress.held_up.length === 0 ? (
          <Typography color="text.secondary">{counts.moving ? "Nothing: all that moves can be finished." : "Nothing is moving."}</Typography>
        ) : (
          <Box component="ul" sx={{ my: 1, pl: 2.5 }}>
            {progress.held_up.map((one) => (
              <li key={one.move.id}>
                <strong>{one.move.name}</strong>: {one.why}
              </li>
            ))}
            {progress.held_up_count > progress.held_up.length && <li>and {progress.held_up_count - progress.held_up.length} more</li>}
          </Box>
        )}
      </Card>
      <Card sx={{ p: 2 }}>
        <Typography variant="h2">What others must change</Typography>
        <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap", alignItems: "center" }}>
          {FILES.map(([what, label]) => (
            <Stack key={what} direction="row" sx={{ alignItems: "center", gap: 0.5 }}>
              <span>{label}</span>
              <Download address={`renumberings/${made.id}/${what}`} />
            </Stack>
          ))}
        </Stack>
      </Card>
      <Moves made={made} open={open} onDo={setDoing} />
      {doing && (
        <ConfirmChange<Shown>
          title={doing.title}
          chain={[made.realm.name, made.name, doing.words]}
          command={commandOf(made, doing)}
          run={(how, insisted) => step(made.id, doing.verb, { ...doing.body, ...(insisted ? { despite_use: true } : {}) }, how)}
          describe={(then) => `Then ${then.progress.counts.planned} are planned, ${then.progress.counts.moving} moving, ${then.progress.counts.finished} finished; ${grouped(then.progress.hosts.moved)} of ${grouped(then.progress.hosts.all)} hosts have moved.`}
          {...(doing.verb === "finish" ? { insist: "Finish it although hosts have not moved, or the old side is still seen" } : {})}
          onClose={() => setDoing(null)}
        />
      )}
    </Stack>
  );
}

function commandOf(made: Shown, doing: Step): string {
  const { wave, subnets, hosts, check, moved, done } = doing.body as { wave?: string; subnets?: string[]; hosts?: string[]; check?: string; moved?: boolean; done?: boolean };
  const words = ["renumber", doing.verb, made.name, ...(check ? [check] : [])];
  const lists = { ...(subnets?.length ? { subnets: subnets.join(",") } : {}), ...(hosts?.length ? { hosts: hosts.join(",") } : {}) };
  return commandLine(words, { ...(wave === undefined ? {} : { wave }), ...lists, ...(moved === false || done === false ? { not: true } : {}) });
}

/** A bar for each zone and tier of each wave: finished, moved, and what is still to come. */
function Waves({ rows, open, onDo }: { rows: Row[]; open: boolean; onDo: (step: Step) => void }) {
  const waves = [...new Set(rows.map((row) => row.wave))];
  return (
    <Stack sx={{ gap: 1.5 }}>
      {waves.map((wave) => {
        const own = rows.filter((row) => row.wave === wave);
        const sum = (name: "planned" | "moving" | "finished") => own.reduce((all, row) => all + row[name], 0);
        return (
          <Box key={wave} role="group" aria-label={wave || "all"}>
            <Stack direction="row" sx={{ alignItems: "center", gap: 1 }}>
              <Typography variant="h3">{wave || "All at once"}</Typography>
              {open && wave && <Actions counts={{ planned: sum("planned"), moving: sum("moving"), finished: sum("finished") }} part={{ wave }} words={`wave ${wave}`} onDo={onDo} small />}
            </Stack>
            {own.map((row) => (
              <Bar key={`${row.zone} ${row.tier}`} row={row} />
            ))}
          </Box>
        );
      })}
    </Stack>
  );
}

function Bar({ row }: { row: Row }) {
  const [done, all, what] = row.hosts ? [row.moved, row.hosts, "hosts"] : [row.finished, row.moves, "subnets"];
  const state = row.finished === row.moves ? "finished" : row.planned === row.moves ? "planned" : "moving";
  const share = all ? (100 * done) / all : 100;
  const label = [row.zone, row.tier].filter(Boolean).join(", ") || "elsewhere";
  return (
    <Stack direction="row" sx={{ alignItems: "center", gap: 1.5, py: 0.25, flexWrap: "wrap" }}>
      <Box sx={{ width: 110 }}>{label}</Box>
      <Box component="svg" role="img" aria-label={`${label}: ${done} of ${all} ${what} have moved, ${state}`} viewBox="0 0 100 14" preserveAspectRatio="none" sx={{ width: { xs: 140, sm: 320 }, height: 14, color: state === "finished" ? "success.main" : "primary.main" }}>
        <rect x="0" y="0" width="100" height="14" fill="currentColor" fillOpacity="0.12" />
        <rect x="0" y="0" width={share} height="14" fill="currentColor" fillOpacity={state === "finished" ? 1 : 0.75} />
        <rect x="0.2" y="0.2" width="99.6" height="13.6" fill="none" stroke="currentColor" strokeWidth="0.4" strokeDasharray={state === "planned" ? "2 2" : "none"} />
      </Box>
      <Typography component="span" variant="body2">
        {done} of {all} {what} · {row.moves} {row.moves === 1 ? "subnet" : "subnets"} · {state}
      </Typography>
    </Stack>
  );
}

/** What can be done with a part of it. */
function Actions({ counts, part, words, onDo, small = false }: { counts: { planned: number; moving: number; finished: number }; part: Record<string, unknown>; words: string; onDo: (step: Step) => void; small?: boolean }) {
  const size = small ? ({ size: "small" } as const) : {};
  return (
    <>
      {counts.planned > 0 && (
        <Button {...size} aria-label={`Begin ${words}`} onClick={() => onDo({ verb: "begin", title: "Begin", body: part, words })}>
          Begin
        </Button>
      )}
      {counts.moving > 0 && (
        <Button {...size} aria-label={`Finish ${words}`} onClick={() => onDo({ verb: "finish", title: "Finish", body: part, words })}>
          Finish
        </Button>
      )}
      {counts.planned + counts.moving > 0 && (
        <Button {...size} color="secondary" aria-label={`Turn back ${words}`} onClick={() => onDo({ verb: "turn-back", title: "Turn back", body: part, words })}>
          Turn back
        </Button>
      )}
    </>
  );
}

/** Its subnets, to tick off what is done and to note who has moved. */
function Moves({ made, open, onDo }: { made: Shown; open: boolean; onDo: (step: Step) => void }) {
  const { filters, set } = useFilters();
  const own = useMay("requester");
  const [picked, setPicked] = useState<Move[]>([]);
  const [check, setCheck] = useState("");
  const waves = [...new Set(made.progress.rows.map((row) => row.wave))].filter(Boolean);
  const of = { ...(filters["wave"] ? { wave: filters["wave"] } : {}), ...(filters["state"] ? { state: filters["state"] } : {}) };
  const moves = useMoves(made.id, of);
  const subnets = picked.map((move) => move.name);
  const words = picked.length === 1 ? subnets[0]! : `${picked.length} subnets`;
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2" gutterBottom>
        Subnet by subnet
      </Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center", mb: 1 }}>
        {waves.length > 0 && <Choice label="Wave" value={filters["wave"] ?? ""} choices={[["", "all"], ...waves]} onChange={(value) => set("wave", value)} width={130} />}
        <Choice label="State" value={filters["state"] ?? ""} choices={[["", "all"], "planned", "moving", "finished", "turned back"]} onChange={(value) => set("state", value)} width={130} />
        {own && open && (
          <>
            <Choice label="Step" value={check} choices={[["", "choose a step"], ...CHECKS]} onChange={setCheck} width={170} />
            <Button disabled={!check || picked.length === 0} onClick={() => onDo({ verb: "check", title: "Tick it off", body: { check, subnets }, words })}>
              Tick it off
            </Button>
            <Button disabled={picked.length === 0} onClick={() => onDo({ verb: "moved", title: "All hosts have moved", body: { subnets }, words })}>
              All hosts have moved
            </Button>
            <Button disabled={picked.length === 0} onClick={() => onDo({ verb: "finish", title: "Finish", body: { subnets }, words })}>
              Finish
            </Button>
          </>
        )}
      </Stack>
      <Listed query={moves} rows={(rows) => rows} empty="No move is so.">
        {(rows) => (
          <RecordTable
            label="Moves"
            rows={rows}
            picking={own && open ? { picked, onPick: setPicked, nameOf: (move) => move.name } : undefined}
            columns={[
              { head: "What", cell: (move) => <strong>{move.name}</strong> },
              { head: "Wave", cell: (move) => move.wave || "at once" },
              { head: "State", cell: (move) => <StateChip state={move.state} /> },
              { head: "Old", cell: (move) => <Side move={move} side="old" /> },
              { head: "New", cell: (move) => <Side move={move} side="new" /> },
              { head: "Hosts moved", right: true, cell: (move) => `${move.hosts - move.left} of ${move.hosts}` },
              {
                head: "Ticked off",
                cell: (move) =>
                  move.checks.length === 0
                    ? "—"
                    : move.checks.map((one) => (
                        <div key={one.check}>
                          {one.check}: {one.by}, {one.on}
                        </div>
                      )),
              },
            ]}
          />
        )}
      </Listed>
    </Card>
  );
}

function Side({ move, side }: { move: Move; side: "old" | "new" }) {
  const { id, ranges } = move[side];
  const there = side === "old" ? move.state !== "finished" : move.state !== "turned back";
  const text = <Mono>{ranges.join(", ")}</Mono>;
  return there ? <Link component={RouterLink} to={move.of === "subnet" ? `/subnets/${id}` : `/set-up/reservations/${id}`}>{text}</Link> : text;
}
