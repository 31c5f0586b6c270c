// What sources see of a subnet, beside what is recorded: its findings, and what lies in its blocks.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useFindings, useSightings } from "./queries";

export function SeenCard({ subnet }: { subnet: { id: number } }) {
  const findings = useFindings({ subnet: String(subnet.id), state: "open", limit: "20" });
  const sightings = useSightings({ subnet: String(subnet.id), limit: "20" });
  const differing = findings.data?.results ?? [];
  const seen = sightings.data?.results ?? [];
  if (!differing.length && !seen.length) return null;
  return (
    <Card component="section" aria-label="Recorded beside seen">
      <Stack sx={{ p: 2, gap: 1 }}>
        <Typography variant="h2">Recorded beside seen</Typography>
        {differing.map((one) => (
          <Typography key={one.id} color="warning.main">
            {one.kind}: {one.text}{" "}
            <Link component={RouterLink} to={`/findings?subnet=${subnet.id}`} aria-label={`Findings: ${one.name}`}>
              Findings
            </Link>
          </Typography>
        ))}
        {!differing.length && <Typography color="text.secondary">Nothing differs, as far as it was seen.</Typography>}
      </Stack>
      {seen.length > 0 && (
        <RecordTable
          label="What was seen in it"
          rows={seen}
          columns={[
            { head: "Seen", cell: (row) => <Mono>{row.range}</Mono> },
            { head: "What is told of it", cell: (row) => Object.entries(row.facts).map(([name, value]) => `${name} ${value}`).join(", ") || "—" },
            { head: "By", cell: (row) => row.source.name },
            { head: "Since", cell: (row) => shortTime(row.first_seen_at) },
            { head: "Last", cell: (row) => (row.seen_at ? shortTime(row.seen_at) : "—") },
          ]}
        />
      )}
    </Card>
  );
}
