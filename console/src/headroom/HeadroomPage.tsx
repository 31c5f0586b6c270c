// What is used, by whom, how long it lasts, what changed, and what lies idle.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, Navigate, useParams } from "react-router";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped, percent } from "../parts/text";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useBreakdown, useChanges, useHeadroom, useIdle, useRanges, type BreakdownRow, type HeadroomRow } from "./queries";

const VIEWS = {
  pools: { label: "How long it lasts", view: Lasting },
  usage: { label: "Who uses it", view: Breakdown },
  changes: { label: "What changed", view: Changed },
  idle: { label: "What lies idle", view: IdleList },
  ranges: { label: "Ranges for access rules", view: RangeList },
};
const PLURALS: Record<string, string> = { realm: "realms", pool: "pools", region: "regions", zone: "zones", tier: "tiers", project: "projects" };

export function HeadroomPage() {
  const { view = "" } = useParams();
  useTitle("Headroom");
  const found = VIEWS[view as keyof typeof VIEWS];
  if (!found) return <Navigate to="/headroom/pools" replace />;
  const View = found.view;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Headroom</Typography>
      <Tabs value={view} variant="scrollable" aria-label="What to see" sx={{ borderBottom: 1, borderColor: "divider" }}>
        {Object.entries(VIEWS).map(([key, one]) => (
          <Tab key={key} value={key} label={one.label} component={RouterLink} to={`/headroom/${key}`} />
        ))}
      </Tabs>
      <View />
    </Stack>
  );
}

/** Choosers for a part of the registry, kept in the address of the page. */
function Scope({ names }: { names: string[] }) {
  const { filters, set } = useFilters();
  return (
    <>
      {names.map((name) => (
        <RefSelect key={name} kind={PLURALS[name]!} label={name[0]!.toUpperCase() + name.slice(1)} value={filters[name] ?? ""} onChange={(value) => set(name, value)} none="any" />
      ))}
    </>
  );
}

function commandOf(word: string, filters: Record<string, string>): string {
  return [word, ...Object.entries(filters).filter(([name]) => !["cursor", "by"].includes(name)).map(([name, value]) => `--${name} ${value}`)].join(" ");
}

