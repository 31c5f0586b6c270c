// One family at a time.
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import { useState } from "react";
import { FamilyHeadroom } from "./FamilyHeadroom";
import type { PoolHeadroom, Trend } from "./queries";

export function Families({ rows, name }: { rows: (PoolHeadroom | Trend)[]; name: string }) {
  const [at, setAt] = useState(0);
  const shown = Math.min(at, rows.length - 1);
  return (
    <>
      {rows.length > 1 && (
        <Tabs value={shown} onChange={(_, value) => setAt(value)} aria-label="Families">
          {rows.map((row) => (
            <Tab key={row.family} label={`IPv${row.family}`} />
          ))}
        </Tabs>
      )}
      {rows[shown] && <FamilyHeadroom row={rows[shown]} name={name} />}
    </>
  );
}
