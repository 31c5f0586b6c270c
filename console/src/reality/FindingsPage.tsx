// Where the registry and what was seen differ, and what is done about each.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { Scope, commandOf } from "../headroom/Scope";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { RecordForm } from "../setup/RecordForm";
import type { Kind } from "../setup/kinds";
import { settle, useFindings, type Finding } from "./queries";

const COLOURS = { stray: "warning", silent: "default", differs: "primary", clash: "error" } as const;
const FORM = { word: "finding", noun: "finding", collection: "findings", role: "planner", columns: [] } as const;
const DISMISS: Kind = {
  ...FORM,
  columns: [],
  fields: [
    { name: "reason", label: "Reason", needed: true, help: "why the difference stays" },
    { name: "until", label: "Until", kind: "date", help: "open again from this day, if it is still there" },
  ],
};

function takeOver(finding: Finding): Kind {
  const single = !!finding.subnet && !finding.range.includes("/") && !finding.range.includes("-");
  return {
    ...FORM,
    columns: [],
    fields: [
      { name: "becomes", label: "It becomes", kind: "choice", choices: single ? ["address-record", "keep-out"] : ["keep-out"], needed: true },
      ...(single ? [{ name: "name", label: "Name", help: "of an address record" }] : []),
      { name: "reason", label: "Why it is kept out", help: "who saw it, if left empty" },
    ],
  };
}

type Doing = { finding: Finding; what: "dismiss" | "take-over" | "reopen" };

export function FindingsPage() {
  useTitle("Findings");
  const { filters, set } = useFilters();
  const shown = { state: "open", ...filters };
  const findings = useFindings(shown);
  const planner = useMay("planner");
  const [doing, setDoing] = useState<Doing | null>(null);
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Findings</Typography>
      <Typography color="text.secondary">
        Where the registry and what <Link component={RouterLink} to="/set-up/sources">sources</Link> have seen differ. A finding closes by itself when the difference is gone.
      </Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Choice label="Kind" value={filters["kind"] ?? ""} choices={[["", "any"], ...(["stray", "silent", "differs", "clash"] as const).map((one) => [one, one] as const)]} onChange={(value) => set("kind", value)} width={130} />
        <Choice label="State" value={filters["state"] ?? "open"} choices={(["open", "dismissed", "closed"] as const).map((one) => [one, one] as const)} onChange={(value) => set("state", value)} width={140} />
        <Scope names={["realm", "project"]} />
      </Stack>
      <Card>
        <Listed query={findings} rows={(page) => page.results} empty="Nothing differs, as far as anything was seen.">
          {(rows) => (
            <RecordTable
              label="Findings"
              rows={rows}
              columns={[
                { head: "Kind", cell: (row) => <Chip size="small" color={COLOURS[row.kind]} label={row.kind} /> },
                { head: "Where", cell: (row) => <Mono>{row.range}</Mono> },
                { head: "What", cell: (row) => row.text },
                { head: "Subnet", cell: (row) => (row.subnet ? <Link component={RouterLink} to={`/subnets/${row.subnet["id"]}`}>{String(row.subnet["name"])}</Link> : "—") },
                { head: "Project", cell: (row) => (row.project ? String(row.project["name"]) : "—") },
                { head: "Seen by", cell: (row) => [...new Set(row.seen.map((one) => one.source))].join(", ") || "nobody" },
                { head: "Since", cell: (row) => shortTime(row.opened_at) },
                { head: "Settled", cell: (row) => (row.closed_at ? `closed ${shortTime(row.closed_at)}` : row.reason ? `${row.reason}${row.until ? `, until ${row.until}` : ""}` : "—") },
                {
                  head: "",
                  label: "What to do",
                  cell: (row) =>
                    planner && row.state !== "closed" ? (
                      <Stack direction="row">
                        {row.state === "dismissed" && (
                          <Button size="small" aria-label={`Open again: ${row.name}`} onClick={() => setDoing({ finding: row, what: "reopen" })}>
                            Open again
                          </Button>
                        )}
                        {row.state === "open" && row.kind === "stray" && (
                          <Button size="small" sx={{ whiteSpace: "nowrap" }} aria-label={`Take over: ${row.name}`} onClick={() => setDoing({ finding: row, what: "take-over" })}>
                            Take over
                          </Button>
                        )}
                        {row.state === "open" && (
                          <Button size="small" aria-label={`Dismiss: ${row.name}`} onClick={() => setDoing({ finding: row, what: "dismiss" })}>
                            Dismiss
                          </Button>
                        )}
                      </Stack>
                    ) : null,
                },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={findings.data} address="findings" query={shown} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandOf("lentra findings", filters)} />
      {doing && doing.what !== "reopen" && (
        <RecordForm
          kind={doing.what === "dismiss" ? DISMISS : takeOver(doing.finding)}
          title={doing.what === "dismiss" ? "Dismiss the finding" : "Take the stray over"}
          add={(values, how) => settle(doing.finding, doing.what, values, how)}
          command={(values) => commandLine(["finding", doing.what, doing.finding.id], values)}
          chain={[doing.finding.realm.name, doing.finding.name]}
          onClose={() => setDoing(null)}
        />
      )}
      {doing?.what === "reopen" && (
        <ConfirmChange
          title="Open the finding again"
          chain={[doing.finding.realm.name, doing.finding.name]}
          command={commandLine(["finding", "reopen", doing.finding.id])}
          run={(how) => settle(doing.finding, "reopen", {}, how)}
          describe={() => "It is looked for again from now on."}
          onClose={() => setDoing(null)}
        />
      )}
    </Stack>
  );
}
