// What else there is about a thing of the set-up: its requests, its people, its pools, what somebody has changed; each a short list with a way to all.
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { Link as RouterLink } from "react-router";
import { call, type Page, type Told } from "../api/client";
import { EntryTable } from "../ledger/EntryTable";
import { Listed } from "../parts/Answers";
import { RecordTable, type Column } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useMay } from "../session/queries";
import type { Entry } from "../subnets/queries";
import { RequestState } from "../waiting/RequestState";

type Row = { id: number };

/** The first few of a list, and the way to all of them. */
function Few<One extends Row>({ title, path, query, columns, empty, all, rows: drawn }: { title: string; path: string; query: Record<string, string | number>; columns?: Column<One>[]; empty: string; all: string; rows?: (rows: One[]) => React.ReactNode }) {
  const few = useQuery({
    queryKey: [path, "few", query],
    queryFn: ({ signal }) => call<Page<One>>("GET", path, { query: { ...query, limit: 10 }, signal }),
  });
  return (
    <Card component="section" aria-label={title}>
      <Stack direction="row" sx={{ p: 2, pb: 0, justifyContent: "space-between", alignItems: "baseline" }}>
        <Typography variant="h2">{title}</Typography>
        <Link component={RouterLink} to={all} aria-label={`All of ${title}`}>
          All
        </Link>
      </Stack>
      <Listed query={few} rows={(page) => page.results} empty={empty}>
        {(rows) => (drawn ? drawn(rows) : <RecordTable label={`The first of ${title.toLowerCase()}`} rows={rows} columns={columns ?? []} />)}
      </Listed>
    </Card>
  );
}

/** The requests of a project, or of a person, in whatever state. */
export function Requests({ of, name }: { of: "project" | "asker"; name: string }) {
  return (
    <Few<Told<"WaitingRequest">>
      title="Requests that waited"
      path="waiting-requests"
      query={{ [of]: name, order: "newest" }}
      empty="None."
      all={`/waiting?${of}=${encodeURIComponent(name)}`}
      columns={[
        { head: "What", cell: (row) => <Link component={RouterLink} to={`/waiting/${row.id}`}>{row.summary}</Link> },
        { head: "Asked by", cell: (row) => row.asker.name },
        { head: "When", cell: (row) => shortTime(row.created_at) },
        { head: "State", cell: (row) => <RequestState state={row.state} /> },
      ]}
    />
  );
}

/** Whose requests are a project's own: people, and its service accounts. */
export function People({ project }: { project: string }) {
  return (
    <Few<Told<"Person">>
      title="People"
      path="people"
      query={{ project }}
      empty="Nobody: planners ask for it."
      all={`/set-up/people?project=${encodeURIComponent(project)}`}
      columns={[
        { head: "Name", cell: (row) => <Link component={RouterLink} to={`/set-up/people/${row.id}`}>{row.name}</Link> },
        { head: "Full name", cell: (row) => row.full_name || "—" },
        { head: "Role", cell: (row) => (row.service_of ? `${row.role}, service account` : row.role) },
        { head: "Mail", cell: (row) => row.email || "—" },
      ]}
    />
  );
}

/** The pools of a zone or a region. */
export function PoolsIn({ of, name }: { of: "zone" | "region"; name: string }) {
  return (
    <Few<Told<"Pool">>
      title="Pools"
      path="pools"
      query={{ [of]: name }}
      empty="None."
      all={`/set-up/pools?${of}=${encodeURIComponent(name)}`}
      columns={[
        { head: "Name", cell: (row) => <Link component={RouterLink} to={`/pools/${row.id}`}>{row.name}</Link> },
        { head: "Realm", cell: (row) => row.realm.name },
        { head: "Ranges", cell: (row) => row.ranges.join(", ") },
        { head: "Carved from", cell: (row) => row.parent?.name ?? "—" },
      ]}
    />
  );
}

/** What somebody has changed lately. */
export function ChangesBy({ name }: { name: string }) {
  return (
    <Few<Entry & Row> title="Changes" path="ledger" query={{ actor: name }} empty="None that you may see." all={`/ledger?actor=${encodeURIComponent(name)}`} rows={(rows) => <EntryTable entries={rows} label="What was changed" />} />
  );
}

/** The tokens of somebody, for whoever may see them. */
export function TokensOf({ name }: { name: string }) {
  const admin = useMay("admin");
  if (!admin) return null;
  return (
    <Few<Told<"Token">>
      title="Tokens"
      path="tokens"
      query={{ person: name, usable: "true" }}
      empty="None in force."
      all="/tokens"
      columns={[
        { head: "Name", cell: (row) => row.name },
        { head: "Last used", cell: (row) => row.last_used_on ?? "never" },
        { head: "Ends", cell: (row) => (row.expires_at ? shortTime(row.expires_at) : "never") },
      ]}
    />
  );
}
