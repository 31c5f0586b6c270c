import Button from "@mui/material/Button";
import Link from "@mui/material/Link";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import type { MapCell, MapShown } from "./queries";

/** The map as a table, if wanted. */
export function MapTable({ map }: { map: MapShown }) {
  const [tabled, setTabled] = useState(false);
  return (
    <>
      <Button size="small" onClick={() => setTabled(!tabled)} aria-expanded={tabled} sx={{ mt: 1 }}>
        {tabled ? "Hide the table" : "The same as a table"}
      </Button>
      {tabled && (
        <RecordTable
          label={`Pieces of ${map.range}`}
          rows={map.cells.map((cell) => ({ ...cell, id: cell.range }))}
          columns={[
            { head: "Range", cell: (cell) => <Mono>{cell.range}</Mono> },
            { head: "State", cell: (cell) => cell.state },
            { head: "Whose", cell: (cell) => <Whose cell={cell} /> },
            { head: "Project", cell: (cell) => cell.project ?? "—" },
            { head: "Zone", cell: (cell) => cell.zone ?? "—" },
            { head: "Tier", cell: (cell) => cell.tier ?? "—" },
            { head: "Addresses", right: true, cell: (cell) => grouped(cell.addresses) },
            { head: "Free", right: true, cell: (cell) => grouped(cell.free) },
          ]}
        />
      )}
    </>
  );
}

function Whose({ cell }: { cell: MapCell }) {
  if (cell.subnet)
    return (
      <Link component={RouterLink} to={`/subnets/${cell.subnet.id}`}>
        {cell.subnet.name}
      </Link>
    );
  if (cell.child)
    return (
      <Link component={RouterLink} to={`/pools/${cell.child.id}`}>
        {cell.child.name}
      </Link>
    );
  return <>{cell.reservation?.name ?? cell.why ?? "—"}</>;
}
