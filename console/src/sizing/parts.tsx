import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import TextField from "@mui/material/TextField";
import type { ReactNode } from "react";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped } from "../parts/text";
import type { Size } from "./queries";

/** The form's fields in a row that wraps. */
export function Inputs({ children }: { children: ReactNode }) {
  return <Box sx={{ display: "flex", flexWrap: "wrap", gap: 2 }}>{children}</Box>;
}

export function NumberInput({ label, value, onChange, width = 140 }: { label: string; value: string; onChange: (value: string) => void; width?: number }) {
  return <TextField label={label} type="number" value={value} onChange={(event) => onChange(event.target.value)} sx={{ width }} />;
}

export function SheetSelect({ value, onChange }: { value: string; onChange: (value: string) => void }) {
  return <RefSelect kind="rule-sheets" label="Rule sheet" value={value} onChange={onChange} none="ends-withheld" />;
}

/** A size in one sentence, then its counts as bar and table. */
export function SizeShown({ size, what = "" }: { size: Size; what?: string }) {
  const counts = [
    { id: "withheld", count: Number(size.withheld), label: "withheld" },
    { id: "needed", count: Number(size.needed), label: "needed" },
    { id: "spare", count: Number(size.spare), label: "spare" },
  ];
  const total = Number(size.total);
  const looks: Record<string, string> = { withheld: "warning.main", needed: "primary.main", spare: "action.disabledBackground" };
  return (
    <Box aria-live="polite">
      <Alert severity="info" icon={false}>
        {what}
        <strong>/{size.length}</strong> under {size.sheet}: {size.why_not_smaller}.
      </Alert>
      {size.family === 4 && (
        <Box role="img" aria-label={counts.map((one) => `${one.count} ${one.label}`).join(", ")} sx={{ display: "flex", height: 18, mt: 1.5, border: 1, borderColor: "divider" }}>
          {counts.map((one) => (
            <Box
              key={one.id}
              sx={{ width: `${(one.count / total) * 100}%`, bgcolor: looks[one.id], color: one.id === "spare" ? "text.primary" : "background.paper", minWidth: one.count ? 2 : 0, fontSize: 12, lineHeight: "16px", px: one.count / total > 0.1 ? 0.75 : 0 }}
            >
              {one.count / total > 0.1 && one.label}
            </Box>
          ))}
        </Box>
      )}
      <RecordTable
        label="Counts"
        rows={[{ id: "total" }, { id: "withheld" }, { id: "usable" }, { id: "needed" }, { id: "spare" }] as { id: "total" }[]}
        columns={[
          { head: "Of", cell: (row) => row.id },
          { head: "Addresses", right: true, cell: (row) => grouped(size[row.id]) },
        ]}
      />
    </Box>
  );
}
