// A new token: whose, its name, how far it reaches, and when it ends.
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import { Choice } from "../parts/Choice";
import { RefSelect } from "../parts/RefSelect";
import { useMe, type NewToken } from "./queries";

const ROLES = ["viewer", "requester", "planner", "admin"];
const SCOPES = ["read", "ask", "give-back", "plan", "set-up"];
const EMPTY = { person: "", name: "", role: "", scopes: [] as string[], project: "", realm: "", pool: "", networks: "", ends: "" };

export function TokenForm({ busy, onMake }: { busy: boolean; onMake: (token: NewToken, done: () => void) => void }) {
  const me = useMe().data;
  const [given, setGiven] = useState(EMPTY);
  const set = (part: Partial<typeof EMPTY>) => setGiven({ ...given, ...part });
  const networks = given.networks.split(/[\s,]+/).filter(Boolean);
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onMake(
      {
        name: given.name,
        ...(given.person ? { person: given.person } : {}),
        ...(given.role ? { role: given.role } : {}),
        ...(given.scopes.length ? { scopes: given.scopes } : {}),
        ...(given.project ? { projects: [given.project] } : {}),
        ...(given.realm ? { realms: [given.realm] } : {}),
        ...(given.pool ? { pools: [given.pool] } : {}),
        ...(networks.length ? { networks } : {}),
        ...(given.ends ? { expires_at: `${given.ends}T00:00:00Z` } : {}),
      },
      () => setGiven(EMPTY),
    );
  };
  const reached = ROLES.slice(0, ROLES.indexOf(me?.role ?? "viewer") + 1);
  return (
    <Stack component="form" onSubmit={submit} direction="row" sx={{ gap: 1, flexWrap: "wrap" }}>
      <TextField label="Name of a new token" value={given.name} onChange={(event) => set({ name: event.target.value })} required />
      <TextField label="Of" value={given.person} onChange={(event) => set({ person: event.target.value })} placeholder="me" helperText="or a service account" slotProps={{ inputLabel: { shrink: true } }} />
      <Choice label="Reaches as far as" value={given.role} choices={[["", "its own role"], ...reached.map((role) => [role, role === "viewer" ? "viewer: only reads" : role] as const)]} onChange={(value) => set({ role: value })} width={190} />
      <TextField
        select
        label="Calls"
        value={given.scopes}
        onChange={(event) => set({ scopes: event.target.value as unknown as string[] })}
        sx={{ minWidth: 150 }}
        slotProps={{ inputLabel: { shrink: true }, select: { multiple: true, displayEmpty: true, renderValue: (chosen) => (chosen as string[]).join(", ") || "all" } }}
      >
        {SCOPES.map((scope) => (
          <MenuItem key={scope} value={scope}>
            {scope}
          </MenuItem>
        ))}
      </TextField>
      <RefSelect kind="projects" label="For project" value={given.project} onChange={(project) => set({ project })} none="all" />
      <RefSelect kind="realms" label="In realm" value={given.realm} onChange={(realm) => set({ realm })} none="all" />
      <RefSelect kind="pools" label="From pool" value={given.pool} onChange={(pool) => set({ pool })} none="all" />
      <TextField label="Used from" value={given.networks} onChange={(event) => set({ networks: event.target.value })} placeholder="anywhere" helperText="prefixes, commas between" slotProps={{ inputLabel: { shrink: true } }} />
      <TextField
        label="Ends on"
        type="date"
        value={given.ends}
        onChange={(event) => set({ ends: event.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Button type="submit" variant="contained" disabled={busy} sx={{ alignSelf: "start" }}>
        Make it
      </Button>
    </Stack>
  );
}
