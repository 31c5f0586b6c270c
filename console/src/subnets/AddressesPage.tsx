// Address records, found by address, name, MAC or what they are for.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import type { Told } from "../api/client";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { shellWord } from "../parts/text";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { shortTime } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { useRecords, type AnyRecord } from "../setup/queries";

const FILTERS = { address: "Address", text: "Name or purpose", mac: "MAC" };

export function AddressesPage() {
  useTitle("Addresses");
  const { filters, set } = useFilters();
  const records = useRecords("addresses", filters);
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Addresses</Typography>
      <Stack direction="row" role="search" aria-label="Filters" sx={{ gap: 2, flexWrap: "wrap" }}>
        {Object.entries(FILTERS).map(([name, label]) => (
          <TextFilter key={name} label={label} value={filters[name] ?? ""} onChange={(value) => set(name, value)} />
        ))}
      </Stack>
      <Card>
        <Listed query={records} rows={(page) => page.results} empty="No address record matches.">
          {(rows) => (
            <RecordTable
              label="Addresses"
              rows={rows as (AnyRecord & Told<"Address">)[]}
              columns={[
                { head: "Address", cell: (row) => <Mono>{row.address}</Mono> },
                { head: "Name", cell: (row) => row.name },
                { head: "Kind", cell: (row) => row.kind },
                { head: "MAC", cell: (row) => (row.mac ? <Mono>{row.mac}</Mono> : "—") },
                { head: "For what", cell: (row) => row.purpose },
                { head: "Last seen", cell: (row) => (row.last_seen_at ? shortTime(row.last_seen_at) : "—") },
                { head: "Subnet", cell: (row) => <Link component={RouterLink} to={`/subnets/${row.subnet.id}`}>{row.subnet.name}</Link> },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={records.data} address="addresses" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine
        text={["lentra address list", ...Object.entries(filters).filter(([name]) => name !== "cursor").map(([name, value]) => `--${name} ${shellWord(value)}`)].join(" ")}
      />
    </Stack>
  );
}
