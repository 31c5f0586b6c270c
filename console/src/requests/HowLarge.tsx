import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { ProblemAlert } from "../parts/Answers";
import { RefSelect } from "../parts/RefSelect";
import { grouped } from "../parts/text";
import { useState } from "react";
import type { Draft } from "./RequestPage";
import { useSize, type Size } from "./queries";

export function HowLarge({ draft, onChange, pool }: { draft: Draft; onChange: (values: Partial<Draft>) => void; pool: number | undefined }) {
  const [sheet, setSheet] = useState("");
  const numbers = draft.by === "hosts" ? { hosts: draft.hosts, growth: draft.growth || undefined } : { length: draft.length };
  const family = draft.families === "6" ? 6 : 4;
  const under = pool ? { pool } : { sheet: sheet || undefined };
  const size = useSize({ ...numbers, ...under, family }, draft.by === "hosts" ? Number(draft.hosts) > 0 : draft.length !== "");
  return (
    <Stack sx={{ gap: 2 }}>
      <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap" }}>
        <ToggleButtonGroup
          exclusive
          size="small"
          value={draft.by}
          onChange={(_, by) => by && onChange({ by })}
          aria-label="How the size is given"
          sx={{ height: 40 }}
        >
          <ToggleButton value="hosts">By hosts</ToggleButton>
          <ToggleButton value="length">By length</ToggleButton>
        </ToggleButtonGroup>
        {draft.by === "hosts" ? (
          <>
            <TextField label="Hosts" type="number" value={draft.hosts} onChange={(event) => onChange({ hosts: event.target.value })} sx={{ width: 130 }} />
            <TextField
              label="Growth in percent"
              type="number"
              value={draft.growth}
              onChange={(event) => onChange({ growth: event.target.value })}
              sx={{ width: 160 }}
            />
          </>
        ) : (
          <TextField label="Prefix length" type="number" value={draft.length} onChange={(event) => onChange({ length: event.target.value })} sx={{ width: 150 }} />
        )}
        <TextField label="How many subnets" type="number" value={draft.count} onChange={(event) => onChange({ count: event.target.value })} sx={{ width: 150 }} />
        <TextField
          select
          label="Placement"
          value={draft.placement}
          onChange={(event) => onChange({ placement: event.target.value })}
          sx={{ minWidth: 210 }}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">as the pool says</MenuItem>
          <MenuItem value="snug">snug: smallest gap</MenuItem>
          <MenuItem value="low">low: lowest address</MenuItem>
          <MenuItem value="roomy">roomy: widest gap</MenuItem>
        </TextField>
        {!pool && <RefSelect kind="rule-sheets" label="Try a rule sheet" value={sheet} onChange={setSheet} helperText="the pool's own decides" none="ends-withheld" />}
      </Stack>
      <Box aria-live="polite">
        {size.data && !size.error && <SizeInWords size={size.data} />}
        {size.error && <ProblemAlert error={size.error} />}
      </Box>
    </Stack>
  );
}

function SizeInWords({ size }: { size: Size }) {
  return (
    <Alert severity="info" icon={false}>
      <strong>/{size.length}</strong> under {size.sheet}: {grouped(size.total)} addresses, {grouped(size.withheld)} withheld, {grouped(size.usable)} usable
      {size.needed !== "0" && (
        <>
          , {grouped(size.needed)} needed, {grouped(size.spare)} spare. Not smaller, because {size.why_not_smaller}.
        </>
      )}
    </Alert>
  );
}
