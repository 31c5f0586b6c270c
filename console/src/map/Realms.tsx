// Where the map begins: the widest ranges of every realm.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { everyRow } from "../api/client";
import { Listed } from "../parts/Answers";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { UsageBar } from "../parts/UsageBar";
import { rowsOf } from "../pools/columns";
import type { PoolUsage } from "../pools/queries";
import type { AnyRecord } from "../setup/queries";

export function Realms() {
  const pools = useQuery({ queryKey: ["usage", "top"], queryFn: () => everyRow<PoolUsage>("usage", { top: "true" }) });
  const ranges = useQuery({ queryKey: ["records", "pools", "top"], queryFn: () => everyRow<AnyRecord>("pools", { top: "true" }) });
  const rangesOf = (id: number, family: number) =>
    ((ranges.data?.find((pool) => pool.id === id)?.["ranges"] as string[] | undefined) ?? []).filter((range) => range.includes(":") === (family === 6));
  return (
    <Card>
      <Listed query={pools} rows={(rows) => rows.flatMap((row) => rowsOf(row, 0))} empty="No pool has a range yet.">
        {(rows) => (
          <RecordTable
            label="Realms and their ranges"
            rows={[...rows].sort((one, other) => one.realm.name.localeCompare(other.realm.name) || one.own.family - other.own.family)}
            columns={[
              { head: "Realm", cell: (row) => <Link component={RouterLink} to={`/map?realm=${encodeURIComponent(row.realm.name)}`}>{row.realm.name}</Link> },
              {
                head: "Ranges",
                cell: (row) =>
                  rangesOf(row.pool.id, row.own.family).map((range) => (
                    <div key={range}>
                      <Link component={RouterLink} to={`/map?${new URLSearchParams({ realm: row.realm.name, range }).toString()}`}>
                        <Mono>{range}</Mono>
                      </Link>
                    </div>
                  )),
              },
              { head: "Pool", cell: (row) => row.pool.name },
              { head: "In use", cell: (row) => <UsageBar usage={row.own} warning={row.warning_percent} critical={row.critical_percent} name={row.pool.name} /> },
              { head: "Pools carved out", right: true, cell: (row) => row.carved || "—" },
            ]}
          />
        )}
      </Listed>
    </Card>
  );
}
