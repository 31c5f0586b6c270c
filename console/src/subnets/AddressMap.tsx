// Inside a block: what each address is for, drawn line by line and listed; and its address records.
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useRef, useState } from "react";
import { Shown } from "../parts/Answers";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { SavePicture } from "../parts/SavePicture";
import { useDark } from "../parts/states";
import { grouped } from "../parts/text";
import { RecordForm } from "../setup/RecordForm";
import type { Field, Kind } from "../setup/kinds";
import { editAddress, recordAddresses, releaseAddress, useAddressMap, useAddressRecord, type BlockMap, type Stretch, type Subnet } from "./queries";

// Each purpose has a letter as well as a colour: [mark, light, dark]
const LOOKS: Record<string, [string, string, string]> = {
  network: ["N", "#8f9aa0", "#5c6b72"],
  anycast: ["A", "#8f9aa0", "#5c6b72"],
  broadcast: ["B", "#8f9aa0", "#5c6b72"],
  withheld: ["×", "#c9cfd2", "#3d4a50"],
  gateway: ["G", "#8a4b14", "#f3b562"],
  "dhcp-service": ["D", "#a5601c", "#d99a4e"],
  router: ["R", "#8a4b14", "#f3b562"],
  balancer: ["L", "#2f6a8f", "#7db8dd"],
  "jump-host": ["J", "#7a3f6b", "#d79ac6"],
  reserved: ["r", "#8b8578", "#a39d90"],
  service: ["S", "#5d4a8a", "#b7a5e6"],
  virtual: ["V", "#3f6d3a", "#92c98b"],
  host: ["■", "#2a7a8c", "#4c9fae"],
  dhcp: ["d", "#f6e3bf", "#5b451d"],
  static: ["·", "#fffdf9", "#15252b"],
};
const RECORD_KINDS = ["host", "gateway", "router", "dhcp-service", "balancer", "virtual", "jump-host", "service", "reserved"];
const SECONDARY: Field = { name: "secondary", label: "A further address of that host", kind: "yes-no" };
const NEW: Kind = {
  word: "address",
  noun: "address record",
  collection: "addresses",
  role: "requester",
  columns: [],
  fields: [
    { name: "name", label: "Name", help: "with several, the stem of their names; left empty, the realm's template makes one" },
    { name: "address", label: "Address", help: "leave empty for the next free one" },
    { name: "count", label: "How many", kind: "number" },
    { name: "kind", label: "Kind", kind: "choice", choices: RECORD_KINDS },
    { name: "mac", label: "MAC" },
    { name: "pair", label: "An IPv4 and an IPv6 address each", kind: "yes-no" },
    SECONDARY,
    { name: "family", label: "Family", kind: "choice", choices: ["4", "6"] },
    { name: "purpose", label: "For what" },
    { name: "aliases", label: "Further names in DNS", kind: "refs", help: "of the same host, with commas between" },
    { name: "service", label: "Service", help: "where the subnet is kept for one" },
  ],
};

const EDIT: Kind = {
  ...NEW,
  fields: [
    { name: "name", label: "Name", needed: true },
    { name: "mac", label: "MAC" },
    { name: "kind", label: "Kind", kind: "choice", choices: RECORD_KINDS },
    SECONDARY,
    { name: "purpose", label: "For what" },
    { name: "aliases", label: "Further names in DNS", kind: "refs", help: "of the same host, with commas between" },
  ],
};

const LIST: Kind = {
  ...NEW,
  fields: [{ name: "list", label: "One a line: name, address, kind, MAC, purpose", kind: "long", needed: true, help: "only the name is needed; next free addresses are taken where none is given" }],
};

export function AddressMap({ subnet, mayChange }: { subnet: Subnet; mayChange: boolean }) {
  const map = useAddressMap(String(subnet.id));
  const [adding, setAdding] = useState<"one" | "list" | null>(null);
  const [releasing, setReleasing] = useState<Stretch | null>(null);
  const [editing, setEditing] = useState<number | null>(null);
  const record = useAddressRecord(editing);
  const chain = [subnet.realm.name, subnet.pool.name, subnet.name];
  return (
    <Card sx={{ p: 2 }}>
      <Stack direction="row" sx={{ alignItems: "center", mb: 1 }}>
        <Typography variant="h2" sx={{ flexGrow: 1 }}>
          Address map
        </Typography>
        {mayChange && <Button onClick={() => setAdding("one")}>Record addresses</Button>}
        {mayChange && <Button onClick={() => setAdding("list")}>From a list</Button>}
      </Stack>
      <Shown query={map} what="the address map">
        {(data) => (
          <Stack sx={{ gap: 3 }}>
            {data.blocks.map((block) => (
              <BlockView
                key={block.prefix}
                block={block}
                onRelease={mayChange ? setReleasing : undefined}
                onEdit={(stretch) => setEditing(stretch.record)}
              />
            ))}
          </Stack>
        )}
      </Shown>
      {adding === "list" && (
        <RecordForm
          kind={LIST}
          title="Record addresses from a list"
          add={(values, how) => recordAddresses(subnet, { records: listed(String(values["list"] ?? "")) }, how)}
          command={() => commandLine(["address", "add", subnet.name], { file: "addresses.csv" })}
          chain={chain}
          onClose={() => setAdding(null)}
        />
      )}
      {adding === "one" && (
        <RecordForm
          kind={NEW}
          title="Record addresses"
          add={(values, how) => recordAddresses(subnet, { ...values, ...(values["family"] ? { family: Number(values["family"]) } : {}) }, how)}
          command={({ name, ...values }) => commandLine(["address", "add", subnet.name, ...(name ? [String(name)] : [])], values)}
          chain={chain}
          onClose={() => setAdding(null)}
        />
      )}
      {editing !== null && record.data && (
        <RecordForm
          key={editing}
          kind={EDIT}
          title={`Edit ${record.data.address}`}
          record={record.data}
          edit={(values, how) => editAddress(record.data, { ...values, ...("mac" in values ? { mac: values["mac"] || null } : {}) }, how)}
          command={(values) => commandLine(["address", "edit", editing], values)}
          chain={chain}
          onClose={() => setEditing(null)}
        />
      )}
      {releasing && (
        <ConfirmChange
          title="Release the address"
          chain={[...chain, `${releasing.range} ${releasing.name}`]}
          command={commandLine(["address", "release", releasing.record!])}
          run={(how) => releaseAddress(releasing.record!, how)}
          describe={() => "It is free again at once."}
          onClose={() => setReleasing(null)}
        />
      )}
    </Card>
  );
}

