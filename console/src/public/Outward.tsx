// What others may read of public space: where it is, and who may announce it.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link as RouterLink } from "react-router";
import { call, type Page, type Told } from "../api/client";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable, type Column } from "../parts/RecordTable";

const SHOWN = "25";

export function Outward() {
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h2">What others may read</Typography>
      <Typography color="text.secondary">
        <Link href="/geofeed.csv">/geofeed.csv</Link> has the public ranges of <Link component={RouterLink} to="/set-up/realms">realms</Link> that are published, for anybody, and so has RDAP (<Mono>lentra rdap ip ADDRESS --realm REALM</Mono>). Pools say which AS number announces them.
      </Typography>
      <Lines<Told<"LocatedRange">>
        label="Where public ranges are"
        address="geofeed"
        empty="No public range is in a region or zone that says where it is."
        keyOf={(row) => row.prefix}
        columns={[
          { head: "Range", cell: (row) => <Mono>{row.prefix}</Mono> },
          { head: "Country", cell: (row) => row.country },
          { head: "Subdivision", cell: (row) => row.subdivision || "—" },
          { head: "City", cell: (row) => row.city || "—" },
        ]}
      />
      <Lines<Told<"Authorisation">>
        label="Who may announce them"
        address="authorisations"
        empty="No pool says which AS number announces its public ranges."
        keyOf={(row) => `${row.prefix} ${row.origin_as}`}
        columns={[
          { head: "Range", cell: (row) => <Mono>{row.prefix}</Mono> },
          { head: "Longest part", cell: (row) => `/${row.longest}` },
          { head: "Announced by", cell: (row) => `AS${row.origin_as}` },
          { head: "As pool says", cell: (row) => row.pool },
        ]}
      />
      <Stack direction="row">
        <Button component="a" href="/api/v1/authorisations/assertions" download="assertions.json">
          Authorisations for route validation
        </Button>
        <Button component="a" href="/api/v1/calendar" download="what-ends.ics">
          Calendar of what ends
        </Button>
      </Stack>
      <CommandLine text="lentra geofeed" />
    </Stack>
  );
}

function Lines<Row>({ label, address, empty, columns, keyOf }: { label: string; address: string; empty: string; columns: Column<Row & { id: string }>[]; keyOf: (row: Row) => string }) {
  const [cursor, turn] = useState("");
  const query = { limit: SHOWN, ...(cursor ? { cursor } : {}) };
  const found = useQuery({ queryKey: [address, query], queryFn: ({ signal }) => call<Page<Row>>("GET", address, { query, signal }) });
  return (
    <Card sx={{ p: 2 }}>
      <Typography variant="h3">{label}</Typography>
      <Listed query={found} rows={(page) => page.results} empty={empty}>
        {(rows) => <RecordTable label={label} rows={rows.map((row) => ({ ...row, id: keyOf(row) }))} columns={columns} />}
      </Listed>
      <PageTurner page={found.data} address={address} query={query} onTurn={turn} />
    </Card>
  );
}
