// Zones × tiers: a row for each tier with its size, a column for each zone, in every cell what would be handed out.
import CloseIcon from "@mui/icons-material/Close";
import Box from "@mui/material/Box";
import Checkbox from "@mui/material/Checkbox";
import IconButton from "@mui/material/IconButton";
import Stack from "@mui/material/Stack";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableContainer from "@mui/material/TableContainer";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import TextField from "@mui/material/TextField";
import { Choice } from "../parts/Choice";
import { Mono } from "../parts/Mono";
import { RefSelect } from "../parts/RefSelect";
import { grouped } from "../parts/text";
import { freshEntry, isIn, keyOf, toggled, withTier, withoutZone, zoneName, type PlanDocument, type TierEntry } from "./document";
import type { There } from "./queries";

export function PlanGrid({
  document,
  onChange,
  there,
}: {
  document: PlanDocument;
  onChange?: (document: PlanDocument) => void;
  there: There | undefined;
}) {
  const zones = document.zones.map(zoneName);
  const blocksOf = (zone: string, key: string) =>
    (there?.blocks ?? []).filter((block) => block.zone === zone && block.tier === key);
  return (
    <Stack sx={{ gap: 1.5 }}>
      <TableContainer tabIndex={0} role="region" aria-label="Zones and tiers">
        <Table size="small" aria-label="Zones and tiers">
          <TableHead>
            <TableRow>
              <TableCell>Tier</TableCell>
              {zones.map((zone) => (
                <TableCell key={zone}>
                  {zone}
                  {onChange && (
                    <IconButton size="small" aria-label={`Take zone ${zone} out`} onClick={() => onChange(withoutZone(document, zone))}>
                      <CloseIcon fontSize="inherit" />
                    </IconButton>
                  )}
                </TableCell>
              ))}
            </TableRow>
          </TableHead>
          <TableBody>
            {document.tiers.map((entry, n) => (
              <TableRow key={keyOf(entry)}>
                <TableCell sx={{ minWidth: onChange ? 330 : 160 }}>
                  {onChange ? <TierCell document={document} index={n} onChange={onChange} /> : <TierWords entry={entry} />}
                </TableCell>
                {zones.map((zone) => (
                  <TableCell key={zone} sx={{ verticalAlign: "top", minWidth: 170, bgcolor: isIn(entry, zone) ? undefined : "action.hover" }}>
                    {onChange && (
                      <Checkbox
                        size="small"
                        checked={isIn(entry, zone)}
                        onChange={() => onChange(toggled(document, n, zone))}
                        slotProps={{ input: { "aria-label": `Tier ${keyOf(entry)} in ${zone}` } }}
                        sx={{ p: 0.25, ml: -0.5 }}
                      />
                    )}
                    {blocksOf(zone, keyOf(entry)).map((block) => (
                      <CellBlock key={block.slot} block={block} />
                    ))}
                    {!isIn(entry, zone) && "missing here"}
                    {!onChange && isIn(entry, zone) && blocksOf(zone, keyOf(entry)).length === 0 && "not there"}
                  </TableCell>
                ))}
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </TableContainer>
      {onChange && (
        <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
          <RefSelect kind="zones" label="Add a zone" value="" onChange={(zone) => zone && !zones.includes(zone) && onChange({ ...document, zones: [...document.zones, zone] })} />
          <RefSelect kind="tiers" label="Add a tier" value="" onChange={(tier) => tier && onChange({ ...document, tiers: [...document.tiers, freshEntry(document, tier)] })} />
        </Stack>
      )}
    </Stack>
  );
}

function TierWords({ entry }: { entry: TierEntry }) {
  const size = entry.hosts ? `${grouped(entry.hosts)} hosts${entry.growth ? ` + ${entry.growth} %` : ""}` : `/${entry.length ?? "64"}`;
  return (
    <>
      <strong>{keyOf(entry)}</strong>
      <Box sx={{ color: "text.secondary" }}>
        {size}
        {entry.count && entry.count > 1 ? ` × ${entry.count}` : ""}
        {entry.room ? `, room ${entry.room}` : ""}
      </Box>
    </>
  );
}

function TierCell({ document, index, onChange }: { document: PlanDocument; index: number; onChange: (document: PlanDocument) => void }) {
  const entry = document.tiers[index]!;
  const set = (name: keyof TierEntry, value: unknown) => {
    const next = { ...entry, [name]: value } as TierEntry;
    if (value === undefined || value === "" || Number.isNaN(value)) delete next[name];
    onChange(withTier(document, index, next));
  };
  const number = (name: "hosts" | "growth" | "length" | "count" | "room", label: string, width: number) => (
    <TextField
      label={label}
      type="number"
      value={entry[name] ?? ""}
      onChange={(event) => set(name, event.target.value === "" ? undefined : Number(event.target.value))}
      sx={{ width }}
      slotProps={{ htmlInput: { "aria-label": `${label} of ${keyOf(entry)}` } }}
    />
  );
  return (
    <Stack sx={{ gap: 1, py: 0.5 }}>
      <Stack direction="row" sx={{ alignItems: "center" }}>
        <Box component="strong" sx={{ flexGrow: 1 }}>
          {keyOf(entry)}
        </Box>
        <IconButton size="small" aria-label={`Take tier ${keyOf(entry)} out`} onClick={() => onChange({ ...document, tiers: document.tiers.filter((_, n) => n !== index) })}>
          <CloseIcon fontSize="inherit" />
        </IconButton>
      </Stack>
      <Stack direction="row" sx={{ gap: 1, flexWrap: "wrap" }}>
        {number("hosts", "Hosts", 100)}
        {number("growth", "Growth %", 105)}
        {number("length", "or length", 100)}
        {number("count", "Blocks", 90)}
        {number("room", "Room", 90)}
        <Choice label="Gateway" value={entry.gateway ?? ""} choices={[["", "—"], "first", "last", "none"]} onChange={(value) => set("gateway", value)} width={110} />
      </Stack>
    </Stack>
  );
}

/** What one cell would be handed. */
function CellBlock({ block }: { block: There["blocks"][number] }) {
  const words = block.change === "added" ? "new" : block.change;
  return (
    <Box sx={{ mb: 0.5, fontSize: 13 }}>
      {block.blocks.map((prefix) => (
        <div key={prefix}>
          <Mono>{prefix}</Mono>
        </div>
      ))}
      <Box sx={{ color: "text.secondary" }}>
        {[words, block.usable && `${grouped(block.usable)} usable`, block.tag && `tag ${block.tag}`, block.room.length > 0 && "room kept"].filter(Boolean).join(" · ")}
      </Box>
    </Box>
  );
}
