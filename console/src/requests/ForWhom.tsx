import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { RefSelect } from "../parts/RefSelect";
import { useMay, useMe } from "../session/queries";
import { useChoices } from "../setup/queries";
import type { Draft } from "./draft";

export function ForWhom({ draft, onChange }: { draft: Draft; onChange: (values: Partial<Draft>) => void }) {
  const planner = useMay("planner");
  const me = useMe().data!;
  const realms = useChoices("realms", {});
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
        {((realms.data?.results.length ?? 0) > 1 || draft.realm) && (
          <RefSelect kind="realms" label="Realm" value={draft.realm} onChange={(realm) => onChange({ realm, reservation: "" })} helperText="where addresses must be unique" />
        )}
        {planner ? (
          <RefSelect kind="projects" label="Project" value={draft.project} onChange={(project) => onChange({ project })} required />
        ) : (
          <TextField select label="Project" value={draft.project} required onChange={(event) => onChange({ project: event.target.value })} sx={{ minWidth: 200 }}>
            <MenuItem value="">—</MenuItem>
            {me.projects.map((project) => (
              <MenuItem key={project.id} value={project.name}>
                {project.name}
              </MenuItem>
            ))}
          </TextField>
        )}
        <RefSelect kind="tiers" label="Tier" value={draft.tier} onChange={(tier) => onChange({ tier })} required />
        <RefSelect kind="regions" label="Region" value={draft.region} onChange={(region) => onChange({ region, zone: "" })} />
        <RefSelect
          kind="zones"
          label="Zone"
          query={draft.region ? { region: draft.region } : {}}
          value={draft.zone}
          onChange={(zone) => onChange({ zone })}
          helperText="leave empty where no zone applies"
        />
        <TextField select label="Families" value={draft.families} onChange={(event) => onChange({ families: event.target.value })} sx={{ minWidth: 160 }}>
          <MenuItem value="4">IPv4</MenuItem>
          <MenuItem value="6">IPv6</MenuItem>
          <MenuItem value="4,6">IPv4 and IPv6</MenuItem>
        </TextField>
      </Stack>
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
        <TextField label="Purpose" value={draft.purpose} onChange={(event) => onChange({ purpose: event.target.value })} sx={{ minWidth: 320 }} />
        <TextField
          label="Name"
          value={draft.name}
          onChange={(event) => onChange({ name: event.target.value })}
          helperText="leave empty for the realm's template"
          sx={{ minWidth: 260 }}
        />
      </Stack>
    </Stack>
  );
}
