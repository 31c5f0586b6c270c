// Usage in parts, as ranked bars and as a table.
import Box from "@mui/material/Box";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { useFilters } from "../parts/useFilters";
import { grouped, percent } from "../parts/text";
import { useBreakdown, type BreakdownRow } from "./queries";
import { RankedBars } from "./RankedBars";
import { Scope, commandOf } from "./Scope";
import { Together } from "./Together";

export function Breakdown() {
  const { filters, set } = useFilters();
  const by = filters["by"] ?? "project";
  const rows = useBreakdown({ ...filters, by });
  const dimensions = by.split(",") as (keyof BreakdownRow)[];
  const name = (row: BreakdownRow, dimension: keyof BreakdownRow) => (row[dimension] as { name: string } | null)?.name ?? "—";
  const ipv6 = filters["family"] === "6";
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Choice label="By" value={by} choices={["project", "zone", "tier", "region", "pool", "realm", "zone,tier", "project,zone", "project,tier"].map((one) => [one, one.replace(",", " and ")] as const)} onChange={(value) => set("by", value)} width={170} />
        <Choice label="Family" value={filters["family"] ?? "4"} choices={[["4", "IPv4"], ["6", "IPv6"]]} onChange={(value) => set("family", value)} width={110} />
        <Scope names={["realm", "pool", "region", "zone", "tier", "project"]} />
      </Stack>
      <Card>
        <Listed query={rows} rows={(found) => found} empty="Nothing is handed out there.">
          {(found) => (
            <>
              <Box sx={{ p: 2 }}>
                <RankedBars label={`Usage by ${by.replace(",", " and ")}, IPv${ipv6 ? 6 : 4}`} rows={found.map((row) => ({ name: dimensions.map((dimension) => name(row, dimension)).join(", "), percent: row.percent }))} />
              </Box>
              <RecordTable
                label="Usage"
                rows={found.map((row, n) => ({ ...row, id: n }))}
                columns={[
                  ...dimensions.map((dimension) => ({ head: dimension[0]!.toUpperCase() + dimension.slice(1), cell: (row: BreakdownRow) => name(row, dimension) })),
                  { head: "Share", right: true, cell: (row) => percent(row.percent) },
                  { head: ipv6 ? "In /64" : "Addresses", right: true, cell: (row) => grouped(ipv6 ? (BigInt(row.used) >> 64n).toString() : row.used) },
                  { head: "Subnets", right: true, cell: (row) => grouped(row.subnets) },
                  { head: "Hosts of usable", right: true, cell: (row) => (row.hosts === null ? "—" : `${grouped(row.hosts)} of ${grouped(row.usable!)}`) },
                ]}
              />
            </>
          )}
        </Listed>
      </Card>
      <Together filters={filters} />
      <CommandLine text={commandOf(`lentra breakdown ${by}`, filters)} />
    </>
  );
}
