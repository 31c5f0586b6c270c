// Old beside new: every subnet and reservation, with its address records and what else goes along.
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import type { Started } from "./queries";

const SHOWN = 200;

export function OldBesideNew({ made }: { made: Started }) {
  const kept = made.moves.filter((move) => move.kept).length;
  const hosts = made.moves.reduce((sum, move) => sum + move.hosts, 0);
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2" gutterBottom>
        Old beside new
      </Typography>
      <Typography color="text.secondary" sx={{ mb: 1 }}>
        {grouped(made.moves.length)} from {made.source} to {made.target}: {grouped(kept)} at the same offset, {grouped(made.moves.length - kept)} packed; {grouped(hosts)} address records.
      </Typography>
      <RecordTable
        label="Old beside new"
        rows={made.moves.slice(0, SHOWN)}
        columns={[
          { head: "What", cell: (move) => <strong>{move.name}</strong> },
          { head: "Wave", cell: (move) => move.wave || "at once" },
          { head: "Old", cell: (move) => <Mono>{move.old.ranges.join(", ")}</Mono> },
          { head: "New", cell: (move) => <Mono>{move.new.ranges.join(", ")}</Mono> },
          { head: "Offset", cell: (move) => (move.kept ? "kept" : "packed") },
          {
            head: "Goes along",
            cell: (move) => (
              <Stack>
                {move.carried.map((one) => (
                  <span key={one.what}>
                    {one.what}: <Mono>{one.old || "—"}</Mono> → <Mono>{one.new || "—"}</Mono>
                  </span>
                ))}
                {move.addresses.length > 0 && (
                  <details>
                    <summary>{move.addresses.length} address records</summary>
                    {move.addresses.map((host) => (
                      <div key={host.old}>
                        {host.name}: <Mono>{host.old}</Mono> → <Mono>{host.new}</Mono>
                      </div>
                    ))}
                  </details>
                )}
              </Stack>
            ),
          },
        ]}
      />
      {made.moves.length > SHOWN && <Typography sx={{ pt: 1 }}>{grouped(made.moves.length - SHOWN)} more: the command below lists them all with --output csv.</Typography>}
    </Card>
  );
}
