// What a plan comes to: errors and notes with their consequences, counts, pools before and after, every block.
import Alert from "@mui/material/Alert";
import AlertTitle from "@mui/material/AlertTitle";
import Box from "@mui/material/Box";
import Card from "@mui/material/Card";
import Chip from "@mui/material/Chip";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { grouped, percent } from "../parts/text";
import type { Finding, Proposed } from "./queries";

const SHOWN = 400;

export function ProposedPlan({ proposed }: { proposed: Proposed }) {
  return (
    <>
      <Findings findings={proposed.errors} severity="error" title="This stops it" />
      <Findings findings={proposed.notes} severity="warning" title="Worth knowing" />
      <Card sx={{ p: 2 }}>
        <Stack direction="row" sx={{ gap: 1, alignItems: "center", mb: 1, flexWrap: "wrap" }}>
          <Typography variant="h2" sx={{ mr: 1 }}>
            What it comes to
          </Typography>
          {Object.entries(proposed.counts)
            .filter(([, count]) => count > 0)
            .map(([what, count]) => (
              <Chip key={what} size="small" variant="outlined" label={`${grouped(count)} ${what}`} />
            ))}
        </Stack>
        {proposed.usage.length > 0 && (
          <RecordTable
            label="Pools before and after"
            rows={proposed.usage.map((row) => ({ ...row, id: `${row.pool.id}-${row.family}` }))}
            columns={[
              { head: "Pool", cell: (row) => `${row.pool.name}, IPv${row.family}` },
              { head: "In use before", right: true, cell: (row) => percent(row.before_percent) },
              { head: "After", right: true, cell: (row) => <strong>{percent(row.after_percent)}</strong> },
              { head: "Largest free before", right: true, cell: (row) => row.largest_free_before ?? "none" },
              { head: "After ", right: true, cell: (row) => row.largest_free_after ?? "none" },
            ]}
          />
        )}
        <Box sx={{ mt: 2 }}>
          <RecordTable
            label="Blocks of the plan"
            rows={proposed.blocks.slice(0, SHOWN).map((row) => ({ ...row, id: row.slot + row.change }))}
            columns={[
              { head: "Slot", cell: (row) => row.slot },
              { head: "Change", cell: (row) => row.change },
              { head: "Name", cell: (row) => row.name },
              { head: "Blocks", cell: (row) => row.blocks.map((block) => <div key={block}><Mono>{block}</Mono></div>) },
              { head: "Usable", right: true, cell: (row) => (row.usable ? grouped(row.usable) : "—") },
              { head: "Gateway", cell: (row) => row.gateway },
              { head: "Tag", right: true, cell: (row) => row.tag ?? "—" },
              { head: "Room", cell: (row) => row.room.map((room) => <div key={room}><Mono>{room}</Mono></div>) },
            ]}
          />
          {proposed.blocks.length > SHOWN && <Typography color="text.secondary">and {grouped(proposed.blocks.length - SHOWN)} more</Typography>}
        </Box>
        {proposed.reserving.length > 0 && (
          <Typography sx={{ mt: 1 }}>
            Kept back:{" "}
            {proposed.reserving.slice(0, 12).map((kept, n) => (
              <span key={n}>
                {n > 0 && ", "}
                <Mono>{kept.range}</Mono> ({kept.kind}
                {kept.zone && ` in ${kept.zone}`})
              </span>
            ))}
            {proposed.reserving.length > 12 && ` and ${proposed.reserving.length - 12} more`}
          </Typography>
        )}
      </Card>
    </>
  );
}

function Findings({ findings, severity, title }: { findings: Finding[]; severity: "error" | "warning"; title: string }) {
  if (findings.length === 0) return null;
  return (
    <Alert severity={severity}>
      <AlertTitle>{title}</AlertTitle>
      <Box component="ul" sx={{ m: 0, pl: 2.5 }}>
        {findings.slice(0, 12).map((finding, n) => (
          <li key={n}>
            <strong>{finding.where}:</strong> {finding.text}. {finding.consequence[0]?.toUpperCase()}
            {finding.consequence.slice(1)}.{finding.suggestions.length > 0 && ` Would work: ${finding.suggestions.slice(0, 4).join(", ")}.`}
          </li>
        ))}
        {findings.length > 12 && <li>and {findings.length - 12} more</li>}
      </Box>
    </Alert>
  );
}
