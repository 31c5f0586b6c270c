// Thresholds that are reached, or will be soon.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import type { Told } from "../api/client";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useMay } from "../session/queries";
import { RecordForm } from "../setup/RecordForm";
import type { Kind } from "../setup/kinds";
import { acknowledge, reopen, useAlerts } from "./queries";
import { Scope, commandOf } from "./Scope";

const ACKNOWLEDGE: Kind = {
  word: "alert",
  noun: "alert",
  collection: "alerts",
  role: "planner",
  columns: [],
  fields: [
    { name: "reason", label: "Reason", needed: true, help: "who looks after it, and how" },
    { name: "until", label: "Mute until", kind: "date", help: "nobody is told of it until then" },
  ],
};

export function AlertList() {
  const { filters, set } = useFilters();
  const alerts = useAlerts(filters);
  const planner = useMay("planner");
  const [doing, setDoing] = useState<Told<"Alert"> | null>(null);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Scope names={["realm", "pool"]} />
        <Choice label="Show" value={filters["resolved"] ?? ""} choices={[["", "what is open"], ["true", "also what is over"]]} onChange={(value) => set("resolved", value)} width={170} />
      </Stack>
      <Card>
        <Listed query={alerts} rows={(page) => page.results} empty="No alert is open: no pool has reached a threshold, or will soon.">
          {(rows) => (
            <RecordTable
              label="Alerts"
              rows={rows}
              columns={[
                { head: "Since", cell: (row) => shortTime(row.opened_at) },
                { head: "Pool", cell: (row) => (row.pool ? <Link component={RouterLink} to={`/pools/${row.pool.id}`}>{row.pool.name}</Link> : "—") },
                { head: "Realm", cell: (row) => row.realm },
                {
                  head: "Threshold",
                  cell: (row) => (
                    <Chip
                      size="small"
                      variant={row.stage === "near" ? "outlined" : "filled"}
                      color={row.resolved_at ? "default" : row.threshold === "warning" ? "warning" : "error"}
                      label={row.kind === "threshold" ? `${row.threshold} ${row.stage}` : row.kind}
                    />
                  ),
                },
                { head: "What", cell: (row) => row.text },
                {
                  head: "Looked after",
                  cell: (row) => (row.acknowledged_by ? `${row.acknowledged_by}: ${row.acknowledged_why}${row.muted_until ? `, muted until ${shortTime(row.muted_until)}` : ""}` : "—"),
                },
                { head: "Over since", cell: (row) => (row.resolved_at ? shortTime(row.resolved_at) : "—") },
                {
                  head: "",
                  label: "What to do",
                  cell: (row) => (
                    <>
                      {planner && !row.resolved_at && (
                        <Button size="small" aria-label={`${row.acknowledged_by ? "Take up again" : "Acknowledge"}: ${row.text}`} onClick={() => setDoing(row)}>
                          {row.acknowledged_by ? "Take up again" : "Acknowledge"}
                        </Button>
                      )}
                      {row.pool ? (
                      <Button size="small" sx={{ whiteSpace: "nowrap" }} component={RouterLink} to={`/headroom/what-if?pool=${encodeURIComponent(`${row.realm}:${row.pool.name}`)}`} aria-label={`What if: ${row.pool.name}`}>
                        What if…
                      </Button>
                    ) : (
                      <Button size="small" sx={{ whiteSpace: "nowrap" }} component={RouterLink} to="/headroom/verification">
                        Look…
                      </Button>
                    )}
                    </>
                  ),
                },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={alerts.data} address="alerts" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      {doing && !doing.acknowledged_by && (
        <RecordForm
          kind={ACKNOWLEDGE}
          title="Acknowledge the alert"
          add={(values, how) => acknowledge(doing, values, how)}
          command={(values) => commandLine(["alert", "acknowledge", doing.id], values)}
          chain={[doing.realm, doing.text]}
          onClose={() => setDoing(null)}
        />
      )}
      {doing?.acknowledged_by && (
        <ConfirmChange
          title="Take the alert up again"
          chain={[doing.realm, doing.text]}
          command={commandLine(["alert", "reopen", doing.id])}
          run={(how) => reopen(doing, how)}
          describe={() => "It is told again from now on."}
          onClose={() => setDoing(null)}
        />
      )}
      <CommandLine text={commandOf("lentra alerts", filters).replace("--resolved true", "--resolved")} />
    </>
  );
}
