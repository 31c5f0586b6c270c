// One DNS zone: what stands in it, how it goes with its server, and where that has something else.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { Listed, Shown } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Facts } from "../parts/Facts";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { TextFilter } from "../parts/TextFilter";
import { grouped, shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { Standing } from "./Standing";
import { STATES, TYPES, act, useDifferences, useDnsEntries, useDnsZone, type DnsZone } from "./queries";

const DOING = {
  push: { title: "Push everything anew", verb: "push", body: {}, says: "What is missing on its server is there again. What somebody has changed there stays." },
  overwrite: { title: "Push over what stands there", verb: "push", body: { overwrite: true }, says: "Under names that the registry has, what stands there otherwise is replaced." },
  compare: { title: "Compare with its server", verb: "compare", body: {}, says: "What differs is told here, and among the findings." },
} as const;

export function DnsZonePage() {
  const { id = "" } = useParams();
  const found = useDnsZone(id);
  useTitle(found.data?.shown ?? "DNS zone");
  return (
    <Shown query={found} what="the DNS zone">
      {(zone) => <View zone={zone} />}
    </Shown>
  );
}

function View({ zone }: { zone: DnsZone }) {
  const planner = useMay("planner");
  const [doing, setDoing] = useState<keyof typeof DOING | null>(null);
  const { serving, counts } = zone;
  const ref = `${zone.realm.name}:${zone.name}`;
  const names = [
    ["hosts", zone.host_names],
    ["gateways", zone.gateway_names],
    ["ends of blocks", zone.edge_names],
    ["public addresses", zone.public_names],
  ].filter(([, template]) => template);
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography color="text.secondary">
        {zone.realm.name} › <Link component={RouterLink} to="/names">Names</Link> ›
      </Typography>
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        <Typography variant="h1">{zone.shown}</Typography>
        <Standing zone={zone} />
        <Typography sx={{ flexGrow: 1 }} color="text.secondary">
          {zone.about}
        </Typography>
        {!zone.delegated && (
          <Button component="a" href={`/api/v1/dns-zones/${zone.id}/file`} download={`${zone.name.replaceAll("/", "-")}.zone`}>
            Zone file
          </Button>
        )}
        {planner && zone.address && (
          <>
            <Button onClick={() => setDoing("compare")}>Compare</Button>
            <Button onClick={() => setDoing("push")}>Push anew</Button>
          </>
        )}
        {planner && (
          <Button component={RouterLink} to={`/set-up/dns-zones/${zone.id}`}>
            Set up
          </Button>
        )}
      </Stack>
      {serving?.failing_since && (
        <Alert severity="warning">
          Its server does not answer as it should since {shortTime(serving.failing_since)}: {serving.outcome}. Nobody waits for it, and nothing is lost: it is tried again.
        </Alert>
      )}
      <Card sx={{ p: 2 }}>
        <Facts
          facts={[
            ["addresses", zone.range && <Mono>{zone.range}</Mono>],
            ["project", zone.project?.name],
            ["name servers", <Mono key="servers">{zone.servers.join(", ")}</Mono>],
            ["pushed to", zone.address && <Mono>{zone.address}</Mono>],
            ["pushed last", serving?.pushed_at && `${shortTime(serving.pushed_at)}: ${serving.outcome}`],
            ["compared last", serving?.compared_at && `${shortTime(serving.compared_at)}: ${grouped(serving.differences)} differ`],
            ["called", names.length > 0 && names.map(([what, template]) => `${what} ${template}`).join("; ")],
            ["DS records", zone.ds.length > 0 && <Mono>{zone.ds.join("; ")}</Mono>],
          ]}
        />
      </Card>
      {zone.address && <Differences zone={zone} onOverwrite={planner ? () => setDoing("overwrite") : undefined} />}
      {!zone.delegated && <Entries zone={zone} planner={planner} />}
      <CommandLine text={commandLine(["dns", "show", ref], {})} />
      {counts.hidden > 0 && (
        <Alert severity="info">
          {grouped(counts.hidden)} {counts.hidden === 1 ? "record is" : "records are"} hidden: another host has had the name for longer.
        </Alert>
      )}
      {doing && (
        <ConfirmChange<DnsZone>
          title={DOING[doing].title}
          chain={[zone.realm.name, zone.name]}
          command={commandLine(["dns", DOING[doing].verb, ref], doing === "overwrite" ? { overwrite: true } : {})}
          run={(how) => act(zone.id, DOING[doing].verb, DOING[doing].body, how)}
          describe={() => DOING[doing].says}
          onClose={() => setDoing(null)}
        />
      )}
    </Stack>
  );
}

