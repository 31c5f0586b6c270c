import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { Choice } from "../parts/Choice";
import { RefSelect } from "../parts/RefSelect";
import type { PlanDocument } from "./document";

/** What holds for the whole plan: name, project, pools, room, names, tags. */
export function PlanFrame({ document, onChange, fixedName }: { document: PlanDocument; onChange: (document: PlanDocument) => void; fixedName: boolean }) {
  const set = (values: Partial<PlanDocument>) => onChange(cleared({ ...document, ...values }));
  const room = document.room ?? {};
  const setRoom = (name: "zones" | "tiers" | "block", text: string) => {
    const next = { ...room, [name]: Number(text) };
    set({ room: Object.fromEntries(Object.entries(next).filter(([, value]) => value)) });
  };
  const tags = typeof document.tags === "object" ? String(document.tags.from) : (document.tags ?? "");
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
        <TextField label="Name" required value={document.name} disabled={fixedName} onChange={(event) => set({ name: event.target.value })} />
        <RefSelect kind="projects" label="Project" required value={document.project} onChange={(project) => set({ project })} />
        <RefSelect kind="realms" label="Realm" value={document.realm ?? ""} onChange={(realm) => set({ realm })} />
        {(["ipv4", "ipv6"] as const).map((family) => (
          <RefSelect
            key={family}
            kind="pools"
            label={family === "ipv4" ? "IPv4 pool" : "IPv6 pool"}
            query={document.realm ? { realm: document.realm } : {}}
            value={document.pools[family] ?? ""}
            onChange={(pool) => set({ pools: cleared({ ...document.pools, [family]: pool }) })}
          />
        ))}
      </Stack>
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
        <Choice label="Under one prefix" value={document.summarise ?? "none"} choices={[["none", "each block by itself"], ["zone", "each zone"], ["plan", "each zone, and all of it"]]} onChange={(value) => set({ summarise: value as "zone" })} width={190} />
        <TextField label="Spare zones" type="number" value={room.zones ?? ""} onChange={(event) => setRoom("zones", event.target.value)} sx={{ width: 120 }} />
        <TextField label="Spare tiers" type="number" value={room.tiers ?? ""} onChange={(event) => setRoom("tiers", event.target.value)} sx={{ width: 120 }} />
        <TextField label="Doublings of room" type="number" value={room.block ?? ""} onChange={(event) => setRoom("block", event.target.value)} sx={{ width: 160 }} />
        <TextField
          label="Segment tags from"
          value={tags}
          onChange={(event) => set({ tags: /^\d+$/.test(event.target.value) ? { from: Number(event.target.value) } : undefined })}
          sx={{ width: 150 }}
        />
        <TextField label="Names" value={document.names ?? ""} onChange={(event) => set({ names: event.target.value })} placeholder="the realm's template" sx={{ minWidth: 280 }} />
        <TextField label="Purpose" value={document.purpose ?? ""} onChange={(event) => set({ purpose: event.target.value })} />
      </Stack>
    </Stack>
  );
}

/** Without what is empty. */
function cleared<Of extends object>(values: Of): Of {
  const kept = Object.entries(values).filter(([name, value]) => name === "name" || name === "project" || name === "pools" || (value !== "" && value !== undefined && value !== "none" && !(isPlain(value) && Object.keys(value).length === 0)));
  return Object.fromEntries(kept) as Of;
}

function isPlain(value: unknown): value is object {
  return typeof value === "object" && value !== null && !Array.isArray(value);
}
