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
import { settle, settleMany, useFindings, type Finding } from "./queries";

const COLOURS = { stray: "warning", silent: "default", differs: "primary", clash: "error", exposed: "error", "cut-off": "warning", dns: "primary" } as const;
const FINDING_KINDS = ["exposed", "cut-off", "clash", "stray", "differs", "dns", "silent"] as const;
const FORM = { word: "finding", noun: "finding", collection: "findings", role: "planner", columns: [] } as const;
const DISMISS: Kind = {
  ...FORM,
  columns: [],
  fields: [
    { name: "reason", label: "Reason", needed: true, help: "why the difference stays" },
    { name: "until", label: "Until", kind: "date", help: "open again from this day, if it is still there" },
  ],
};

const ASSIGN: Kind = {
  ...FORM,
  columns: [],
  fields: [
    { name: "assignee", label: "Who is to correct it", kind: "ref", of: "people", help: "empty: nobody any more" },
    { name: "project", label: "Or a project", kind: "ref", of: "projects", help: "those of it, in the place of a person" },
    { name: "due", label: "Until", kind: "date" },
  ],
};

/** What strays can become, all of them: what is left empty is as it was seen. */
function takeOver(findings: Finding[]): Kind {
  const choices = findings[0]!.can_become.filter((one) => findings.every((finding) => finding.can_become.includes(one)));
  const free = choices.includes("subnet");
  return {
    ...FORM,
    columns: [],
    fields: [
      { name: "becomes", label: "It becomes", kind: "choice", choices, needed: true },
      ...(findings.length === 1 ? [{ name: "name", label: "Name", help: "as it was seen, or by the template, if left empty" }] : []),
      ...(free
        ? ([
            { name: "project", label: "Project", kind: "ref", of: "projects", help: "of a subnet" },
            { name: "tier", label: "Tier", kind: "ref", of: "tiers", help: "of a subnet" },
            { name: "zone", label: "Zone", kind: "ref", of: "zones", help: "of a subnet" },
          ] as const)
        : []),
      { name: "reason", label: "Why it is kept", help: "of a keep-out or a reservation: who saw it, if left empty" },
    ],
  };
}

const CORRECT: Kind = {
  ...FORM,
  columns: [],
  fields: [{ name: "source", label: "Source to believe", kind: "ref", of: "sources", help: "where several say otherwise" }],
};
const AGES: Record<string, number> = { today: 0, "in the last 7 days": 7, "in the last 30 days": 30 };

/** The moment since which findings of an age were opened. */
function sinceOf(age: string): string {
  const day = new Date();
  day.setUTCHours(0, 0, 0, 0);
  return new Date(day.getTime() - AGES[age]! * 86_400_000).toISOString();
}

const FORMS = {
  dismiss: { title: "Dismiss", kind: () => DISMISS },
  assign: { title: "Ask somebody to correct", kind: () => ASSIGN },
  correct: { title: "Correct what is recorded", kind: () => CORRECT },
  "take-over": { title: "Take over", kind: takeOver },
} as const;
type Doing = { findings: Finding[]; what: keyof typeof FORMS | "reopen" };

/** What became of a finding, or who is to look after it. */
function settledText(finding: Finding): string {
  if (finding.closed_at) return `closed ${shortTime(finding.closed_at)}`;
  const asked = finding.assignee ? `${String(finding.assignee["name"])}${finding.due ? `, until ${finding.due}` : ""}` : "";
  const dismissed = finding.reason ? `${finding.reason}${finding.until ? `, until ${finding.until}` : ""}` : "";
  return [dismissed, asked].filter(Boolean).join("; ") || "—";
}

