// The past of a range: who had it, from when to when, by whose hand and why.
import Alert from "@mui/material/Alert";
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { StateChip } from "../parts/states";
import { TextFilter } from "../parts/TextFilter";
import { shortTime } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { placeOf } from "../find/places";
import { useTenures, type Tenure } from "./queries";
import { TenureBars } from "./TenureBars";

const KINDS = ["subnet", "address record", "reservation", "keep-out"];

export function HistoryPage() {
  const { filters, set } = useFilters();
  const range = filters["range"] ?? "";
  const tenures = useTenures(filters);
  useTitle(range ? `The past of ${range}` : "History");
  const { range: _, cursor: __, ...asked } = filters;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">{range ? <>The past of <Mono>{range}</Mono></> : "History"}</Typography>
      <Typography color="text.secondary">Who had an address or a range, from when to when, with names as they were then.</Typography>
      <Stack direction="row" role="search" aria-label="Filters" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextFilter label="Address, prefix or range" value={range} onChange={(value) => set("range", value)} />
        <Choice label="Kind" value={filters["kind"] ?? ""} choices={[["", "any"], ...KINDS]} onChange={(value) => set("kind", value)} width={160} />
        <TextFilter label="On the day" type="date" value={filters["on"] ?? ""} onChange={(value) => set("on", value)} />
        <TextFilter label="Realm" value={filters["realm"] ?? ""} onChange={(value) => set("realm", value)} />
      </Stack>
      {!range && <Alert severity="info">Say which address or range, such as 10.42.16.140 or 10.42.16.0/24.</Alert>}
      {range && (
        <Card>
          <Listed query={tenures} rows={(page) => page.results} empty="Nobody had it, as far as the registry knows.">
            {(rows) => (
              <>
                <CardContent sx={{ pb: 1 }}>
                  <TenureBars tenures={rows} name={range} />
                </CardContent>
                <TenureTable tenures={rows} />
              </>
            )}
          </Listed>
          <PageTurner page={tenures.data} cursor={filters["cursor"]} address="history" query={filters} onTurn={(cursor) => set("cursor", cursor)} />
        </Card>
      )}
      {range && <CommandLine text={commandLine(["history", range], asked)} />}
    </Stack>
  );
}

function TenureTable({ tenures }: { tenures: Tenure[] }) {
  const realms = new Set(tenures.map((tenure) => tenure.realm.id));
  return (
    <RecordTable
      label="Who had it"
      rows={tenures.map((tenure) => ({ ...tenure, id: `${tenure.record} ${tenure.begins} ${tenure.prefix}` }))}
      columns={[
        ...(realms.size > 1 ? [{ head: "Realm", cell: (row: Tenure & { id: string }) => row.realm.name }] : []),
        { head: "Prefix", cell: (row) => <Mono>{row.prefix}</Mono> },
        { head: "From", cell: (row) => <Unbroken>{shortTime(row.begins)}</Unbroken> },
        { head: "To", cell: (row) => <Unbroken>{row.ends ? shortTime(row.ends) : "goes on"}</Unbroken> },
        { head: "What", cell: (row) => (row.kind === "subnet" ? <StateChip state={row.state} /> : `${row.kind}, ${row.state}`) },
        { head: "Name", cell: (row) => <Whose tenure={row} /> },
        { head: "Project", cell: (row) => row.project?.name ?? "—" },
        { head: "Place", cell: (row) => row.zone?.name ?? row.region?.name ?? "—" },
        { head: "Tier", cell: (row) => row.tier?.name ?? "—" },
        { head: "Began", cell: (row) => <Hand hand={row.began} /> },
        { head: "Ended", cell: (row) => (row.ended ? <Hand hand={row.ended} /> : "—") },
      ]}
    />
  );
}

function Unbroken({ children }: { children: string }) {
  return <span style={{ whiteSpace: "nowrap" }}>{children}</span>;
}

/** Its name, which leads to its page while it is there, and what was attached. */
function Whose({ tenure }: { tenure: Tenure }) {
  const home = tenure.kind === "address record" ? (tenure.subnet?.id ?? 0) : tenure.record;
  const to = tenure.going_on ? placeOf(tenure.kind, home) : null;
  const more = [
    tenure.subnet && `in ${tenure.subnet.name}`,
    tenure.mac,
    tenure.attached_to && `attached to ${tenure.attached_to}`,
    ...tenure.public.map((one) => `public ${one.address}`),
  ].filter(Boolean);
  return (
    <>
      {to ? (
        <Link component={RouterLink} to={to}>
          {tenure.name}
        </Link>
      ) : (
        tenure.name
      )}
      {more.length > 0 && (
        <Typography variant="body2" color="text.secondary">
          {more.join(", ")}
        </Typography>
      )}
    </>
  );
}

function Hand({ hand }: { hand: Tenure["began"] }) {
  if (!hand) return "—";
  return (
    <>
      {hand.verb}, {hand.who}
      {hand.why && (
        <Typography variant="body2" color="text.secondary">
          {hand.why}
        </Typography>
      )}
    </>
  );
}