/** What stands on its server otherwise. */
function Differences({ zone, onOverwrite }: { zone: DnsZone; onOverwrite: (() => void) | undefined }) {
  const found = useDifferences(zone);
  const shown = found.data?.results ?? [];
  if (!zone.serving?.compared_at || (found.data && shown.length === 0)) return null;
  return (
    <Card sx={{ p: 2 }}>
      <Stack direction="row" sx={{ alignItems: "center", gap: 1.5, flexWrap: "wrap" }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          Where its server has something else
        </Typography>
        {onOverwrite && <Button onClick={onOverwrite}>Push over what stands there</Button>}
        <Button component={RouterLink} to={`/findings?kind=dns&dns_zone=${zone.id}`}>
          As findings
        </Button>
      </Stack>
      <Listed query={found} rows={(page) => page.results} empty="Nothing.">
        {(rows) => (
          <RecordTable
            label="Differences"
            rows={rows}
            columns={[
              { head: "Name", cell: (row) => <Mono>{row.dns_name}</Mono> },
              { head: "Type", cell: (row) => row.fact },
              { head: "Here", cell: (row) => (row.recorded ? <Mono>{row.recorded}</Mono> : "nothing") },
              { head: "On its server", cell: (row) => <Mono>{row.seen.map((one) => one.value).join(", ")}</Mono> },
              { head: "Since", cell: (row) => shortTime(row.opened_at) },
            ]}
          />
        )}
      </Listed>
    </Card>
  );
}

/** What stands in it, or is to. */
function Entries({ zone, planner }: { zone: DnsZone; planner: boolean }) {
  const { filters, set } = useFilters();
  const listed = { dns_zone: String(zone.id), limit: "50", ...filters };
  const found = useDnsEntries(listed, `${zone.serving?.pushed_at} ${zone.counts.pending}`);
  return (
    <Card sx={{ p: 2 }}>
      <Stack direction="row" sx={{ alignItems: "center", gap: 1.5, flexWrap: "wrap", mb: 1 }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          {grouped(zone.counts.entries)} records
        </Typography>
        <TextFilter label="Part of a name or its data" value={filters["text"] ?? ""} onChange={(value) => set("text", value)} />
        <Choice label="Type" value={filters["type"] ?? ""} choices={[["", "any"], ...TYPES.map((one) => [one, one] as const)]} onChange={(value) => set("type", value)} width={110} />
        <Choice label="State" value={filters["state"] ?? ""} choices={[["", "any"], ...STATES.map((one) => [one, one] as const)]} onChange={(value) => set("state", value)} width={130} />
        {planner && (
          <Button component={RouterLink} to={`/set-up/dns-records?dns_zone=${encodeURIComponent(zone.name)}`}>
            Records by hand
          </Button>
        )}
      </Stack>
      <Listed query={found} rows={(page) => page.results} empty="No record fits.">
        {(rows) => (
          <RecordTable
            label="Records"
            rows={rows.map((row) => ({ ...row, id: `${row.owner} ${row.type} ${row.data} ${row.subnet?.id ?? 0}` }))}
            columns={[
              { head: "Name", cell: (row) => <Mono>{row.owner}</Mono> },
              { head: "Type", cell: (row) => row.type },
              { head: "Data", cell: (row) => <Mono>{row.data}</Mono> },
              { head: "TTL", right: true, cell: (row) => grouped(row.ttl) },
              { head: "State", cell: (row) => row.state },
              {
                head: "Follows from",
                cell: (row) =>
                  row.subnet ? <Link component={RouterLink} to={`/subnets/${row.subnet.id}`}>{row.subnet.name}</Link> : row.by_hand ? <Link component={RouterLink} to={`/set-up/dns-records/${row.by_hand}`}>by hand</Link> : "the DNS zones",
              },
            ]}
          />
        )}
      </Listed>
      <PageTurner page={found.data} address="dns-entries" query={listed} onTurn={(cursor) => set("cursor", cursor)} />
    </Card>
  );
}
