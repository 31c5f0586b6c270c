// What was found: what is at an address, who has it and what is around it; or every record that fits a text.
import Alert from "@mui/material/Alert";
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, useSearchParams } from "react-router";
import { pastOf } from "../history/queries";
import { Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Facts } from "../parts/Facts";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { StateChip } from "../parts/states";
import { grouped, shellWord, shortTime } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { useExplanation, useFound, type Explanation, type FoundRecord, type Place } from "./queries";
import { placeOf } from "./places";

export function FindPage() {
  const [query] = useSearchParams();
  const text = query.get("text") ?? "";
  const found = useFound(text);
  useTitle(`Find ${text}`);
  return (
    <Stack sx={{ gap: 2.5 }}>
      <Typography variant="h1">
        Find <Mono>{text}</Mono>
      </Typography>
      <Shown query={found} what="what is known">
        {(data) => (
          <>
            {data.places.map((place) => (
              <PlaceCard key={place.realm.id} place={place} />
            ))}
            {data.range && (
              <Typography>
                <Link component={RouterLink} to={pastOf(data.range)}>
                  History: who had it, from when to when
                </Link>
              </Typography>
            )}
            {data.range && data.places.length === 0 && (
              <Alert severity="info">{data.range} is in no pool and under no keep-out of any realm.</Alert>
            )}
            {data.range && !/\/(32|128)$/.test(data.range) && <Explained range={data.range} />}
            {data.records.length > 0 && <Records records={data.records} />}
            {!data.range && data.records.length === 0 && <Alert severity="info">Nothing is known by that. Names of subnets and of addresses are looked for from their beginning.</Alert>}
          </>
        )}
      </Shown>
      <CommandLine text={`lentra find ${shellWord(text)}`} />
    </Stack>
  );
}

function PlaceCard({ place }: { place: Place }) {
  const near = [place.before && (["before", place.before] as const), place.after && (["after", place.after] as const)].filter((one) => !!one);
  return (
    <Card>
      <CardContent>
        <Typography variant="h2">
          {place.realm.name}
          {place.pools.map((pool) => (
            <span key={pool.id}>
              {" › "}
              <Link component={RouterLink} to={`/pools/${pool.id}`}>
                {pool.name}
              </Link>
            </span>
          ))}
        </Typography>
        {place.keep_outs.map((keepOut) => (
          <Alert key={keepOut.id} severity="warning" sx={{ mt: 1 }}>
            {keepOut.range} is kept out ({keepOut.kind}): {keepOut.reason}
          </Alert>
        ))}
        <RecordTable
          label={`What is there in ${place.realm.name}`}
          rows={place.holders.map((holder, n) => ({ ...holder, id: n, subnet: holder.id }))}
          columns={[
            { head: "Range", cell: (row) => <Mono>{row.range}</Mono> },
            { head: "State", cell: (row) => <StateChip state={row.state} /> },
            {
              head: "Whose",
              cell: (row) =>
                row.subnet ? (
                  <Link component={RouterLink} to={`/subnets/${row.subnet}`}>
                    {row.owner}
                  </Link>
                ) : (
                  (row.owner ?? "—")
                ),
            },
            { head: "Project", cell: (row) => row.project ?? "—" },
            { head: "Zone", cell: (row) => row.zone ?? row.region ?? "—" },
            { head: "Tier", cell: (row) => row.tier ?? "—" },
            { head: "Until", cell: (row) => (row.until ? shortTime(row.until) : "—") },
          ]}
        />
        {place.records.length > 0 && (
          <RecordTable
            label={`Address records in ${place.realm.name}`}
            rows={place.records}
            columns={[
              { head: "Address", cell: (row) => <Mono>{row.address}</Mono> },
              { head: "Name", cell: (row) => row.name },
              { head: "Kind", cell: (row) => row.kind },
              { head: "MAC", cell: (row) => (row.mac ? <Mono>{row.mac}</Mono> : "—") },
              { head: "Subnet", cell: (row) => <Link component={RouterLink} to={`/subnets/${row.subnet.id}`}>{row.subnet.name}</Link> },
              { head: "Public", cell: (row) => row.public.map((one) => one.address).join(", ") || "—" },
            ]}
          />
        )}
        {near.map(([side, holder]) => (
          <Typography key={side} variant="body2" color="text.secondary" sx={{ mt: 0.5 }}>
            {side}: <Mono>{holder.range}</Mono> {holder.state}
            {holder.owner ? `, ${holder.owner}` : ""}
          </Typography>
        ))}
      </CardContent>
    </Card>
  );
}

function Explained({ range }: { range: string }) {
  const facts = useExplanation(range);
  if (!facts.data) return null;
  return (
    <Card>
      <CardContent>
        <Typography variant="h2">{facts.data.prefix}, by the numbers</Typography>
        <Facts facts={told(facts.data)} />
      </CardContent>
    </Card>
  );
}

function told(facts: Explanation): [string, string][] {
  return [
    ["addresses", grouped(facts.total)],
    ["first to last", `${facts.first} to ${facts.last}`],
    ["usable", `${grouped(facts.usable)}${facts.first_usable ? `: ${facts.first_usable} to ${facts.last_usable}` : ""}`],
    ["under", facts.sheet],
    ...(facts.netmask ? ([["netmask", facts.netmask], ["wildcard", facts.wildcard ?? ""]] as [string, string][]) : []),
    ["bits", `${facts.fixed_bits} fixed, ${facts.free_bits} free`],
    ["space", facts.space],
    ["reverse zones", facts.reverse_names.length > 8 ? `${facts.reverse_names.slice(0, 8).join(", ")} and ${facts.reverse_names.length - 8} more` : facts.reverse_names.join(", ")],
    ["holds", Object.entries(facts.children).map(([length, count]) => `${grouped(count)} × ${length}`).join(", ") || "—"],
    ["lies in", facts.enclosing.slice(-4).join(", ") || "—"],
    ["set aside", facts.special.join("; ") || "for nothing special"],
  ];
}

function Records({ records }: { records: FoundRecord[] }) {
  return (
    <Card>
      <RecordTable
        label="Records"
        rows={records.map((record, n) => ({ ...record, number: record.id, id: n }))}
        columns={[
          { head: "Kind", cell: (row) => row.kind },
          {
            head: "Name",
            cell: (row) => {
              const place = placeOf(row.kind, row.number);
              return place ? (
                <Link component={RouterLink} to={place}>
                  {row.name}
                </Link>
              ) : (
                row.name
              );
            },
          },
          { head: "Realm", cell: (row) => row.realm?.name ?? "—" },
          { head: "What", cell: (row) => row.about || "—" },
          { head: "Why", cell: (row) => row.why },
        ]}
      />
    </Card>
  );
}
