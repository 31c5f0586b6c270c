// How long pools last, in a list.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { useFilters } from "../parts/useFilters";
import { counted, percent } from "../parts/text";
import { useHeadroom, type HeadroomRow } from "./queries";
import { OwnerGrowth } from "./OwnerGrowth";
import { Scope, commandOf } from "./Scope";

const OWNERS = ["realm", "project", "region", "zone"] as const;

export function Lasting() {
  const { filters, set } = useFilters();
  const headroom = useHeadroom(filters);
  const threshold = (row: HeadroomRow, name: string) => {
    const found = row.thresholds.find((one) => one.name === name);
    return found?.reached ? "reached" : (found?.likely ?? "—");
  };
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Scope names={["realm", "region", "zone", "project"]} />
      </Stack>
      {OWNERS.filter((kind) => filters[kind]).map((kind) => (
        <OwnerGrowth key={`${kind} ${filters[kind]}`} kind={kind} name={filters[kind]!} />
      ))}
      <Card>
        <Listed query={headroom} rows={(page) => page.results} empty="No pool matches.">
          {(rows) => (
            <RecordTable
              label="Headroom of pools"
              rows={rows.map((row) => ({ ...row, id: `${row.pool.id}-${row.family}` }))}
              columns={[
                { head: "Pool", cell: (row) => <Link component={RouterLink} to={`/pools/${row.pool.id}`}>{row.pool.name}</Link> },
                { head: "Family", cell: (row) => `IPv${row.family}` },
                { head: "In use", right: true, cell: (row) => percent(row.used_percent) },
                {
                  head: "A month",
                  right: true,
                  cell: (row) => row.no_forecast ?? `+${counted(row.per_month!, row.family)}`,
                },
                { head: "Warning", cell: (row) => threshold(row, "warning") },
                { head: "Critical", cell: (row) => threshold(row, "critical") },
                { head: "Full", cell: (row) => threshold(row, "full") },
                { head: "Largest free", right: true, cell: (row) => row.largest_free ?? "none" },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={headroom.data} address="headroom" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandOf("lentra headroom", filters)} />
    </>
  );
}
