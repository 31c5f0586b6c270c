import { Mono } from "../parts/Mono";
import type { Column } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import { UsageBar, type Usage } from "../parts/UsageBar";
import type { PoolUsage } from "./queries";

/** A pool in one family, as a row. */
export type PoolRow = Omit<PoolUsage, "own"> & { id: string; own: Usage; depth: number; first: boolean };

export function rowsOf(row: PoolUsage, depth: number): PoolRow[] {
  return row.own.map((own, n) => ({ ...row, id: `${row.pool.id}-${own.family}`, own, depth, first: n === 0 }));
}

const units = (own: Usage, state: string) => (own.family === 4 ? grouped(own.units[state]!) : `${grouped(own.units[state]!)} × ${own.unit}`);

export const POOL_COLUMNS: Column<PoolRow>[] = [
  { head: "Pool", cell: (row) => row.pool.name },
  { head: "Realm", cell: (row) => row.realm.name },
  { head: "Carved from", cell: (row) => row.parent?.name ?? "—" },
  { head: "Place", cell: (row) => row.zone?.name ?? row.region?.name ?? "anywhere" },
  { head: "Family", cell: (row) => `IPv${row.own.family}` },
  { head: "In use", cell: (row) => <UsageBar usage={row.own} warning={row.warning_percent} critical={row.critical_percent} name={row.pool.name} /> },
  { head: "Free", right: true, cell: (row) => units(row.own, "free") },
  { head: "Largest free", right: true, cell: (row) => <Mono>{row.own.largest_free ?? "none"}</Mono> },
  { head: "Handed out", right: true, cell: (row) => units(row.own, "handed out") },
  { head: "Cooling", right: true, cell: (row) => units(row.own, "cooling") },
  { head: "Pools carved out", right: true, cell: (row) => row.carved || "—" },
];
export const RARE_POOL_COLUMNS = ["Handed out", "Cooling", "Pools carved out"];
