// All pools of a realm, region, zone or project together: every state, no address counted twice.
import Box from "@mui/material/Box";
import Card from "@mui/material/Card";
import Typography from "@mui/material/Typography";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { RecordTable } from "../parts/RecordTable";
import { grouped, percent } from "../parts/text";
import { UsageBar } from "../parts/UsageBar";
import { STATES } from "../parts/states";
import { useUsageTogether } from "./queries";
import { commandOf } from "./Scope";

const WARNING = 75;
const CRITICAL = 90;

export function Together({ filters }: { filters: Record<string, string> }) {
  const usages = useUsageTogether(filters);
  const of = Object.fromEntries(Object.entries(filters).filter(([name]) => ["realm", "region", "zone", "project"].includes(name)));
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2">All pools there, together</Typography>
      <Listed query={usages} rows={(found) => found} empty="No pool is there.">
        {(found) => (
          <>
            {found.map((usage) => (
              <Box key={usage.family} sx={{ display: "flex", alignItems: "center", gap: 2, my: 0.5 }}>
                <span>IPv{usage.family}</span>
                <UsageBar usage={usage} warning={WARNING} critical={CRITICAL} name="all pools" />
                <span>
                  largest free {usage.largest_free ?? "none"}, fragmentation {percent(usage.fragmentation_percent)}
                  {usage.hd_ratio !== null && `, HD ratio ${usage.hd_ratio} (threshold ${usage.hd_threshold})`}
                </span>
              </Box>
            ))}
            <RecordTable
              label="All pools by state"
              rows={STATES.filter((state) => found.some((usage) => (usage.percent[state] ?? 0) > 0)).map((state) => ({ id: state, state }))}
              columns={[
                { head: "State", cell: (row) => row.state },
                ...found.flatMap((usage) => [
                  { head: usage.family === 4 ? "IPv4 addresses" : `IPv6 in ${usage.unit}`, right: true, cell: (row: { state: string }) => grouped(usage.units[row.state] ?? "0") },
                  { head: `IPv${usage.family} share`, right: true, cell: (row: { state: string }) => percent(usage.percent[row.state] ?? 0) },
                ]),
              ]}
            />
          </>
        )}
      </Listed>
      <CommandLine text={commandOf("lentra usage --together", of)} />
    </Card>
  );
}
