// Lists of ranges for access rules.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { copyText } from "../parts/copy";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { grouped } from "../parts/text";
import { useRanges } from "./queries";
import { Scope, commandOf } from "./Scope";

const SHOWN = 1000;

export function RangeList() {
  const { filters, set } = useFilters();
  const ranges = useRanges(filters);
  const lines = (ranges.data ?? []).map((row) => ({ added: "+ ", gone: "- " })[row.mark] ?? "").map((mark, n) => mark + ranges.data![n]!.prefix);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Scope names={["realm", "pool", "project", "region", "zone", "tier"]} />
        <TextField select label="As" value={filters["aggregated"] ?? ""} onChange={(event) => set("aggregated", event.target.value)} sx={{ minWidth: 170 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
          <MenuItem value="">every block</MenuItem>
          <MenuItem value="true">fewest prefixes</MenuItem>
        </TextField>
        <TextFilter label="Changes since" type="date" value={filters["since"] ?? ""} onChange={(value) => set("since", value)} />
        <Button disabled={lines.length === 0} onClick={() => void copyText(lines.join("\n"))}>
          Copy as text
        </Button>
      </Stack>
      <Card>
        <Listed query={ranges} rows={(rows) => rows} empty="No range matches.">
          {(rows) => (
            <RecordTable
              label="Ranges"
              rows={rows.slice(0, SHOWN).map((row) => ({ ...row, id: `${row.prefix}${row.mark}` }))}
              columns={[
                { head: "Prefix", cell: (row) => <Mono>{row.prefix}</Mono> },
                { head: "Realm", cell: (row) => row.realm },
                { head: "Since then", cell: (row) => row.mark || "—" },
                { head: "Name", cell: (row) => row.name || "—" },
                { head: "Project", cell: (row) => row.project || "—" },
                { head: "Zone", cell: (row) => row.zone || "—" },
                { head: "Tier", cell: (row) => row.tier || "—" },
              ]}
            />
          )}
        </Listed>
      </Card>
      {(ranges.data?.length ?? 0) > SHOWN && <Typography color="text.secondary">and {grouped(ranges.data!.length - SHOWN)} more</Typography>}
      <CommandLine text={commandOf("lentra ranges", filters).replace("--aggregated true", "--aggregated")} />
    </>
  );
}
