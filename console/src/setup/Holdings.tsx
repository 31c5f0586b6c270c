// All that a project holds, with ranges and counts.
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { call, type Page, type Told } from "../api/client";
import { placeOf } from "../find/places";
import { Listed, Shown } from "../parts/Answers";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { Facts } from "../parts/Facts";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { StateChip } from "../parts/states";
import { grouped } from "../parts/text";
import { QuotaBars } from "./QuotaBars";

type Totals = Told<"ProjectTotals">;

export function Holdings({ id, name }: { id: number; name: string }) {
  const [cursor, setCursor] = useState("");
  const totals = useQuery({ queryKey: ["projects", id, "totals"], queryFn: () => call<Totals>("GET", `projects/${id}/totals`) });
  const held = useQuery({
    queryKey: ["projects", id, "holdings", cursor],
    queryFn: () => call<Page<Told<"Holding">>>("GET", `projects/${id}/holdings`, { query: { limit: 50, cursor } }),
    placeholderData: keepPreviousData,
  });
  return (
    <Card>
      <CardContent>
        <Typography variant="h2" gutterBottom>
          What it holds
        </Typography>
        <Shown query={totals} what="what it holds">
          {(data) => (
            <Stack sx={{ gap: 2 }}>
              <QuotaBars quotas={data.quotas} />
              <Facts facts={inWords(data)} />
            </Stack>
          )}
        </Shown>
      </CardContent>
      <Listed query={held} rows={(page) => page.results} empty="It holds nothing.">
        {(rows) => (
          <RecordTable
            label="What it holds"
            rows={rows}
            columns={[
              { head: "Kind", cell: (row) => row.kind },
              { head: "Name", cell: (row) => <Named kind={row.kind} id={row.id} name={row.name} /> },
              { head: "Realm", cell: (row) => row.realm.name },
              { head: "Ranges", cell: (row) => <Mono>{row.ranges.join("  ")}</Mono> },
              { head: "State", cell: (row) => (row.state ? <StateChip state={row.state} /> : "") },
              { head: "Place", cell: (row) => row.place },
              { head: "Tier", cell: (row) => row.tier },
              { head: "About", cell: (row) => row.about },
            ]}
          />
        )}
      </Listed>
      <PageTurner page={held.data} address={`projects/${id}/holdings`} onTurn={setCursor} />
      <CardContent>
        <CommandLine text={commandLine(["project", "holdings", name])} />
      </CardContent>
    </Card>
  );
}

function Named({ kind, id, name }: { kind: string; id: number; name: string }) {
  const place = placeOf(kind, id);
  return place ? (
    <Link component={RouterLink} to={place}>
      {name}
    </Link>
  ) : (
    <>{name}</>
  );
}

function inWords(totals: Totals): [string, string][] {
  const { public: held } = totals;
  return [
    ["subnets", Object.entries(totals.subnets).map(([state, count]) => `${grouped(count)} ${state}`).join(", ") || "none"],
    ...totals.blocks.map((block): [string, string] => [
      `${block.realm.name}, /${block.length}`,
      `${grouped(block.count)}${block.family === 4 ? `, ${grouped(block.addresses)} addresses` : ""}`,
    ]),
    ["pools, reservations, plans", `${totals.pools}, ${totals.reservations}, ${totals.plans}`],
    ["public addresses", `${held.held} held, ${held.idle} idle`],
  ];
}
