import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import visuallyHidden from "@mui/utils/visuallyHidden";
import type { ReactNode } from "react";

export interface Column<Row> {
  head: string;
  label?: string;
  right?: boolean;
  cell: (row: Row) => ReactNode;
}

/** A plain table of records. */
export function RecordTable<Row extends { id?: number | string }>({
  label,
  rows,
  columns,
  isMarked,
}: {
  label: string;
  rows: Row[];
  columns: Column<Row>[];
  isMarked?: (row: Row) => boolean;
}) {
  return (
    <TableContainer tabIndex={0} role="region" aria-label={label}>
      <Table size="small" aria-label={label}>
        <TableHead>
          <TableRow>
            {columns.map((column) => (
              <TableCell key={column.head || column.label} align={column.right ? "right" : "left"}>
                {column.head || <span style={visuallyHidden}>{column.label}</span>}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {rows.map((row, n) => (
            <TableRow key={row.id ?? n} hover selected={isMarked?.(row) ?? false}>
              {columns.map((column) => (
                <TableCell key={column.head || column.label} align={column.right ? "right" : "left"}>
                  {column.cell(row)}
                </TableCell>
              ))}
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </TableContainer>
  );
}
