// One thing of the set-up: its facts, what it holds, how it grows, and its past.
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink, Navigate, useParams } from "react-router";
import { call, type Page } from "../api/client";
import { OwnerGrowth } from "../headroom/OwnerGrowth";
import { EntryTable } from "../ledger/EntryTable";
import { Empty, Listed, Shown } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { Facts } from "../parts/Facts";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { grouped } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import type { Entry, Subnet } from "../subnets/queries";
import { calledOf, cellText } from "./cells";
import { Holdings } from "./Holdings";
import { QuotaBars, type Quota } from "./QuotaBars";
import { ChangesBy, People, PoolsIn, Requests, TokensOf } from "./Related";
import { LinkCard } from "../links/LinkCard";
import { SourceCard } from "../reality/SourceCard";
import { SubscriptionCard } from "./SubscriptionCard";
import { Tags } from "./Tags";
import { KINDS, type Kind } from "./kinds";
import { useRecord, useUse, type AnyRecord } from "./queries";

const TOLD_APART = ["paused", "sent", "taken", "taken_at", "failing_since", "tries", "outcome", "told_secret"]; // in a card of its own
const GROWS = ["realm", "project", "zone", "region"] as const;
const HOLDS = ["realm", "region", "zone", "tier", "plan"]; // what subnets are listed by

export function RecordPage() {
  const { kind: name = "", id = "" } = useParams();
  const kind = KINDS[name];
  const record = useRecord(kind?.collection ?? "", id);
  useTitle(record.data ? calledOf(record.data) : "Set-up");
  if (!kind) return <Navigate to="/set-up/pools" replace />;
  if (kind.word === "pool") return <Navigate to={`/pools/${id}`} replace />;
  return (
    <Shown query={record} what={`the ${kind.noun}`}>
      {(data) => <About kind={kind} record={data} path={name} />}
    </Shown>
  );
}

function About({ kind, record, path }: { kind: Kind; record: AnyRecord; path: string }) {
  const use = useUse(kind.collection, record.id).data;
  const called = calledOf(record);
  const grows = GROWS.find((one) => one === kind.word);
  const apart = kind.word === "subscription" ? TOLD_APART : kind.word === "quota" ? ["use"] : kind.word === "source" ? ["look", "seen_at"] : [];
  const facts = Object.entries(record)
    .filter(([field, value]) => !apart.includes(field) && !["id", "version", "name"].includes(field) && value !== null && value !== "")
    .map(([field, value]): [string, string] => [field.replaceAll("_", " "), cellText(value)]);
  return (
    <Stack sx={{ gap: 2.5 }}>
      <div>
        <Typography color="text.secondary">
          <Link component={RouterLink} to={`/set-up/${path}`}>
            Set-up
          </Link>{" "}
          › {kind.noun}
        </Typography>
        <Typography variant="h1">{called}</Typography>
      </div>
      <Card>
        <CardContent>
          <Facts facts={[...facts, ["in use by", use?.use_count ? grouped(use.use_count) : "nothing"], ["cannot change", use?.frozen.join(", ").replaceAll("_", " ") ?? ""]]} />
        </CardContent>
      </Card>
      {kind.word === "quota" && (
        <Card>
          <CardContent>
            <QuotaBars quotas={[record as unknown as Quota]} named={false} />
          </CardContent>
        </Card>
      )}
      {kind.word === "subscription" && <SubscriptionCard record={record} />}
      {kind.word === "source" && <SourceCard record={record} />}
      {kind.word === "link" && <LinkCard id={record.id} />}
      {kind.word === "realm" && (
        <Link component={RouterLink} to={`/links?one=${encodeURIComponent(called)}`}>
          How it is joined to others
        </Link>
      )}
      {kind.word === "project" && (
        <>
          <Stack direction="row" sx={{ gap: 2 }}>
            <Link component={RouterLink} to={`/headroom/grid?project=${encodeURIComponent(called)}`}>
              Its grid over zones and tiers
            </Link>
            <Link component={RouterLink} to={`/subnets?project=${encodeURIComponent(called)}`}>
              Its subnets
            </Link>
          </Stack>
          <Holdings id={record.id} name={called} />
          <Requests of="project" name={called} />
          <People project={called} />
        </>
      )}
      {(kind.word === "zone" || kind.word === "region") && (
        <>
          <PoolsIn of={kind.word} name={called} />
          <Tags of={kind.word} id={record.id} name={called} />
        </>
      )}
      {kind.word === "person" && (
        <>
          <Requests of="asker" name={called} />
          <ChangesBy name={called} />
          <TokensOf name={called} />
        </>
      )}
      {HOLDS.includes(kind.word) && <Held kind={kind} record={record} />}
      {grows && <OwnerGrowth kind={grows} name={called} />}
      <Past record={record} />
      <CommandLine text={commandLine([kind.word, "show", String(record.name ?? record.id)])} />
    </Stack>
  );
}

/** The first of its subnets, and the way to all of them. */
function Held({ kind, record }: { kind: Kind; record: AnyRecord }) {
  const subnets = useQuery({
    queryKey: ["subnets", "of", kind.word, record.id],
    queryFn: ({ signal }) => call<Page<Subnet>>("GET", "subnets", { query: { [kind.word]: record.id, limit: 20 }, signal }),
  });
  return (
    <Card>
      <Typography variant="h2" sx={{ p: 2, pb: 0 }}>
        What it holds
      </Typography>
      <Listed query={subnets} rows={(page) => page.results} empty="No subnet.">
        {(rows) => (
          <>
            <RecordTable
              label="Subnets"
              rows={rows}
              columns={[
                {
                  head: "Name",
                  cell: (row) => (
                    <Link component={RouterLink} to={`/subnets/${row.id}`}>
                      {row.name}
                    </Link>
                  ),
                },
                { head: "Blocks", cell: (row) => <Mono>{row.blocks.map((block) => block.prefix).join(", ")}</Mono> },
                { head: "State", cell: (row) => row.state },
                { head: "Project", cell: (row) => row.project.name },
                { head: "Zone", cell: (row) => row.zone?.name ?? "—" },
                { head: "Tier", cell: (row) => row.tier.name },
              ]}
            />
            <Typography sx={{ p: 2 }}>
              <Link component={RouterLink} to={`/subnets?${kind.word}=${encodeURIComponent(String(record.name))}`}>
                All of them
              </Link>
            </Typography>
          </>
        )}
      </Listed>
    </Card>
  );
}

function Past({ record }: { record: AnyRecord }) {
  const entries = useQuery({
    queryKey: ["ledger", "of", record.id],
    queryFn: ({ signal }) => call<Page<Entry>>("GET", "ledger", { query: { record: record.id, limit: 50 }, signal }),
  });
  return (
    <Card>
      <Typography variant="h2" sx={{ p: 2, pb: 0 }}>
        History
      </Typography>
      <Shown query={entries} what="its history">
        {(page) => (page.results.length ? <EntryTable entries={page.results} withName={false} /> : <Empty>Nothing that you may see.</Empty>)}
      </Shown>
    </Card>
  );
}
