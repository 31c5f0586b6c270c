// Thresholds that are reached, or will be soon.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Chip from "@mui/material/Chip";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useAlerts } from "./queries";
import { Scope, commandOf } from "./Scope";

export function AlertList() {
  const { filters, set } = useFilters();
  const alerts = useAlerts(filters);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Scope names={["realm", "pool"]} />
        <TextField select label="Show" value={filters["resolved"] ?? ""} onChange={(event) => set("resolved", event.target.value)} sx={{ minWidth: 170 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
          <MenuItem value="">what is open</MenuItem>
          <MenuItem value="true">also what is over</MenuItem>
        </TextField>
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
                { head: "Over since", cell: (row) => (row.resolved_at ? shortTime(row.resolved_at) : "—") },
                {
                  head: "",
                  label: "What to do",
                  cell: (row) =>
                    row.pool ? (
                      <Button size="small" sx={{ whiteSpace: "nowrap" }} component={RouterLink} to={`/headroom/what-if?pool=${encodeURIComponent(`${row.realm}:${row.pool.name}`)}`} aria-label={`What if: ${row.pool.name}`}>
                        What if…
                      </Button>
                    ) : (
                      <Button size="small" sx={{ whiteSpace: "nowrap" }} component={RouterLink} to="/headroom/verification">
                        Look…
                      </Button>
                    ),
                },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={alerts.data} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandOf("lentra alerts", filters).replace("--resolved true", "--resolved")} />
    </>
  );
}
