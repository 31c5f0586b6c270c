// A long list in a frame of its own: only the rows in view are drawn, and more are fetched as one comes near the end.
import Box from "@mui/material/Box";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useEffect, useRef } from "react";
import { RecordTable, type Column, type Picking } from "./RecordTable";

const ROW = 37; // pixels, about: each is measured once it is drawn
const NEAR = 40; // rows from the end

export function ScrolledTable<Row extends { id?: number | string }>({
  label,
  rows,
  columns,
  picking,
  onNearEnd,
}: {
  label: string;
  rows: Row[];
  columns: Column<Row>[];
  picking?: Picking<Row> | undefined;
  onNearEnd: () => void;
}) {
  const frame = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({ count: rows.length, getScrollElement: () => frame.current, estimateSize: () => ROW, overscan: 12, initialRect: { width: 1000, height: 800 } });
  const items = virtual.getVirtualItems();
  const first = items[0];
  const last = items[items.length - 1];
  const near = (last?.index ?? 0) > rows.length - NEAR;
  useEffect(() => {
    if (near) onNearEnd();
  }, [near, rows.length, onNearEnd]);
  return (
    <Box ref={frame} sx={{ maxHeight: "72vh", overflow: "auto" }} tabIndex={0} role="region" aria-label={`${label}, scrolled`}>
      <RecordTable
        label={label}
        rows={rows}
        columns={columns}
        picking={picking}
        drawn={{ items: items.map((item) => item.index), above: first?.start ?? 0, below: virtual.getTotalSize() - (last?.end ?? 0), measure: virtual.measureElement }}
      />
    </Box>
  );
}
