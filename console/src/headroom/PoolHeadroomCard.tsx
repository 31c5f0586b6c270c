// How long a pool lasts: use over time with its forecast, thresholds, and the lengths that are asked for.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Box from "@mui/material/Box";
import Card from "@mui/material/Card";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import { usePoolHeadroom, type PoolHeadroom } from "./queries";
import { UsageChart } from "./UsageChart";

export function PoolHeadroomCard({ id, name }: { id: string; name: string }) {
  const [window, setWindow] = useState("182");
  const [at, setAt] = useState(0);
  const headroom = usePoolHeadroom(id, window);
  return (
    <Card sx={{ p: 2 }}>
      <Stack direction="row" sx={{ alignItems: "center", gap: 2, mb: 1, flexWrap: "wrap" }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          How long it lasts
        </Typography>
        <Button component={RouterLink} to={`/headroom/what-if?pool=${encodeURIComponent(name)}`}>
          What if…
        </Button>
        <TextField select label="Trend of" value={window} onChange={(event) => setWindow(event.target.value)} sx={{ width: 150 }}>
          <MenuItem value="91">3 months</MenuItem>
          <MenuItem value="182">6 months</MenuItem>
          <MenuItem value="365">a year</MenuItem>
          <MenuItem value="730">two years</MenuItem>
        </TextField>
      </Stack>
      <Shown query={headroom} what="its headroom">
        {(rows) => (
          <>
            {rows.length > 1 && (
              <Tabs value={Math.min(at, rows.length - 1)} onChange={(_, value) => setAt(value)} aria-label="Families">
                {rows.map((row) => (
                  <Tab key={row.family} label={`IPv${row.family}`} />
                ))}
              </Tabs>
            )}
            {rows[Math.min(at, rows.length - 1)] && <Family row={rows[Math.min(at, rows.length - 1)]!} name={name} />}
          </>
        )}
      </Shown>
      <CommandLine text={`lentra headroom ${name}${window === "182" ? "" : ` --window-days ${window}`}`} />
    </Card>
  );
}

function Family({ row, name }: { row: PoolHeadroom; name: string }) {
  return (
    <Stack sx={{ gap: 1.5, mt: 1 }}>
      <UsageChart headroom={row} name={name} />
      {row.no_forecast ? (
        <Alert severity="info">No forecast: {row.no_forecast}.</Alert>
      ) : (
        <Typography>
          {row.family === 4 ? `${grouped(row.per_month!)} addresses` : `${grouped((BigInt(row.per_month!) >> 64n).toString())} × /64`} more a month; the fan
          holds {row.confidence_percent} % of such forecasts.
        </Typography>
      )}
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", md: "1fr 1fr" }, gap: 2 }}>
        <RecordTable
          label={`Thresholds, IPv${row.family}`}
          rows={row.thresholds.map((one) => ({ ...one, id: one.name }))}
          columns={[
            { head: "Reaches", cell: (one) => `${one.name}, ${one.percent} %` },
            { head: "Early", cell: (one) => one.early ?? "—" },
            { head: "Likely", cell: (one) => (one.reached ? "reached" : (one.likely ?? "—")) },
            { head: "Late", cell: (one) => one.late ?? "—" },
          ]}
        />
        <RecordTable
          label={`Lengths asked for, IPv${row.family}`}
          rows={row.lengths.map((one) => ({ ...one, id: one.length }))}
          columns={[
            { head: "Length", cell: (one) => <Mono>/{one.length}</Mono> },
            { head: "Still fits", right: true, cell: (one) => grouped(one.fits) },
            { head: "Asked for", right: true, cell: (one) => one.asked },
            { head: "Lasts until", cell: (one) => one.until ?? "as far as can be seen" },
          ]}
        />
      </Box>
      {row.steps.length > 0 && (
        <RecordTable
          label={`Steps to come, IPv${row.family}`}
          rows={row.steps.map((step, n) => ({ ...step, id: n }))}
          columns={[
            { head: "Day", cell: (step) => step.day },
            { head: "Addresses", right: true, cell: (step) => grouped(step.amount) },
            { head: "What", cell: (step) => `${step.what}: ${step.name}` },
            { head: "Why", cell: (step) => step.why },
          ]}
        />
      )}
    </Stack>
  );
}
