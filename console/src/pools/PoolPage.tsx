// One pool: its space as a picture, its usage and what still fits, and the subnets in it.
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Box from "@mui/material/Box";
import Link from "@mui/material/Link";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, useNavigate, useParams } from "react-router";
import { PoolHeadroomCard } from "../headroom/PoolHeadroomCard";
import { Listed, Shown } from "../parts/Answers";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Facts } from "../parts/Facts";
import { MapTable } from "../map/MapTable";
import { useMap } from "../map/queries";
import { SpaceMap } from "../map/SpaceMap";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { StateChip } from "../parts/states";
import { grouped, percent, tagText } from "../parts/text";
import { UsageBar, type Usage } from "../parts/UsageBar";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { seenText, usePoolSeen } from "../reality/queries";
import { RecordForm } from "../setup/RecordForm";
import { KINDS, type Field } from "../setup/kinds";
import { actOn, removeRecord } from "../setup/queries";
import { useSubnets } from "../subnets/queries";
import { Gaps } from "./Gaps";
import { usePool, usePoolUsage, type Pool, type PoolUsage } from "./queries";

export function PoolPage() {
  const { id = "" } = useParams();
  const pool = usePool(id);
  useTitle(pool.data?.name ?? "Pool");
  return (
    <Shown query={pool} what="the pool">
      {(data) => <PoolView key={data.id} pool={data} />}
    </Shown>
  );
}

function PoolView({ pool }: { pool: Pool }) {
  const id = String(pool.id);
  const usage = usePoolUsage(id);
  const seen = usePoolSeen(pool.id);
  const mayPlan = useMay("planner");
  const mayAsk = useMay("requester");
  return (
    <Stack sx={{ gap: 2.5 }}>
      <Box>
        <Typography color="text.secondary">
          {pool.realm.name} ›{" "}
          {pool.parent && (
            <>
              <Link component={RouterLink} to={`/pools/${pool.parent.id}`}>
                {pool.parent.name}
              </Link>{" "}
              ›
            </>
          )}
        </Typography>
        <Stack direction="row" sx={{ alignItems: "center", gap: 1, flexWrap: "wrap" }}>
          <Typography variant="h1" sx={{ flexGrow: 1 }}>
            {pool.name}
          </Typography>
          {mayAsk && (
            <Button component={RouterLink} to={`/request?pool=${pool.id}`} variant="contained">
              Ask for a subnet here
            </Button>
          )}
          {mayPlan && <PlannerActions pool={pool} />}
        </Stack>
        {pool.about && <Typography color="text.secondary">{pool.about}</Typography>}
      </Box>
      <SpaceCard pool={pool} />
      <Box sx={{ display: "grid", gridTemplateColumns: { xs: "1fr", md: "2fr 1fr" }, gap: 2.5 }}>
        <Card sx={{ p: 2 }}>
          <Shown query={usage} what="its usage">
            {(data) => <UsageView usage={data} />}
          </Shown>
        </Card>
        <Card sx={{ p: 2 }}>
          <Typography variant="h2" gutterBottom>
            Facts
          </Typography>
          <Facts
            facts={[
              ["Ranges", pool.ranges.map((range) => <Box key={range}><Mono>{range}</Mono></Box>)],
              ["Rule sheet", pool.sheet.name + (pool.sheet_inherited ? " (inherited)" : "")],
              ["Place", pool.zone?.name ?? pool.region?.name ?? "anywhere"],
              ["Project", pool.project?.name ?? "any"],
              ["Exposure", `${pool.exposure}, origin ${pool.origin}`],
              ["Of what is handed out", seen.data?.some((row) => row.seen_blocks > 0) && seen.data.map((row) => <div key={row.family}>{seenText(row)}</div>)],
              ["Where something was seen", pool.keeps_out_seen === false && "it is handed out all the same"],
              ["Gives", pool.gives === "both" ? "subnets and pools" : pool.gives],
              ["Placement", `${pool.placement_v4} (IPv4), ${pool.placement_v6} (IPv6)`],
              ["Cooling", `${pool.cooling_days} days`],
            ]}
          />
        </Card>
      </Box>
      <Gaps pool={pool} />
      <PoolHeadroomCard id={id} name={pool.name} />
      <PoolSubnets pool={pool} />
    </Stack>
  );
}

