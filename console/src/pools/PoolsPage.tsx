// Every pool with its usage and largest free block, and the newest hand-outs.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { lazy, Suspense, useState } from "react";
import { Link as RouterLink } from "react-router";
import { Listed } from "../parts/Answers";
import { Download } from "../parts/Download";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { Legend, STATES } from "../parts/states";
import { shortTime } from "../parts/text";
import { TextFilter } from "../parts/TextFilter";
import { useColumns } from "../parts/useColumns";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { useRecords } from "../setup/queries";
import { useSubnets } from "../subnets/queries";
import { POOL_COLUMNS, RARE_POOL_COLUMNS } from "./columns";
import { PoolTree } from "./PoolTree";
import { useUsages } from "./queries";

const PlaceFilters = lazy(() => import("./PlaceFilters").then((part) => ({ default: part.PlaceFilters })));
const PLACED = ["realm", "region", "zone", "project"];

export function PoolsPage() {
  useTitle("Pools");
  const { filters, set } = useFilters();
  const { list, ...asked } = filters;
  const narrowed = [...PLACED, "text"].some((name) => filters[name]);
  const deep = !narrowed && list !== "flat";
  const usages = useUsages({ ...asked, ...(deep ? { top: "true" } : {}) });
  const [columns, chooseColumns] = useColumns("pools", POOL_COLUMNS, RARE_POOL_COLUMNS);
  const [places, setPlaces] = useState(PLACED.some((name) => filters[name]));
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
      <Stack direction="row" role="search" aria-label="Filters" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
        <TextFilter label="Name contains" value={filters["text"] ?? ""} onChange={(value) => set("text", value)} />
        {places ? (
          <Suspense fallback={null}>
            <PlaceFilters filters={filters} set={set} />
          </Suspense>
        ) : (
          <Button onClick={() => setPlaces(true)}>By realm, place or project</Button>
        )}
        <Box sx={{ flexGrow: 1 }} />
        {!narrowed && (
          <Button size="small" onClick={() => set("list", deep ? "flat" : "")}>
            {deep ? "As a list" : "As a tree"}
          </Button>
        )}
        {chooseColumns}
        <Download address="usage" query={asked} />
      </Stack>
      <Card>
        <Listed query={usages} rows={(page) => page.results} empty="No pool matches. A planner adds pools under Set-up.">
          {(rows) => <PoolTree pools={rows} columns={columns} deep={deep} />}
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
