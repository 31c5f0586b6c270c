// What lies idle, each with a proposed step.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
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
        <TextField select label="Kind" value={filters["kind"] ?? ""} onChange={(event) => set("kind", event.target.value)} sx={{ minWidth: 220 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
          <MenuItem value="">any</MenuItem>
          {KINDS.map((kind) => (
            <MenuItem key={kind} value={kind}>
              {kind}
            </MenuItem>
          ))}
        </TextField>
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
        {(idle.data?.next || filters["cursor"]) && (
          <Stack direction="row" sx={{ gap: 1 }}>
            <Button size="small" disabled={!filters["cursor"]} onClick={() => set("cursor", "")}>
              First page
            </Button>
            <Button size="small" disabled={!idle.data?.next} onClick={() => set("cursor", new URL(idle.data!.next!).searchParams.get("cursor") ?? "")}>
              Next page
            </Button>
          </Stack>
        )}
      </Card>
      <CommandLine text={commandOf("lentra idle", filters)} />
    </>
  );
}