export function FindingsPage() {
  useTitle("Findings");
  const { filters, set } = useFilters();
  const shown = { state: "open", ...filters };
  const findings = useFindings(shown);
  const planner = useMay("planner");
  const [doing, setDoing] = useState<Doing | null>(null);
  const [picked, setPicked] = useState<Finding[]>([]);
  const living = picked.filter((one) => one.state === "open");
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Findings</Typography>
      <Typography color="text.secondary">
        Where the registry and what <Link component={RouterLink} to="/set-up/sources">sources</Link> have seen differ. A finding closes by itself when the difference is gone.
      </Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Choice label="Kind" value={filters["kind"] ?? ""} choices={[["", "any"], ...FINDING_KINDS.map((one) => [one, one] as const)]} onChange={(value) => set("kind", value)} width={130} />
        <Choice label="State" value={filters["state"] ?? "open"} choices={(["open", "dismissed", "closed"] as const).map((one) => [one, one] as const)} onChange={(value) => set("state", value)} width={140} />
        <Choice label="Opened" value="" choices={[["", "at any time"], ...Object.keys(AGES).map((one) => [one, one] as const)]} onChange={(age) => set("since", age ? sinceOf(age) : "")} width={170} />
        <Scope names={["realm", "project"]} />
        {filters["since"] && <Chip label={`since ${shortTime(filters["since"])}`} onDelete={() => set("since", "")} />}
      </Stack>
      {planner && living.length > 0 && (
        <Stack direction="row" sx={{ gap: 1, alignItems: "center" }} role="group" aria-label="With those picked">
          <Typography>{`${living.length} picked:`}</Typography>
          <Button variant="outlined" onClick={() => setDoing({ findings: living, what: "dismiss" })}>
            Dismiss them
          </Button>
          <Button variant="outlined" onClick={() => setDoing({ findings: living, what: "assign" })}>
            Assign them
          </Button>
          {living.every((one) => one.can_become.length > 0) && (
            <Button variant="outlined" onClick={() => setDoing({ findings: living, what: "take-over" })}>
              Take them over
            </Button>
          )}
        </Stack>
      )}
      <Card>
        <Listed query={findings} rows={(page) => page.results} empty="Nothing differs, as far as anything was seen.">
          {(rows) => (
            <RecordTable
              label="Findings"
              rows={rows}
              picking={planner ? { picked, onPick: setPicked, nameOf: (row) => row.name } : undefined}
              columns={[
                { head: "Kind", cell: (row) => <Chip size="small" color={COLOURS[row.kind]} label={row.kind} /> },
                { head: "Where", cell: (row) => <Mono>{row.range}</Mono> },
                { head: "What", cell: (row) => row.text },
                {
                  head: "Whose",
                  cell: (row) =>
                    row.subnet ? (
                      <>
                        <Link component={RouterLink} to={`/subnets/${row.subnet["id"]}`}>
                          {String(row.subnet["name"])}
                        </Link>
                        {row.project && <div>{String(row.project["name"])}</div>}
                      </>
                    ) : (
                      "nobody's"
                    ),
                },
                { head: "Seen by", cell: (row) => [...new Set(row.seen.map((one) => one.source))].join(", ") || "nobody" },
                { head: "Since", cell: (row) => <span style={{ whiteSpace: "nowrap" }}>{row.opened_at.slice(0, 10)}</span> },
                { head: "Settled, or asked of", cell: settledText },
                {
                  head: "",
                  label: "What to do",
                  cell: (row) =>
                    planner && row.state !== "closed" ? (
                      <Stack direction="row" sx={{ flexWrap: "wrap", maxWidth: 190 }}>
                        {row.state === "dismissed" && (
                          <Button size="small" aria-label={`Open again: ${row.name}`} onClick={() => setDoing({ findings: [row], what: "reopen" })}>
                            Open again
                          </Button>
                        )}
                        {row.state === "open" && row.can_become.length > 0 && (
                          <Button size="small" sx={{ whiteSpace: "nowrap" }} aria-label={`Take over: ${row.name}`} onClick={() => setDoing({ findings: [row], what: "take-over" })}>
                            Take over
                          </Button>
                        )}
                        {row.state === "open" && (
                          <Button size="small" aria-label={`Dismiss: ${row.name}`} onClick={() => setDoing({ findings: [row], what: "dismiss" })}>
                            Dismiss
                          </Button>
                        )}
                        {row.state === "open" && row.can_correct && (
                          <Button size="small" aria-label={`Correct: ${row.name}`} onClick={() => setDoing({ findings: [row], what: "correct" })}>
                            Correct
                          </Button>
                        )}
                        {row.state === "open" && (
                          <Button size="small" aria-label={`Assign: ${row.name}`} onClick={() => setDoing({ findings: [row], what: "assign" })}>
                            Assign
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
          kind={FORMS[doing.what].kind(doing.findings)}
          title={`${FORMS[doing.what].title}: ${doing.findings.length === 1 ? doing.findings[0]!.name : `${doing.findings.length} findings`}`}
          add={(given, how) => {
            const what = doing.what;
            const values = what === "assign" ? { assignee: null, ...given } : given;
            return doing.findings.length === 1 ? settle(doing.findings[0]!, what, values, how) : settleMany(doing.findings, what, values, how);
          }}
          command={(values) => {
            const { assignee, project, ...others } = values;
            const to = project ? { "to-project": project } : { to: (assignee as string) || "nobody" };
            const named = doing.what === "assign" ? { ...to, ...others } : { ...(project ? { project } : {}), ...others };
            return commandLine(["finding", doing.what, ...doing.findings.map((one) => one.id)], named);
          }}
          chain={doing.findings.length === 1 ? [doing.findings[0]!.realm.name, doing.findings[0]!.name] : doing.findings.slice(0, 5).map((one) => one.name)}
          onDone={() => setPicked([])}
          onClose={() => setDoing(null)}
        />
      )}
      {doing?.what === "reopen" && (
        <ConfirmChange
          title="Open the finding again"
          chain={[doing.findings[0]!.realm.name, doing.findings[0]!.name]}
          command={commandLine(["finding", "reopen", doing.findings[0]!.id])}
          run={(how) => settle(doing.findings[0]!, "reopen", {}, how)}
          describe={() => "It is looked for again from now on."}
          onClose={() => setDoing(null)}
        />
      )}
    </Stack>
  );
}
