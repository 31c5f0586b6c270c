// All subnets, with filters that live in the address of the page.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useCallback, useState } from "react";
import { Link as RouterLink } from "react-router";
import { Listed, Loading } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { Download } from "../parts/Download";
import type { Column } from "../parts/RecordTable";
import { ScrolledTable } from "../parts/ScrolledTable";
import { RefSelect } from "../parts/RefSelect";
import { StateChip } from "../parts/states";
import { shellWord, shortTime, tagText } from "../parts/text";
import { TextFilter } from "../parts/TextFilter";
import { useColumns } from "../parts/useColumns";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { cellText } from "../setup/cells";
import { Bulk, type BulkAct } from "./Bulk";
import { useManySubnets, type Subnet } from "./queries";

const PLACES = [
  ["realm", "realms"],
  ["pool", "pools"],
  ["project", "projects"],
  ["region", "regions"],
  ["zone", "zones"],
  ["tier", "tiers"],
  ["plan", "plans"],
] as const;
const CHOICES = { state: ["active", "cooling", "retiring", "held"], family: ["4", "6"], order: ["address", "name", "newest", "oldest"] };
const TEXTS = { tag: "Segment tag", inside: "Inside prefix", covering: "Covers prefix", label: "Label (key=value)", text: "Text" };

const COLUMNS: Column<Subnet>[] = [
  { head: "Name", cell: (row) => <Link component={RouterLink} to={`/subnets/${row.id}`}>{row.name}</Link> },
  { head: "Blocks", cell: (row) => row.blocks.map((block) => <div key={block.prefix}><Mono>{block.prefix}</Mono></div>) },
  { head: "State", cell: (row) => <StateChip state={row.state} /> },
  { head: "Project", cell: (row) => row.project.name },
  { head: "Zone", cell: (row) => row.zone?.name ?? row.region?.name },
  { head: "Tier", cell: (row) => row.tier.name },
  { head: "Pool", cell: (row) => <Link component={RouterLink} to={`/pools/${row.pool.id}`}>{row.pool.name}</Link> },
  { head: "Tag", right: true, cell: (row) => tagText(row) },
  { head: "Hosts", right: true, cell: (row) => row.hosts ?? "—" },
  { head: "Purpose", cell: (row) => row.purpose },
  { head: "Realm", cell: (row) => row.realm.name },
  { head: "Labels", cell: (row) => cellText(row.labels, "") },
  { head: "Usable", right: true, cell: (row) => row.blocks.map((block) => <div key={block.prefix}>{block.usable ?? "—"}</div>) },
  { head: "Plan", cell: (row) => row.plan?.name },
  { head: "Handed out", cell: (row) => shortTime(row.created_at) },
];
const RARE = ["Realm", "Labels", "Usable", "Plan", "Handed out"];

export function SubnetsPage() {
  useTitle("Subnets");
  const { filters, set, clear } = useFilters();
  const { cursor: _, ...wanted } = filters;
  const subnets = useManySubnets(wanted);
  const { hasNextPage, isFetchingNextPage, fetchNextPage } = subnets;
  const more = useCallback(() => void (hasNextPage && !isFetchingNextPage && fetchNextPage()), [hasNextPage, isFetchingNextPage, fetchNextPage]);
  const [columns, chooseColumns] = useColumns("subnets", COLUMNS, RARE);
  const [picked, setPicked] = useState<Subnet[]>([]);
  const [act, setAct] = useState<BulkAct>();
  const mayChange = useMay("requester");
  const given = Object.entries(filters).filter(([name]) => name !== "cursor");
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ alignItems: "center" }}>
        <Typography variant="h1" sx={{ flexGrow: 1 }}>
          Subnets
        </Typography>
        <Button component={RouterLink} to="/addresses">
          Find an address record
        </Button>
      </Stack>
      <Stack direction="row" role="search" aria-label="Filters" sx={{ gap: 1.5, flexWrap: "wrap", "& > *": { flex: "1 1 150px", minWidth: "140px !important", maxWidth: 220 } }}>
        {PLACES.map(([name, kind]) => (
          <RefSelect key={name} kind={kind} label={name[0]!.toUpperCase() + name.slice(1)} value={filters[name] ?? ""} onChange={(value) => set(name, value)} none="any" />
        ))}
        {Object.entries(CHOICES).map(([name, values]) => (
          <Choice key={name} label={name[0]!.toUpperCase() + name.slice(1)} value={filters[name] ?? ""} choices={[["", name === "order" ? "address" : "any"], ...values]} onChange={(value) => set(name, value)} width={140} />
        ))}
        {Object.entries(TEXTS).map(([name, label]) => (
          <TextFilter key={name} label={label} value={filters[name] ?? ""} onChange={(value) => set(name, value)} />
        ))}
        {given.length > 0 && <Button onClick={clear}>Clear all</Button>}
      </Stack>
      <Card>
        <Stack direction="row" sx={{ px: 1, pt: 0.5, gap: 1, alignItems: "center" }}>
          {picked.length > 0 && (
            <>
              <span role="status">{picked.length} picked</span>
              <Button size="small" onClick={() => setAct("release")}>
                Give back
              </Button>
              <Button size="small" onClick={() => setAct("label")}>
                Add a label
              </Button>
            </>
          )}
          <Box sx={{ flexGrow: 1 }} />
          {chooseColumns}
          <Download address="subnets" query={filters} />
        </Stack>
        <Listed query={subnets} rows={(data) => data.pages.flatMap((page) => page.results)} empty="No subnet matches these filters.">
          {(rows) => (
            <ScrolledTable
              label="Subnets"
              rows={rows}
              columns={columns}
              picking={mayChange ? { picked, onPick: setPicked, nameOf: (row) => row.name } : undefined}
              onNearEnd={more}
            />
          )}
        </Listed>
        {isFetchingNextPage && <Loading what="more of them" />}
      </Card>
      {act && <Bulk act={act} subnets={picked} onClose={() => (setAct(undefined), setPicked([]))} />}
      <CommandLine text={["lentra list", ...given.map(([name, value]) => `--${name} ${shellWord(value)}`)].join(" ")} />
    </Stack>
  );
}
