// What lies idle, each with a proposed step.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { useFilters } from "../parts/useFilters";
import { useIdle } from "./queries";
import { Scope, commandOf } from "./Scope";
import { TakeStep } from "./steps";

export function IdleList() {
  const { filters } = useFilters();
  const idle = useIdle(filters);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5 }}>
        <Scope names={["realm", "project"]} />
      </Stack>
      <Card>
        <Listed query={idle} rows={(rows) => rows} empty="Nothing lies idle.">
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
      </Card>
      <CommandLine text={commandOf("lentra idle", filters)} />
    </>
  );
}
