import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useQuery } from "@tanstack/react-query";
import { call, type Page } from "../api/client";
import { Choice } from "../parts/Choice";
import { RefSelect } from "../parts/RefSelect";
import { useMay, useMe } from "../session/queries";
import { QuotaBars, type Quota } from "../setup/QuotaBars";
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
          <Choice label="Project" value={draft.project} choices={[["", "—"], ...me.projects.map((project) => [project.name, project.name] as const)]} onChange={(value) => onChange({ project: value })} width={200} required />
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
        <Choice label="Families" value={draft.families} choices={[["4", "IPv4"], ["6", "IPv6"], ["4,6", "IPv4 and IPv6"]]} onChange={(value) => onChange({ families: value })} width={160} />
      </Stack>
      {draft.project && <WhatIsLeft project={draft.project} />}
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

/** What is used of the project's quotas, if it has any. */
function WhatIsLeft({ project }: { project: string }) {
  const quotas = useQuery({
    queryKey: ["quotas", "of", project],
    queryFn: ({ signal }) => call<Page<Quota>>("GET", "quotas", { query: { project }, signal }),
  });
  return quotas.data?.results.length ? <QuotaBars quotas={quotas.data.results} /> : null;
}
