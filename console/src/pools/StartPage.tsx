// The start page: every pool with its usage and largest free block, and the newest hand-outs.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { Legend, STATES } from "../parts/states";
import { grouped, shortTime } from "../parts/text";
import { UsageBar } from "../parts/UsageBar";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { useRecords } from "../setup/queries";
import { useSubnets } from "../subnets/queries";
import { useUsages } from "./queries";

const FILTERS = ["realm", "region", "zone", "project"] as const;
const PLURAL = { realm: "realms", region: "regions", zone: "zones", project: "projects" };

export function StartPage() {
  useTitle("Pools");
  const { filters, set } = useFilters();
  const usages = useUsages(filters);
  const newest = useSubnets({ order: "newest", limit: "8" });
  const mayAsk = useMay("requester");
  return (
    <Stack sx={{ gap: 3 }}>
      <Stack direction="row" sx={{ alignItems: "center", justifyContent: "space-between" }}>
        <Typography variant="h1">Pools</Typography>
        {mayAsk && (
          <Button component={RouterLink} to="/request" variant="contained">
            Ask for a subnet
          </Button>
        )}
      </Stack>
      <EndingSoon />
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        {FILTERS.map((name) => (
          <RefSelect
            key={name}
            kind={PLURAL[name]}
            label={name[0]!.toUpperCase() + name.slice(1)}
            value={filters[name] ?? ""}
            onChange={(value) => set(name, value)}
            none="any"
          />
        ))}
      </Stack>
      <Card>
        <Listed
          query={usages}
          rows={(page) => page.results.flatMap((row) => row.own.map((own) => ({ ...row, id: `${row.pool.id}-${own.family}`, own })))}
          empty="No pool matches. A planner adds pools under Set-up."
        >
          {(rows) => (
            <RecordTable
              label="Pools"
              rows={rows}
              columns={[
                {
                  head: "Pool",
                  cell: (row) => (
                    <Link component={RouterLink} to={`/pools/${row.pool.id}`} sx={{ fontWeight: 600 }}>
                      {row.pool.name}
                    </Link>
                  ),
                },
                { head: "Realm", cell: (row) => row.realm.name },
                { head: "Carved from", cell: (row) => row.parent?.name ?? "—" },
                { head: "Place", cell: (row) => row.zone?.name ?? row.region?.name ?? "anywhere" },
                { head: "Family", cell: (row) => `IPv${row.own.family}` },
                {
                  head: "In use",
                  cell: (row) => (
                    <UsageBar usage={row.own} warning={row.warning_percent} critical={row.critical_percent} name={row.pool.name} />
                  ),
                },
                {
                  head: "Free",
                  right: true,
                  cell: (row) => (row.own.family === 4 ? grouped(row.own.units["free"]!) : `${grouped(row.own.units["free"]!)} × ${row.own.unit}`),
                },
                { head: "Largest free", right: true, cell: (row) => <Mono>{row.own.largest_free ?? "none"}</Mono> },
              ]}
            />
          )}
        </Listed>
        <Stack direction="row" sx={{ p: 1.5, justifyContent: "space-between", alignItems: "center" }}>
          <Legend shown={STATES.filter((state) => state !== "mixed")} />
          <PageTurner page={usages.data} onTurn={(cursor) => set("cursor", cursor)} />
        </Stack>
      </Card>
      <Typography variant="h2">Newest hand-outs</Typography>
      <Card>
        <Listed query={newest} rows={(page) => page.results} empty="Nothing has been handed out yet.">
          {(rows) => (
            <RecordTable
              label="Newest hand-outs"
              rows={rows}
              columns={[
                {
                  head: "Subnet",
                  cell: (row) => (
                    <Link component={RouterLink} to={`/subnets/${row.id}`}>
                      {row.name}
                    </Link>
                  ),
                },
                { head: "Blocks", cell: (row) => <Mono>{row.blocks.map((block) => block.prefix).join("  ")}</Mono> },
                { head: "Project", cell: (row) => row.project.name },
                { head: "Zone", cell: (row) => row.zone?.name ?? row.region?.name },
                { head: "Tier", cell: (row) => row.tier.name },
                { head: "Pool", cell: (row) => row.pool.name },
                { head: "When", cell: (row) => shortTime(row.created_at) },
              ]}
            />
          )}
        </Listed>
      </Card>
    </Stack>
  );
}

const SOON_DAYS = "14";

/** Reservations that fall back by themselves before long. */
function EndingSoon() {
  const ending = useRecords("reservations", { ending_within: SOON_DAYS });
  const rows = ending.data?.results ?? [];
  if (rows.length === 0) return null;
  return (
    <Alert severity="warning">
      {rows.slice(0, 5).map((row) => (
        <div key={row.id}>
          Reservation <Link component={RouterLink} to={`/set-up/reservations?text=${row.name}`}>{row.name}</Link> (<Mono>{String(row["range"])}</Mono>) falls back on{" "}
          {shortTime(String(row["ends_at"]))}: {String(row["reason"])}
        </div>
      ))}
      {rows.length > 5 && `and ${rows.length - 5} more`}
    </Alert>
  );
}
