// How long one family lasts: use over time with its forecast, thresholds, the lengths that are asked for, steps to come.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { counted, grouped } from "../parts/text";
import type { PoolHeadroom, Trend } from "./queries";
import { UsageChart } from "./UsageChart";

/** One family of a pool, a realm, a project or a zone: use over time, thresholds, lengths, steps, as far as there are any. */
export function FamilyHeadroom({ row, name }: { row: PoolHeadroom | Trend; name: string }) {
  return (
    <Stack sx={{ gap: 1.5, mt: 1 }}>
      <UsageChart headroom={row} name={name} />
      {row.no_forecast ? (
        <Alert severity="info">No forecast: {row.no_forecast}.</Alert>
      ) : (
        <Typography>
          {counted(row.per_month!, row.family)}
          {row.family === 4 && " addresses"} more a month; the fan holds {row.confidence_percent} % of such forecasts.
        </Typography>
      )}
      {"thresholds" in row && <ThresholdsAndLengths row={row} />}
    </Stack>
  );
}

function ThresholdsAndLengths({ row }: { row: PoolHeadroom }) {
  return (
    <>
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
        {row.lengths.length > 0 && (
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
        )}
      </Box>
      {row.steps.length > 0 && (
        <RecordTable
          label={`Steps to come, IPv${row.family}`}
          rows={row.steps.map((step, n) => ({ ...step, id: n }))}
          columns={[
            { head: "Day", cell: (step) => step.day },
            { head: "Addresses", right: true, cell: (step) => counted(step.amount, row.family) },
            { head: "What", cell: (step) => `${step.what}: ${step.name}` },
            { head: "Why", cell: (step) => step.why },
          ]}
        />
      )}
    </>
  );
}
