// Which few blocks of a pool to move so that a wanted length fits again.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useDeferredValue, useState } from "react";
import { Link as RouterLink } from "react-router";
import { Shown } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { counted } from "../parts/text";
import { useCompaction, type Compaction } from "./queries";

export function CompactionCard({ pool }: { pool: string }) {
  const [length, setLength] = useState("");
  const [family, setFamily] = useState("4");
  const advice = useCompaction(pool, useDeferredValue(length), family);
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h2">Make a length fit again</Typography>
      <Stack direction="row" sx={{ gap: 1.5, mt: 1.5, mb: 1 }}>
        <TextField label="Wanted length" type="number" value={length} onChange={(event) => setLength(event.target.value)} sx={{ width: 150 }} slotProps={{ htmlInput: { min: 0, max: 128 } }} />
        <Choice label="Family" value={family} choices={[["4", "IPv4"], ["6", "IPv6"]]} onChange={setFamily} width={110} />
      </Stack>
      {length === "" ? (
        <Typography color="text.secondary">Say which length is wanted: here are then the fewest addresses to move for it.</Typography>
      ) : (
        <Shown query={advice} what="what could be moved">
          {(data) => <Advice advice={data} />}
        </Shown>
      )}
      <CommandLine text={`lentra compact ${pool} --length ${length || "24"}${family === "4" ? "" : " --family 6"}`} />
    </Card>
  );
}

function Advice({ advice }: { advice: Compaction }) {
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography>
        {counted(advice.free, advice.family)} free, the largest free is {advice.largest_free ?? "none"}; if they lay together they could give a {advice.possible ?? "nothing"}.
      </Typography>
      {advice.why && <Alert severity="info">{advice.why[0]!.toUpperCase() + advice.why.slice(1)}.</Alert>}
      {advice.options.map((option) => (
        <Box key={option.prefix}>
          <Typography variant="h3">
            For <Mono>{option.prefix}</Mono>: move {option.blocks.length} {option.blocks.length === 1 ? "block" : "blocks"}, {counted(option.addresses, advice.family)}{advice.family === 4 && " addresses"}
          </Typography>
          <Link component={RouterLink} to={`/renumberings?from_ranges=${option.prefix}`}>
            Where they would go
          </Link>
          <RecordTable
            label={`To move for ${option.prefix}`}
            rows={[...option.blocks.map((block) => ({ ...block, what: "move" })), ...option.room.map((block) => ({ ...block, what: "give up room" }))].map((row) => ({ ...row, id: row.prefix }))}
            columns={[
              { head: "Do", cell: (row) => row.what },
              { head: "Block", cell: (row) => <Mono>{row.prefix}</Mono> },
              { head: "Subnet", cell: (row) => <Link component={RouterLink} to={`/subnets/${row.subnet.id}`}>{row.subnet.name}</Link> },
              { head: "Project", cell: (row) => row.project },
              { head: "Zone", cell: (row) => row.zone ?? "—" },
              { head: "Tier", cell: (row) => row.tier },
            ]}
          />
        </Box>
      ))}
    </Stack>
  );
}
