// Lists of ranges for access rules.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import { useMutation } from "@tanstack/react-query";
import { call } from "../api/client";
import { Listed, ProblemAlert } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { copyText } from "../parts/copy";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { useRanges, type ListedRange } from "./queries";
import { Scope, commandOf } from "./Scope";

export function RangeList() {
  const { filters, set } = useFilters();
  const ranges = useRanges(filters);
  const lines = useMutation({
    mutationFn: async () => {
      const rows = await call<ListedRange[]>("GET", "ranges/lines", { query: filters });
      await copyText(rows.map((row) => ({ added: "+ ", gone: "- " })[row.mark] ?? "").map((mark, n) => mark + rows[n]!.prefix).join("\n"));
    },
  });
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Scope names={["realm", "pool", "project", "region", "zone", "tier"]} />
        <Choice label="As" value={filters["aggregated"] ?? ""} choices={[["", "every block"], ["true", "fewest prefixes"]]} onChange={(value) => set("aggregated", value)} width={170} />
        <TextFilter label="Changes since" type="date" value={filters["since"] ?? ""} onChange={(value) => set("since", value)} />
        <Button disabled={!ranges.data?.results.length || lines.isPending} onClick={() => lines.mutate()}>
          Copy all as text
        </Button>
      </Stack>
      <Card>
        <Listed query={ranges} rows={(page) => page.results} empty="No range matches.">
          {(rows) => (
            <RecordTable
              label="Ranges"
              rows={rows.map((row) => ({ ...row, id: `${row.prefix}${row.mark}` }))}
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
        <PageTurner page={ranges.data} cursor={filters["cursor"]} address="ranges" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <ProblemAlert error={lines.error} />
      <CommandLine text={commandOf("lentra ranges", filters).replace("--aggregated true", "--aggregated")} />
    </>
  );
}
