// One plan: its grid with what is there now, where the registry has departed from it, and what can be done.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { Listed, Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { RecordTable } from "../parts/RecordTable";
import { StateChip } from "../parts/states";
import { shortTime } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { useMay, useMe } from "../session/queries";
import { useRecords } from "../setup/queries";
import { useSubnets } from "../subnets/queries";
import { textOf } from "./document";
import { PlanGrid } from "./PlanGrid";
import { PlanPicture } from "./PlanPicture";
import { removePlan, send, settle, useDepartures, usePlan, type Plan, type There } from "./queries";

export function PlanPage() {
  const { id = "" } = useParams();
  const plan = usePlan(id);
  useTitle(plan.data?.name ?? "Plan");
  return (
    <Shown query={plan} what="the plan">
      {(data) => <PlanView plan={data} />}
    </Shown>
  );
}

function PlanView({ plan }: { plan: Plan }) {
  const now = useWhatIsThere(plan);
  const departures = useDepartures(String(plan.id));
  const [settling, setSettling] = useState<{ slot: string; how: string } | null>(null);
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography color="text.secondary">
        {plan.realm.name} › {plan.project.name} ›
      </Typography>
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1">{plan.name}</Typography>
        <StateChip state={plan.state} />
        <Typography sx={{ flexGrow: 1 }} color="text.secondary">
          {shortTime(plan.changed_at)}
        </Typography>
        <Actions plan={plan} />
      </Stack>
      {plan.ends_at && <Alert severity="info">Held until {shortTime(plan.ends_at)}; then it falls back by itself.</Alert>}
      <Card sx={{ p: 2 }}>
        <PlanGrid document={plan.document} there={now} />
      </Card>
      <PlanPicture there={now} />
      <Card sx={{ p: 2 }}>
        <Typography variant="h2" gutterBottom>
          Departures
        </Typography>
        <Listed query={departures} rows={(rows) => rows} empty="The registry is as the plan says.">
          {(rows) => (
            <RecordTable
              label="Departures"
              rows={rows.map((row, n) => ({ ...row, id: n }))}
              columns={[
                { head: "Slot", cell: (row) => row.slot || "—" },
                { head: "What", cell: (row) => row.what },
                { head: "To put it right", cell: (row) => row.step },
                {
                  head: "",
                  label: "Settle",
                  cell: (row) =>
                    row.accepted
                      ? "taken over"
                      : row.slot && (
                          <>
                            <Button size="small" aria-label={`Take over ${row.slot}`} onClick={() => setSettling({ slot: row.slot, how: "take over" })}>
                              Take over
                            </Button>
                            {!["gone", "families"].includes(row.kind) && (
                              <Button size="small" aria-label={`Put right ${row.slot}`} onClick={() => setSettling({ slot: row.slot, how: "put right" })}>
                                Put right
                              </Button>
                            )}
                          </>
                        ),
                },
                { head: "Subnet", cell: (row) => (row.subnet ? <Link component={RouterLink} to={`/subnets/${row.subnet.id}`}>{row.subnet.name}</Link> : "—") },
              ]}
            />
          )}
        </Listed>
      </Card>
      {settling && (
        <ConfirmChange
          title={settling.how === "take over" ? "Take the departure over into the plan" : "Put the departure right"}
          chain={[plan.realm.name, plan.project.name, plan.name, settling.slot]}
          command={`lentra plan settle ${plan.name} ${settling.slot} --${settling.how.replace(" ", "-")}`}
          run={(how) => settle(plan, settling, how)}
          describe={() => (settling.how === "take over" ? "The plan accepts what is there." : "What is there becomes what the plan says.")}
          onClose={() => setSettling(null)}
        />
      )}
      <details>
        <summary>The plan as text</summary>
        <CommandLine text={plan.source || textOf(plan.document)} label="plan" />
      </details>
    </Stack>
  );
}

/** The subnets and reservations that the plan has now. */
function useWhatIsThere(plan: Plan): There {
  const subnets = useSubnets({ plan: String(plan.id), limit: "1000" });
  const reservations = useRecords("reservations", { plan: String(plan.id), limit: "1000" });
  return {
    blocks: (subnets.data?.results ?? []).map((subnet) => ({
      slot: subnet.plan_slot,
      change: subnet.state,
      zone: subnet.zone?.name ?? null,
      tier: subnet.plan_slot.split("/")[1] ?? "",
      blocks: subnet.blocks.map((block) => block.prefix),
      room: subnet.room,
      usable: subnet.blocks.find((block) => block.family === 4)?.usable ?? null,
      tag: subnet.tag,
    })),
    reserving: (reservations.data?.results ?? []).flatMap((record) =>
      (record["left"] as string[]).map((range) => ({
        range,
        kind: String(record["kind"]),
        zone: (record["zone"] as { name: string } | null)?.name ?? "",
      })),
    ),
  };
}

function Actions({ plan }: { plan: Plan }) {
  const me = useMe().data;
  const planner = useMay("planner");
  const own = planner || (me?.role === "requester" && me.projects.some((project) => project.id === plan.project.id));
  const [removing, setRemoving] = useState(false);
  const navigate = useNavigate();
  const [committing, setCommitting] = useState(false);
  if (!own) return null;
  return (
    <>
      {plan.state === "held" && (
        <Button variant="contained" onClick={() => setCommitting(true)}>
          Commit what is held
        </Button>
      )}
      <Button component={RouterLink} to={`/plans/new?from=${plan.id}`}>
        Change it
      </Button>
      <Button color="error" onClick={() => setRemoving(true)}>
        {plan.state === "held" ? "Let it fall back" : "Give all of it back"}
      </Button>
      {committing && (
        <ConfirmChange
          title="Commit what is held"
          chain={[plan.realm.name, plan.project.name, plan.name]}
          command={`${commandLine(["plan", "show", plan.name])} --text | lentra plan commit -`}
          run={(how) => send({ document: plan.document }, { proposal: how.proposal }, how.preview, how.why, how.key)}
          describe={(seen) => (
            <Typography>
              Hands out {seen.counts.added ?? 0} subnets and keeps {seen.counts.kept ?? 0} as they are.
            </Typography>
          )}
          onClose={() => setCommitting(false)}
        />
      )}
      {removing && (
        <ConfirmChange
          title={plan.state === "held" ? "Let it fall back" : "Give all of it back"}
          chain={[plan.realm.name, plan.project.name, plan.name]}
          command={commandLine(["plan", "remove", plan.name], { give_back: true })}
          run={(how, despiteUse) => removePlan(plan.id, { give_back: true, despite_use: despiteUse }, how)}
          insist="Give it all back all the same: what is recorded in its subnets goes with them"
          describe={() => (plan.state === "held" ? "What it holds is free at once." : "Its subnets cool, its reservations are free at once, and the plan is gone.")}
          onClose={() => setRemoving(false)}
          onDone={() => navigate("/plans")}
        />
      )}
    </>
  );
}
