// The queue: what waits for a planner, the oldest first, beside its pool before and after; and what was decided on.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { percent } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMe } from "../session/queries";
import { daysSince, RequestState } from "./RequestState";
import { useBeside, useWaitingList, type Waiting } from "./queries";

const STATES = [["waiting", "waiting"], ["granted", "granted"], ["refused", "refused"], ["withdrawn", "withdrawn"], ["lapsed", "lapsed"]] as const;
const BESIDE_SHOWN = 25; // rows that show their pool before and after

export function WaitingPage() {
  useTitle("Waiting");
  const { filters, set } = useFilters();
  const me = useMe().data!;
  const query: Record<string, string> = { limit: "50", state: "waiting", ...filters };
  const waiting = useWaitingList(query);
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Waiting</Typography>
      <Typography color="text.secondary">
        Requests on which a planner decides. Which ones wait is said by the{" "}
        <Link component={RouterLink} to="/set-up/approval-rules">
          approval rules
        </Link>
        .
      </Typography>
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
        <Choice label="State" value={query["state"]!} choices={STATES} onChange={(state) => set("state", state === "waiting" ? "" : state)} width={150} />
        <RefSelect kind="projects" label="Project" value={filters["project"] ?? ""} onChange={(project) => set("project", project)} none="all" />
        <RefSelect kind="pools" label="Pool" value={filters["pool"] ?? ""} onChange={(pool) => set("pool", pool)} none="all" />
        <Choice
          label="Whose"
          value={filters["asker"] ? "mine" : filters["assigned_to"] ? "to-decide" : ""}
          choices={[["", "everybody's"], ["mine", "that I asked for"], ["to-decide", "passed on to me"]]}
          onChange={(whose) => {
            set("asker", whose === "mine" ? me.name : "");
            set("assigned_to", whose === "to-decide" ? me.name : "");
          }}
          width={180}
        />
      </Stack>
      <Card>
        <Listed query={waiting} rows={(page) => page.results} empty={query["state"] === "waiting" ? "Nothing waits." : "There is none."}>
          {(rows) => (
            <RecordTable
              label="Requests"
              rows={rows}
              columns={[
                { head: "What", cell: (row) => <Link component={RouterLink} to={`/waiting/${row.id}`}>{row.summary}</Link> },
                { head: "Asked by", cell: (row) => row.asker.name },
                { head: "Days", right: true, cell: (row) => daysSince(row.created_at) },
                { head: "Needed by", cell: (row) => row.needed_by ?? "—" },
                { head: "Reason", cell: (row) => row.reason || "—" },
                query["state"] === "waiting"
                  ? { head: "Pool, before → after", cell: (row) => (rows.indexOf(row) < BESIDE_SHOWN ? <BeforeAfter request={row} /> : "") }
                  : { head: "State", cell: (row) => <RequestState state={row.state} /> },
                { head: "Held", cell: (row) => (row.held ? "yes" : "no") },
                { head: "To decide", cell: (row) => (row.state === "waiting" ? (row.assigned_to?.name ?? "any planner") : (row.decided_by?.name ?? "—")) },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={waiting.data} address="waiting-requests" query={query} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandLine(["waiting", "list"], filters)} />
    </Stack>
  );
}

function BeforeAfter({ request }: { request: Waiting }) {
  const beside = useBeside(request.id).data;
  return (
    <>
      {beside?.usage.map((row) => (
        <div key={row.family}>
          {row.pool.name}: {percent(row.before_percent)} → {percent(row.after_percent)}
        </div>
      ))}
    </>
  );
}