/** The lines of a list as records: name, address, kind, MAC, purpose, with commas or tabs between them. */
export function listed(text: string): Record<string, string>[] {
  const names = ["name", "address", "kind", "mac", "purpose"];
  return text
    .split("\n")
    .filter((line) => line.trim() !== "")
    .map((line) => Object.fromEntries(line.split(/[,;\t]/).map((cell, n) => [names[n] ?? "purpose", cell.trim()] as const).filter(([, cell]) => cell !== "")));
}

function BlockView({
  block,
  onRelease,
  onEdit,
}: {
  block: BlockMap;
  onRelease?: ((stretch: Stretch) => void) | undefined;
  onEdit: (stretch: Stretch) => void;
}) {
  return (
    <Box>
      <Typography variant="h3">
        <Mono>{block.prefix}</Mono>
        {block.gateway && `, gateway ${block.gateway}`}
        {block.dhcp.length > 0 && `, DHCP ${block.dhcp.join(", ")}`}
        {block.dhcp_service && ` by ${block.dhcp_service}`}
      </Typography>
      {Number(block.total) <= 4096 && <Drawing block={block} />}
      <Typography sx={{ my: 1 }}>
        {grouped(block.total)} addresses:{" "}
        {Object.entries(block.totals)
          .map(([purpose, count]) => `${grouped(count)} ${purpose}`)
          .join(", ")}
      </Typography>
      <RecordTable
        label={`What the addresses of ${block.prefix} are for`}
        rows={block.stretches.slice(0, 300).map((stretch) => ({ ...stretch, id: stretch.first }))}
        columns={[
          { head: "Addresses", cell: (row) => <Mono>{row.range}</Mono> },
          { head: "For", cell: (row) => `${LOOKS[row.purpose]?.[0] ?? ""} ${row.purpose}` },
          { head: "Name", cell: (row) => row.name || "—" },
          { head: "How many", right: true, cell: (row) => grouped(row.addresses) },
          ...(onRelease
            ? [
                {
                  head: "",
                  label: "Actions",
                  right: true,
                  cell: (row: Stretch) =>
                    row.record !== null && (
                      <>
                        <Button size="small" aria-label={`Edit ${row.range}`} onClick={() => onEdit(row)}>
                          Edit
                        </Button>
                        <Button size="small" color="error" aria-label={`Release ${row.range}`} onClick={() => onRelease(row)}>
                          Release
                        </Button>
                      </>
                    ),
                },
              ]
            : []),
        ]}
      />
    </Box>
  );
}

/** One cell an address, or for several where the block is wide; 32 or 64 a line. */
function Drawing({ block }: { block: BlockMap }) {
  const dark = useDark();
  const frame = useRef<HTMLDivElement>(null);
  const total = Number(block.total);
  const each = Math.max(1, total / 512);
  const cells: Stretch[] = [];
  for (const stretch of block.stretches) {
    const first = Math.round(stretch.start * total);
    for (let at = first; at < first + Number(stretch.addresses); at += 1) {
      const slot = Math.floor(at / each);
      const there = cells[slot];
      if (!there || there.purpose === "static" || there.purpose === "dhcp") cells[slot] = stretch;
    }
  }
  const across = Math.min(cells.length, 64);
  const size = 15;
  const lines = Math.ceil(cells.length / across);
  return (
    <Box ref={frame} sx={{ overflowX: "auto", mt: 1 }} tabIndex={0} role="region" aria-label={`Drawing of ${block.prefix}`}>
      <svg
        role="img"
        aria-label={`${block.prefix}: ${Object.entries(block.totals).map(([purpose, count]) => `${count} ${purpose}`).join(", ")}; the same as a table below`}
        viewBox={`0 0 ${across * size} ${lines * size}`}
        width={across * size}
        height={lines * size}
        style={{ maxWidth: "100%" }}
      >
        {cells.map((cell, n) => {
          const [mark, light, night] = LOOKS[cell.purpose] ?? LOOKS["static"]!;
          const strong = ["gateway", "service", "virtual", "host", "network", "broadcast"].includes(cell.purpose);
          return (
            <g key={n} transform={`translate(${(n % across) * size} ${Math.floor(n / across) * size})`}>
              <title>{`${cell.range}: ${cell.purpose}${cell.name ? `, ${cell.name}` : ""}`}</title>
              <rect x="0.5" y="0.5" width={size - 1} height={size - 1} fill={dark ? night : light} stroke="currentColor" strokeOpacity="0.25" />
              <text x={size / 2} y={size - 4} fontSize="10" textAnchor="middle" fill={strong ? (dark ? "#0b1a1e" : "#ffffff") : "currentColor"}>
                {mark}
              </text>
            </g>
          );
        })}
      </svg>
      {each > 1 && <Typography color="text.secondary">{each} addresses a square</Typography>}
      <SavePicture within={frame} name={`addresses-${block.prefix}`} />
    </Box>
  );
}