function SpaceCard({ pool }: { pool: Pool }) {
  const { filters, set } = useFilters();
  const inside = filters["inside"] ?? pool.ranges[0]!;
  const map = useMap({ realm: pool.realm.name, range: inside });
  const range = pool.ranges.find((candidate) => candidate === inside || map.data?.chain.some((step) => step.range === candidate)) ?? false;
  return (
    <Card sx={{ p: 2 }}>
      <Stack direction="row" sx={{ alignItems: "center", mb: 1, gap: 2, flexWrap: "wrap" }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          Space
        </Typography>
        {pool.ranges.length > 1 && (
          <Tabs value={range} onChange={(_, value) => set("inside", value)} aria-label="Ranges of the pool">
            {pool.ranges.map((candidate) => (
              <Tab key={candidate} value={candidate} label={<Mono>{candidate}</Mono>} />
            ))}
          </Tabs>
        )}
        <Link component={RouterLink} to={`/map?realm=${pool.realm.name}&range=${encodeURIComponent(inside)}`}>
          Open in the map
        </Link>
      </Stack>
      <Shown query={map} what="the map">
        {(data) => (
          <>
            <SpaceMap map={data} by="state" onZoom={(prefix) => set("inside", prefix)} />
            <MapTable map={data} />
          </>
        )}
      </Shown>
    </Card>
  );
}

function UsageView({ usage }: { usage: PoolUsage }) {
  return (
    <Stack sx={{ gap: 2 }}>
      {usage.own.map((own) => (
        <Box key={own.family}>
          <Stack direction="row" sx={{ gap: 2, alignItems: "center", flexWrap: "wrap" }}>
            <Typography variant="h2">IPv{own.family}</Typography>
            <UsageBar usage={own} warning={usage.warning_percent} critical={usage.critical_percent} name={usage.pool.name} />
            <span>
              largest free {own.largest_free ?? "none"}, fragmentation {percent(own.fragmentation_percent)}
              {own.hd_ratio !== null && `, HD ratio ${own.hd_ratio} (threshold ${own.hd_threshold})`}
            </span>
          </Stack>
          <Box sx={{ display: "grid", gridTemplateColumns: "1fr 1fr", gap: 2, mt: 1 }}>
            <States usage={own} />
            <Fits usage={own} />
          </Box>
        </Box>
      ))}
    </Stack>
  );
}

function States({ usage }: { usage: Usage }) {
  const rows = Object.keys(usage.units)
    .filter((state) => usage.addresses[state] !== "0")
    .map((state) => ({ id: state }));
  return (
    <RecordTable
      label={`IPv${usage.family} by state`}
      rows={rows}
      columns={[
        { head: "State", cell: (row) => row.id },
        { head: usage.family === 4 ? "Addresses" : `In ${usage.unit}`, right: true, cell: (row) => grouped(usage.units[row.id]!) },
        { head: "Share", right: true, cell: (row) => percent(usage.percent[row.id]!) },
      ]}
    />
  );
}

function Fits({ usage }: { usage: Usage }) {
  return (
    <RecordTable
      label={`What still fits, IPv${usage.family}`}
      rows={usage.still_fits.filter((fit) => fit.length <= (usage.family === 4 ? 29 : 64)).map((fit) => ({ ...fit, id: fit.length }))}
      columns={[
        { head: "Still fits", cell: (fit) => <Mono>/{fit.length}</Mono> },
        { head: "How many", right: true, cell: (fit) => grouped(fit.count) },
      ]}
    />
  );
}

function PoolSubnets({ pool }: { pool: Pool }) {
  const { filters, set } = useFilters();
  const cursor = filters["cursor"] ?? "";
  const made = (filters["new"] ?? "").split(",");
  const subnets = useSubnets({ pool: String(pool.id), order: "address", limit: "50", ...(cursor ? { cursor } : {}) });
  return (
    <Box>
      <Typography variant="h2" gutterBottom>
        Subnets
      </Typography>
      <Card>
        <Listed query={subnets} rows={(page) => page.results} empty="Nothing has been handed out of this pool directly.">
          {(rows) => (
            <RecordTable
              label="Subnets of the pool"
              rows={rows}
              isMarked={(row) => made.includes(String(row.id))}
              columns={[
                { head: "Blocks", cell: (row) => <Mono>{row.blocks.map((block) => block.prefix).join("  ")}</Mono> },
                {
                  head: "Name",
                  cell: (row) => (
                    <Link component={RouterLink} to={`/subnets/${row.id}`}>
                      {row.name}
                    </Link>
                  ),
                },
                { head: "State", cell: (row) => <StateChip state={row.state} /> },
                { head: "Project", cell: (row) => row.project.name },
                { head: "Zone", cell: (row) => row.zone?.name ?? row.region?.name },
                { head: "Tier", cell: (row) => row.tier.name },
                { head: "Tag", right: true, cell: (row) => tagText(row) },
                { head: "Hosts", right: true, cell: (row) => row.hosts ?? "—" },
                { head: "Purpose", cell: (row) => row.purpose },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={subnets.data} address="subnets" query={{ pool: String(pool.id) }} onTurn={(next) => set("cursor", next)} />
      </Card>
    </Box>
  );
}

const DOINGS = {
  "add a range": {
    what: "ranges",
    fields: [
      { name: "range", label: "Range", help: "such as 10.48.0.0/16" },
      { name: "length", label: "Or find one of length", kind: "number", help: "for a pool that is carved out of another" },
      { name: "family", label: "Family of that", kind: "choice", choices: ["4", "6"] },
    ],
  },
  "change a range": {
    what: "change-range",
    fields: [
      { name: "old", label: "Range to change", needed: true },
      { name: "new", label: "To", needed: true },
      { name: "rebase", label: "Move all that lives in it along", kind: "yes-no" },
    ],
  },
  "take a range out": {
    what: "remove-range",
    fields: [{ name: "range", label: "Range to take out", needed: true, help: "nothing may live in it; what does is listed with a way out" }],
  },
  "add IPv6 to its subnets": {
    what: "second-family",
    fields: [
      { name: "within", label: "Number in", help: "an IPv6 prefix of the pool; its first range if left empty" },
      { name: "numbering", label: "Each block carries the subnet's", kind: "choice", choices: ["number", "tag"] },
      { name: "subnets", label: "These subnets alone", kind: "refs", help: "names with commas between; all of them if left empty" },
    ],
  },
} satisfies Record<string, { what: string; fields: Field[] }>;
type DoingName = keyof typeof DOINGS;

function PlannerActions({ pool }: { pool: Pool }) {
  const navigate = useNavigate();
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const [doing, setDoing] = useState<DoingName | "carve" | "reserve" | "give back" | null>(null);
  const chain = [pool.realm.name, ...(pool.parent ? [pool.parent.name] : []), pool.name];
  const close = () => setDoing(null);
  const choose = (name: NonNullable<typeof doing>) => {
    setMenu(null);
    setDoing(name);
  };
  return (
    <>
      <Button onClick={() => setDoing("carve")}>Carve a pool</Button>
      <Button onClick={() => setDoing("reserve")}>Reserve</Button>
      <Button aria-haspopup="menu" onClick={(event) => setMenu(event.currentTarget)}>
        More
      </Button>
      <Menu anchorEl={menu} open={menu !== null} onClose={() => setMenu(null)}>
        <MenuItem component={RouterLink} to={`/renumberings?from_pool=${pool.realm.name}:${pool.name}`}>
          Move all of it elsewhere
        </MenuItem>
        {(Object.keys(DOINGS) as DoingName[]).map((name) => (
          <MenuItem key={name} onClick={() => choose(name)}>
            {capital(name)}
          </MenuItem>
        ))}
        <MenuItem onClick={() => choose("give back")}>Give the pool back</MenuItem>
      </Menu>
      {doing === "carve" && <RecordForm kind={KINDS["pools"]!} preset={{ parent: pool.name, realm: pool.realm.name }} onClose={close} />}
      {doing === "reserve" && (
        <RecordForm kind={KINDS["reservations"]!} preset={{ pool: `${pool.realm.name}:${pool.name}` }} chain={chain} onClose={close} />
      )}
      {doing && doing in DOINGS && (
        <RecordForm
          kind={{ ...KINDS["pools"]!, fields: DOINGS[doing as DoingName].fields }}
          title={capital(doing)}
          preset={doing === "change a range" ? { old: pool.ranges[0]! } : {}}
          add={(values, how) =>
            actOn("pools", pool.id, DOINGS[doing as DoingName].what, { ...values, ...(values["family"] ? { family: Number(values["family"]) } : {}) }, how)
          }
          command={(values) => poolCommand(doing as DoingName, pool.name, values)}
          chain={chain}
          onClose={close}
        />
      )}
      {doing === "give back" && (
        <ConfirmChange
          title="Give the pool back"
          chain={[...chain, pool.ranges.join(", ")]}
          command={commandLine(["pool", "remove", pool.name])}
          run={(how) => removeRecord("pools", pool.id, how)}
          onClose={close}
          onDone={() => navigate("/pools")}
        />
      )}
    </>
  );
}

/** The command that does the same: ranges are said without a name there. */
function poolCommand(doing: DoingName, pool: string, values: Record<string, unknown>): string {
  const { range, length, family, old, new: next, ...rest } = values;
  const wide = length === undefined ? {} : { lengths: [{ family: Number(family ?? 4), length: Number(length) }] };
  if (doing === "add a range") return commandLine(["pool", "add-range", pool, ...(range ? [String(range)] : [])], wide);
  if (doing === "take a range out") return commandLine(["pool", "remove-range", pool, String(range ?? "RANGE")]);
  if (doing === "change a range") return commandLine(["pool", "change-range", pool, String(old ?? "OLD"), String(next ?? "NEW")], rest["rebase"] ? { rebase: true } : {});
  return commandLine(["pool", "second-family", pool], rest);
}

function capital(words: string): string {
  return words[0]!.toUpperCase() + words.slice(1);
}