function Lasting() {
  const { filters, set } = useFilters();
  const headroom = useHeadroom(filters);
  const threshold = (row: HeadroomRow, name: string) => {
    const found = row.thresholds.find((one) => one.name === name);
    return found?.reached ? "reached" : (found?.likely ?? "—");
  };
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Scope names={["realm", "region", "zone", "project"]} />
      </Stack>
      <Card>
        <Listed query={headroom} rows={(page) => page.results} empty="No pool matches.">
          {(rows) => (
            <RecordTable
              label="Headroom of pools"
              rows={rows.map((row) => ({ ...row, id: `${row.pool.id}-${row.family}` }))}
              columns={[
                { head: "Pool", cell: (row) => <Link component={RouterLink} to={`/pools/${row.pool.id}`}>{row.pool.name}</Link> },
                { head: "Family", cell: (row) => `IPv${row.family}` },
                { head: "In use", right: true, cell: (row) => percent(row.used_percent) },
                {
                  head: "A month",
                  right: true,
                  cell: (row) => row.no_forecast ?? (row.family === 4 ? `+${grouped(row.per_month!)}` : `+${grouped((BigInt(row.per_month!) >> 64n).toString())} × /64`),
                },
                { head: "Warning", cell: (row) => threshold(row, "warning") },
                { head: "Critical", cell: (row) => threshold(row, "critical") },
                { head: "Full", cell: (row) => threshold(row, "full") },
                { head: "Largest free", right: true, cell: (row) => row.largest_free ?? "none" },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={headroom.data} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      <CommandLine text={commandOf("lentra headroom", filters)} />
    </>
  );
}

function Breakdown() {
  const { filters, set } = useFilters();
  const by = filters["by"] ?? "project";
  const rows = useBreakdown({ ...filters, by });
  const dimensions = by.split(",") as (keyof BreakdownRow)[];
  const name = (row: BreakdownRow, dimension: keyof BreakdownRow) => (row[dimension] as { name: string } | null)?.name ?? "—";
  const ipv6 = filters["family"] === "6";
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <TextField select label="By" value={by} onChange={(event) => set("by", event.target.value)} sx={{ minWidth: 170 }}>
          {["project", "zone", "tier", "region", "pool", "realm", "zone,tier", "project,zone", "project,tier"].map((one) => (
            <MenuItem key={one} value={one}>
              {one.replace(",", " and ")}
            </MenuItem>
          ))}
        </TextField>
        <TextField select label="Family" value={filters["family"] ?? "4"} onChange={(event) => set("family", event.target.value)} sx={{ width: 110 }}>
          <MenuItem value="4">IPv4</MenuItem>
          <MenuItem value="6">IPv6</MenuItem>
        </TextField>
        <Scope names={["realm", "pool", "region", "zone", "tier", "project"]} />
      </Stack>
      <Card>
        <Listed query={rows} rows={(found) => found} empty="Nothing is handed out there.">
          {(found) => (
            <RecordTable
              label="Usage"
              rows={found.map((row, n) => ({ ...row, id: n }))}
              columns={[
                ...dimensions.map((dimension) => ({ head: dimension[0]!.toUpperCase() + dimension.slice(1), cell: (row: BreakdownRow) => name(row, dimension) })),
                {
                  head: "Share",
                  cell: (row) => (
                    <Stack direction="row" sx={{ alignItems: "center", gap: 1 }}>
                      <Box aria-hidden sx={{ width: 180, height: 12, border: 1, borderColor: "divider" }}>
                        <Box sx={{ width: `${(row.percent / Math.max(found[0]!.percent, 0.001)) * 100}%`, height: "100%", bgcolor: "primary.main" }} />
                      </Box>
                      {percent(row.percent)}
                    </Stack>
                  ),
                },
                { head: ipv6 ? "In /64" : "Addresses", right: true, cell: (row) => grouped(ipv6 ? (BigInt(row.used) >> 64n).toString() : row.used) },
                { head: "Subnets", right: true, cell: (row) => grouped(row.subnets) },
                { head: "Hosts of usable", right: true, cell: (row) => (row.hosts === null ? "—" : `${grouped(row.hosts)} of ${grouped(row.usable!)}`) },
              ]}
            />
          )}
        </Listed>
      </Card>
      <CommandLine text={commandOf(`lentra breakdown ${by}`, filters)} />
    </>
  );
}

function Changed() {
  const { filters, set } = useFilters();
  const since = filters["since"] ?? new Date(Date.now() - 30 * 86_400_000).toISOString().slice(0, 10);
  const changes = useChanges({ ...filters, since });
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        {["since", "until"].map((name) => (
          <TextField
            key={name}
            label={name[0]!.toUpperCase() + name.slice(1)}
            type="date"
            value={name === "since" ? since : (filters[name] ?? "")}
            onChange={(event) => set(name, event.target.value)}
            slotProps={{ inputLabel: { shrink: true } }}
          />
        ))}
        <Scope names={["realm", "pool"]} />
      </Stack>
      <Card>
        <Listed query={changes} rows={(rows) => rows} empty="Nothing changed in that time.">
          {(rows) => (
            <RecordTable
              label="Changes"
              rows={rows.map((row, n) => ({ ...row, id: n }))}
              columns={[
                { head: "What", cell: (row) => row.what },
                { head: "By", cell: (row) => row.by },
                { head: "Subnets", right: true, cell: (row) => grouped(row.subnets) },
                { head: "IPv4 addresses", right: true, cell: (row) => grouped(row.ipv4) },
              ]}
            />
          )}
        </Listed>
      </Card>
      <CommandLine text={commandOf("lentra changes", { ...filters, since })} />
    </>
  );
}

function IdleList() {
  const { filters } = useFilters();
  const idle = useIdle(filters);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5 }}>
        <Scope names={["realm", "project"]} />
      </Stack>
      <Card>
        <Listed query={idle} rows={(rows) => rows} empty="Nothing lies idle.">
          {(rows) => (
            <RecordTable
              label="Idle and odd things"
              rows={rows.map((row, n) => ({ ...row, id: n, number: row.id }))}
              columns={[
                { head: "Kind", cell: (row) => row.kind },
                { head: "What", cell: (row) => (/^(block|public|cooling|hold)/.test(row.kind) ? <Link component={RouterLink} to={`/subnets/${row.number}`}>{row.what}</Link> : row.what) },
                { head: "Where", cell: (row) => row.where || "—" },
                { head: "Days", right: true, cell: (row) => row.days ?? "—" },
                { head: "Why", cell: (row) => row.why },
                { head: "Proposed step", cell: (row) => row.step },
              ]}
            />
          )}
        </Listed>
      </Card>
      <CommandLine text={commandOf("lentra idle", filters)} />
    </>
  );
}

const SHOWN = 1000;

function RangeList() {
  const { filters, set } = useFilters();
  const ranges = useRanges(filters);
  const lines = (ranges.data ?? []).map((row) => ({ added: "+ ", gone: "- " })[row.mark] ?? "").map((mark, n) => mark + ranges.data![n]!.prefix);
  return (
    <>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        <Scope names={["realm", "pool", "project", "region", "zone", "tier"]} />
        <TextField select label="As" value={filters["aggregated"] ?? ""} onChange={(event) => set("aggregated", event.target.value)} sx={{ minWidth: 170 }} slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}>
          <MenuItem value="">every block</MenuItem>
          <MenuItem value="true">fewest prefixes</MenuItem>
        </TextField>
        <TextField label="Changes since" type="date" value={filters["since"] ?? ""} onChange={(event) => set("since", event.target.value)} slotProps={{ inputLabel: { shrink: true } }} />
        <Button disabled={lines.length === 0} onClick={() => void navigator.clipboard.writeText(lines.join("\n"))}>
          Copy as text
        </Button>
      </Stack>
      <Card>
        <Listed query={ranges} rows={(rows) => rows} empty="No range matches.">
          {(rows) => (
            <RecordTable
              label="Ranges"
              rows={rows.slice(0, SHOWN).map((row) => ({ ...row, id: `${row.prefix}${row.mark}` }))}
              columns={[
                { head: "Prefix", cell: (row) => <Mono>{row.prefix}</Mono> },
                { head: "Since then", cell: (row) => row.mark || "—" },
                { head: "Name", cell: (row) => row.name || "—" },
                { head: "Project", cell: (row) => row.project || "—" },
                { head: "Zone", cell: (row) => row.zone || "—" },
                { head: "Tier", cell: (row) => row.tier || "—" },
              ]}
            />
          )}
        </Listed>
      </Card>
      {(ranges.data?.length ?? 0) > SHOWN && <Typography color="text.secondary">and {grouped(ranges.data!.length - SHOWN)} more</Typography>}
      <CommandLine text={commandOf("lentra ranges", filters).replace("--aggregated true", "--aggregated")} />
    </>
  );
}
