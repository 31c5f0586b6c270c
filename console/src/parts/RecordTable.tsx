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

const CHECKBOX = { width: 18, height: 18, margin: 8, accentColor: "var(--mui-palette-primary-main)" };

/** Rows that one picks to do something with all of them. */
export interface Picking<Row> {
  picked: Row[];
  onPick: (rows: Row[]) => void;
  nameOf: (row: Row) => string;
}

/** Which rows are drawn, where there are very many: their places, the space that stands for those above and below. */
export interface Drawn {
  items: number[];
  above: number;
  below: number;
  measure: (row: HTMLTableRowElement | null) => void;
}

/** A plain table of records. */
export function RecordTable<Row extends { id?: number | string }>({
  label,
  rows,
  columns,
  isMarked,
  picking,
  drawn,
}: {
  label: string;
  drawn?: Drawn;
  rows: Row[];
  columns: Column<Row>[];
  isMarked?: (row: Row) => boolean;
  picking?: Picking<Row> | undefined;
}) {
  const isPicked = (row: Row) => !!picking?.picked.some((one) => one.id === row.id);
  return (
    <TableContainer {...(drawn ? { sx: { overflow: "visible" } } : { tabIndex: 0, role: "region", "aria-label": label })}>
      <Table size="small" aria-label={label} stickyHeader={!!drawn} {...(drawn ? { "aria-rowcount": rows.length + 1 } : {})}>
        <TableHead>
          <TableRow>
            {picking && (
              <TableCell padding="checkbox">
                <input
                  type="checkbox"
                  aria-label={drawn ? "Pick all that are loaded" : "Pick all on this page"}
                  checked={rows.length > 0 && rows.every(isPicked)}
                  ref={(box) => void (box && (box.indeterminate = rows.some(isPicked) && !rows.every(isPicked)))}
                  onChange={(event) => picking.onPick(event.target.checked ? rows : [])}
                  style={CHECKBOX}
                />
              </TableCell>
            )}
            {columns.map((column) => (
              <TableCell key={column.head || column.label} align={column.right ? "right" : "left"}>
                {column.head || <span style={visuallyHidden}>{column.label}</span>}
              </TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {drawn && drawn.above > 0 && <tr aria-hidden style={{ height: drawn.above }} />}
          {(drawn ? drawn.items.filter((n) => n < rows.length).map((n) => [rows[n]!, n] as const) : rows.map((row, n) => [row, n] as const)).map(([row, n]) => (
            <TableRow key={row.id ?? n} hover selected={isMarked?.(row) || isPicked(row)} {...(drawn ? { ref: drawn.measure, "data-index": n, "aria-rowindex": n + 2 } : {})}>
              {picking && (
                <TableCell padding="checkbox">
                  <input
                    type="checkbox"
                    aria-label={`Pick ${picking.nameOf(row)}`}
                    checked={isPicked(row)}
                    onChange={(event) => picking.onPick(event.target.checked ? [...picking.picked, row] : picking.picked.filter((one) => one.id !== row.id))}
                    style={CHECKBOX}
                  />
                </TableCell>
              )}
              {columns.map((column) => (
                <TableCell key={column.head || column.label} align={column.right ? "right" : "left"}>
                  {column.cell(row)}
                </TableCell>
              ))}
            </TableRow>
          ))}
          {drawn && drawn.below > 0 && <tr aria-hidden style={{ height: drawn.below }} />}
        </TableBody>
      </Table>
    </TableContainer>
  );
}
