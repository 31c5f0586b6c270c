// What changed between two days, and usage as it was on one.
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { counted, grouped, percent } from "../parts/text";
import { useChanges, useUsageOn } from "./queries";
import { Scope, commandOf } from "./Scope";

export function Changed() {
  const { filters, set } = useFilters();
  const since = filters["since"] ?? new Date(Date.now() - 30 * 86_400_000).toISOString().slice(0, 10);
  const { on: _, ...others } = filters;
  const changes = useChanges({ ...others, since });
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
      <CommandLine text={commandOf("lentra changes", { ...others, since })} />
      <OnDay />
    </>
  );
}

/** Usage as it was on a day, from the readings. */
function OnDay() {
  const { filters, set } = useFilters();
  const { since: _, until: __, ...scope } = filters;
  const usage = useUsageOn(scope);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", mt: 2 }}>
        <Typography variant="h2">Usage on a day</Typography>
        <TextFilter label="Day" type="date" value={scope["on"] ?? ""} onChange={(value) => set("on", value)} />
      </Stack>
      {scope["on"] && (
        <Card>
          <Listed query={usage} rows={(rows) => rows} empty="There is no reading of that day.">
            {(rows) => (
              <RecordTable
                label={`Usage on ${scope["on"]}`}
                rows={rows.map((row, n) => ({ ...row, id: n }))}
                columns={[
                  { head: "Pool", cell: (row) => row.pool.name },
                  { head: "Family", cell: (row) => `IPv${row.family}` },
                  { head: "In use", right: true, cell: (row) => percent(row.used_percent) },
                  { head: "Addresses", right: true, cell: (row) => counted(row.used, row.family) },
                  { head: "Of", right: true, cell: (row) => counted(row.total, row.family) },
                ]}
              />
            )}
          </Listed>
        </Card>
      )}
      {scope["on"] && <CommandLine text={commandOf("lentra changes", scope)} />}
    </>
  );
}
