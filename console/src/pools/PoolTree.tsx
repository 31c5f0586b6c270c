// Pools under the pools that they are carved out of; what lies below is read when it is opened.
import ChevronIcon from "@mui/icons-material/ChevronRight";
import Box from "@mui/material/Box";
import IconButton from "@mui/material/IconButton";
import Link from "@mui/material/Link";
import { useQueries } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { everyRow } from "../api/client";
import { RecordTable, type Column } from "../parts/RecordTable";
import { rowsOf, type PoolRow } from "./columns";
import type { PoolUsage } from "./queries";

export function PoolTree({ pools, columns, deep }: { pools: PoolUsage[]; columns: Column<PoolRow>[]; deep: boolean }) {
  const [open, setOpen] = useState<number[]>([]);
  const below = useQueries({
    queries: open.map((id) => ({ queryKey: ["usage", "below", id], queryFn: () => everyRow<PoolUsage>("usage", { parent: String(id) }) })),
  });
  const childrenOf = (id: number) => below[open.indexOf(id)]?.data ?? [];
  const flat = (row: PoolUsage, depth: number): PoolRow[] => [
    ...rowsOf(row, depth),
    ...(open.includes(row.pool.id) ? childrenOf(row.pool.id).flatMap((child) => flat(child, depth + 1)) : []),
  ];
  const toggle = (id: number) => setOpen(open.includes(id) ? open.filter((one) => one !== id) : [...open, id]);
  const [first, ...others] = columns;
  const branch: Column<PoolRow> = {
    ...first!,
    cell: (row) => (
      <Box sx={{ display: "flex", alignItems: "center", pl: row.depth * 2.5 }}>
        {deep &&
          (row.carved > 0 && row.first ? (
            <IconButton size="small" aria-label={`What is carved out of ${row.pool.name}`} aria-expanded={open.includes(row.pool.id)} onClick={() => toggle(row.pool.id)}>
              <ChevronIcon fontSize="small" sx={{ transform: open.includes(row.pool.id) ? "rotate(90deg)" : "none" }} />
            </IconButton>
          ) : (
            <Box sx={{ width: 30, flexShrink: 0 }} />
          ))}
        <Link component={RouterLink} to={`/pools/${row.pool.id}`} sx={{ fontWeight: 600 }}>
          {row.pool.name}
        </Link>
      </Box>
    ),
  };
  return <RecordTable label="Pools" rows={pools.flatMap((row) => flat(row, 0))} columns={[branch, ...others]} />;
}
