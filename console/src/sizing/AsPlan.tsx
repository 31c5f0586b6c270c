// Make a plan of several needs: for whom, from which pool and over which zones.
import Button from "@mui/material/Button";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { call } from "../api/client";
import { ProblemAlert } from "../parts/Answers";
import { RefSelect } from "../parts/RefSelect";
import { keepText } from "../plans/kept";
import { useMay } from "../session/queries";
import type { Packed } from "./queries";
import type { Need } from "./needs";

export function AsPlan({ needs, sheet }: { needs: Need[]; sheet: string }) {
  const [draft, setDraft] = useState({ project: "", pool: "", zones: "", tier: "" });
  const navigate = useNavigate();
  const mayAsk = useMay("requester");
  const set = (values: Partial<typeof draft>) => setDraft({ ...draft, ...values });
  const make = useMutation({
    mutationFn: () => {
      const zones = draft.zones.split(",").map((zone) => zone.trim()).filter(Boolean);
      const as_plan = { project: draft.project, pool: draft.pool, zones, ...(draft.tier ? { tier: draft.tier } : {}) };
      return call<Packed>("POST", "size/several", { body: { needs, as_plan, ...(sheet ? { sheet } : {}) } });
    },
    onSuccess: (packed) => {
      keepText(packed.plan ?? "");
      void navigate("/plans/new");
    },
  });
  if (!mayAsk) return null;
  return (
    <details>
      <summary>Make this a plan</summary>
      <Stack sx={{ gap: 2, pt: 2 }}>
        <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
          <RefSelect kind="projects" label="Project" value={draft.project} onChange={(project) => set({ project })} />
          <RefSelect kind="pools" label="Pool" value={draft.pool} onChange={(pool) => set({ pool })} />
          <TextField label="Zones" value={draft.zones} onChange={(event) => set({ zones: event.target.value })} placeholder="nc-1, nc-2" />
          <RefSelect kind="tiers" label="Tier of the others" value={draft.tier} onChange={(tier) => set({ tier })} none="each is a tier" />
          <Button variant="outlined" disabled={!draft.project || !draft.pool || !draft.zones || make.isPending} onClick={() => make.mutate()}>
            Make a plan of it
          </Button>
        </Stack>
        <ProblemAlert error={make.error} />
      </Stack>
    </details>
  );
}
