// A new token: its name, how far it reaches, and when it ends.
import Button from "@mui/material/Button";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import { RefSelect } from "../parts/RefSelect";
import { useMe, type NewToken } from "./queries";

const ROLES = ["viewer", "requester", "planner", "admin"];
const EMPTY = { name: "", role: "", project: "", ends: "" };

export function TokenForm({ busy, onMake }: { busy: boolean; onMake: (token: NewToken, done: () => void) => void }) {
  const me = useMe().data;
  const [given, setGiven] = useState(EMPTY);
  const set = (part: Partial<typeof EMPTY>) => setGiven({ ...given, ...part });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    onMake(
      {
        name: given.name,
        ...(given.role ? { role: given.role } : {}),
        ...(given.project ? { projects: [given.project] } : {}),
        ...(given.ends ? { expires_at: `${given.ends}T00:00:00Z` } : {}),
      },
      () => setGiven(EMPTY),
    );
  };
  const reached = ROLES.slice(0, ROLES.indexOf(me?.role ?? "viewer") + 1);
  return (
    <Stack component="form" onSubmit={submit} direction="row" sx={{ gap: 1, flexWrap: "wrap" }}>
      <TextField label="Name of a new token" value={given.name} onChange={(event) => set({ name: event.target.value })} required />
      <TextField select label="Reaches as far as" value={given.role} onChange={(event) => set({ role: event.target.value })} sx={{ minWidth: 190 }}>
        <MenuItem value="">my own role</MenuItem>
        {reached.map((role) => (
          <MenuItem key={role} value={role}>
            {role === "viewer" ? "viewer: only reads" : role}
          </MenuItem>
        ))}
      </TextField>
      <RefSelect kind="projects" label="For project" value={given.project} onChange={(project) => set({ project })} none="all" />
      <TextField
        label="Ends on"
        type="date"
        value={given.ends}
        onChange={(event) => set({ ends: event.target.value })}
        slotProps={{ inputLabel: { shrink: true } }}
      />
      <Button type="submit" variant="contained" disabled={busy}>
        Make it
      </Button>
    </Stack>
  );
}
