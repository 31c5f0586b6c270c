// What changed between two days.
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { grouped } from "../parts/text";
import { useChanges } from "./queries";
import { Scope, commandOf } from "./Scope";

export function Changed() {
  const { filters, set } = useFilters();
  const since = filters["since"] ?? new Date(Date.now() - 30 * 86_400_000).toISOString().slice(0, 10);
  const changes = useChanges({ ...filters, since });
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        {["since", "until"].map((name) => (
          <TextFilter
            key={name}
            label={name[0]!.toUpperCase() + name.slice(1)}
            type="date"
            value={name === "since" ? since : (filters[name] ?? "")}
            onChange={(value) => set(name, value)}
            slotProps={{ inputLabel: { shrink: true } }}
          />
        ))}
        <Scope names={["realm", "pool"]} />
      </Stack>
      <Card>
        <Listed query={changes} rows={(rows) => rows} empty="Nothing changed in that time.">
          {(rows) => (
            <RecordTable
              label="Changes"
              rows={rows.map((row, n) => ({ ...row, id: n }))}
              columns={[
                { head: "What", cell: (row) => row.what },
                { head: "By", cell: (row) => row.by },
                { head: "Subnets", right: true, cell: (row) => grouped(row.subnets) },
                { head: "IPv4 addresses", right: true, cell: (row) => grouped(row.ipv4) },
              ]}
            />
          )}
        </Listed>
      </Card>
      <CommandLine text={commandOf("lentra changes", { ...filters, since })} />
    </>
  );
}
