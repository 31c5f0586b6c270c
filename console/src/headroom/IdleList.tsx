// What lies idle, each with a proposed step.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { useFilters } from "../parts/useFilters";
import { useIdle } from "./queries";
import { Scope, commandOf } from "./Scope";
import { TakeStep } from "./steps";

const KINDS = [
  ...["hold about to end", "reservation about to end", "public address idle", "pool never used", "pool empty now", "planned need overdue"],
  ...["project in one zone", "tier missing in a zone", "block far too wide", "block without use", "cooling"],
];

export function IdleList() {
  const { filters, set } = useFilters();
  const idle = useIdle(filters);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5 }}>
        <Scope names={["realm", "project"]} />
        <Choice label="Kind" value={filters["kind"] ?? ""} choices={[["", "any"], ...KINDS]} onChange={(value) => set("kind", value)} width={220} />
      </Stack>
      <Card>
        <Listed query={idle} rows={(page) => page.results} empty="Nothing lies idle.">
          {(rows) => (
            <RecordTable
              label="Idle and odd things"
              rows={rows.map((row, n) => ({ ...row, id: n, number: row.id }))}
              columns={[
                { head: "Kind", cell: (row) => row.kind },
                { head: "What", cell: (row) => (/^(block|public|cooling|hold)/.test(row.kind) ? <Link component={RouterLink} to={`/subnets/${row.number}`}>{row.what}</Link> : row.what) },
                { head: "Where", cell: (row) => row.where || "—" },
                { head: "Days", right: true, cell: (row) => row.days ?? "—" },
                { head: "Why", cell: (row) => row.why },
                { head: "Proposed step", cell: (row) => row.step },
                { head: "", label: "Take it", cell: (row) => <TakeStep row={{ ...row, id: row.number }} /> },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={idle.data} cursor={filters["cursor"]} address="idle" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandOf("lentra idle", filters)} />
    </>
  );
}
