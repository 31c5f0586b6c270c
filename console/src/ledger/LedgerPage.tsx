import Card from "@mui/material/Card";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import Switch from "@mui/material/Switch";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { call, type Page } from "../api/client";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { PageTurner } from "../parts/PageTurner";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import type { Entry } from "../subnets/queries";
import { EntryTable } from "./EntryTable";
import { useFollowing } from "./following";

const KINDS = [
  ...["subnet", "address record", "pool", "reservation", "keep-out", "plan", "planned need"],
  ...["realm", "rule sheet", "region", "zone", "tier", "project", "person", "token", "sign-in"],
  ...["request", "approval rule", "quota", "subscription", "group mapping", "source", "survey", "finding"],
];

export function LedgerPage() {
  useTitle("Ledger");
  const { filters, set } = useFilters();
  const [follows, setFollows] = useState(false);
  const entries = useQuery({
    queryKey: ["ledger", filters],
    queryFn: ({ signal }) => call<Page<Entry>>("GET", "ledger", { query: { limit: 50, ...filters }, signal }),
    placeholderData: keepPreviousData,
  });
  useFollowing(follows, entries.data?.results[0]?.number);
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Ledger</Typography>
      <Typography color="text.secondary">Every change: who, when, what, before and after, and why. Nothing here is ever altered.</Typography>
      <Stack direction="row" role="search" aria-label="Filters" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Choice label="Kind" value={filters["kind"] ?? ""} choices={[["", "any"], ...KINDS]} onChange={(value) => set("kind", value)} width={160} />
        <TextFilter label="Who" value={filters["actor"] ?? ""} onChange={(value) => set("actor", value)} />
        <TextFilter label="Name contains" value={filters["text"] ?? ""} onChange={(value) => set("text", value)} />
        <TextFilter label="What was done" value={filters["verb"] ?? ""} onChange={(value) => set("verb", value)} />
        <TextFilter label="Record number" type="number" value={filters["record"] ?? ""} onChange={(value) => set("record", value)} sx={{ width: 150 }} />
        {["since", "until"].map((name) => (
          <TextFilter
            key={name}
            label={name[0]!.toUpperCase() + name.slice(1)}
            type="date"
            value={filters[name] ?? ""}
            onChange={(value) => set(name, value)}
          />
        ))}
        <FormControlLabel control={<Switch checked={follows} onChange={(event) => setFollows(event.target.checked)} />} label="Show what comes" />
      </Stack>
      <Card>
        <Listed query={entries} rows={(page) => page.results} empty="No entry matches.">
          {(rows) => <EntryTable entries={rows} />}
        </Listed>
        <PageTurner page={entries.data} address="ledger" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandLine(["ledger"], { ...filters, cursor: undefined, ...(follows ? { follow: true } : {}) })} />
    </Stack>
  );
}
