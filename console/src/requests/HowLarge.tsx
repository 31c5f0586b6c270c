import { useState } from "react";
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import ToggleButton from "@mui/material/ToggleButton";
import ToggleButtonGroup from "@mui/material/ToggleButtonGroup";
import { ProblemAlert } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { RefSelect } from "../parts/RefSelect";
import { grouped } from "../parts/text";
import { EMPTY, needOf, type Draft } from "./draft";
import { useCandidates, useSize, type Candidate, type Size } from "./queries";

const RARE = ["placement", "room", "tag", "gateway", "hold", "reservation", "near", "away", "places"] as const;

export function HowLarge({ draft, onChange, chosen }: { draft: Draft; onChange: (values: Partial<Draft>) => void; chosen: Candidate | null }) {
  const sized = draft.by === "hosts" ? Number(draft.hosts) > 0 : draft.length !== "";
  const found = useCandidates(needOf(draft), sized);
  const names = (found.data?.candidates ?? []).map((candidate) => candidate.sheet.name);
  const sheets = chosen ? [chosen.sheet.name] : [...new Set(names)].slice(0, 3);
  const [unusual] = useState(() => RARE.some((name) => draft[name] !== EMPTY[name]));
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
      </Stack>
      <details open={unusual}>
        <summary>More: placement, room to grow, segment tag, gateway, hold, reservation, near to, away from</summary>
        <Stack direction="row" sx={{ gap: 2, flexWrap: "wrap", pt: 2 }}>
          <Choice
            label="Placement"
            value={draft.placement}
            choices={[["", "as the pool says"], ["snug", "snug: smallest gap"], ["low", "low: lowest address"], ["roomy", "roomy: widest gap"]]}
            onChange={(placement) => onChange({ placement })}
            width={210}
          />
          <TextField label="Doublings of room" type="number" value={draft.room} onChange={(event) => onChange({ room: event.target.value })} sx={{ width: 160 }} />
          <TextField label="Segment tag" value={draft.tag} onChange={(event) => onChange({ tag: event.target.value })} placeholder="as the sheet says" sx={{ width: 160 }} />
          <Choice label="Gateway" value={draft.gateway} choices={[["", "—"], "first", "last"]} onChange={(value) => onChange({ gateway: value })} width={130} />
          <TextField label="Only hold, minutes" type="number" value={draft.hold} onChange={(event) => onChange({ hold: event.target.value })} sx={{ width: 170 }} />
          <RefSelect kind="reservations" label="Draw from reservation" query={draft.realm ? { realm: draft.realm } : {}} value={draft.reservation} onChange={(reservation) => onChange({ reservation })} />
          <TextField label="Near to" value={draft.near} onChange={(event) => onChange({ near: event.target.value })} placeholder="a subnet or prefix" sx={{ width: 210 }} />
          <TextField label="Away from" value={draft.away} onChange={(event) => onChange({ away: event.target.value })} placeholder="subnets or prefixes" sx={{ width: 210 }} />
          <Choice label="Places of each pool" value={draft.places} choices={["1", "3", "5", "10"]} onChange={(value) => onChange({ places: value })} width={170} />
        </Stack>
      </details>
      <Box aria-live="polite">
        {sized && sheets.map((sheet) => <SizeUnder key={sheet} draft={draft} sheet={sheet} />)}
      </Box>
    </Stack>
  );
}

/** The size under one rule sheet, while typing. */
function SizeUnder({ draft, sheet }: { draft: Draft; sheet: string }) {
  const numbers = draft.by === "hosts" ? { hosts: draft.hosts, growth: draft.growth || undefined } : { length: draft.length };
  const size = useSize({ ...numbers, sheet, family: draft.families === "6" ? 6 : 4 }, true);
  if (size.error) return <ProblemAlert error={size.error} />;
  return size.data ? <SizeInWords size={size.data} /> : null;
}

function SizeInWords({ size }: { size: Size }) {
  return (
    <Alert severity="info" icon={false} sx={{ py: 0.25, mb: 0.5 }}>
      <strong>/{size.length}</strong> under {size.sheet}: {grouped(size.total)} addresses, {grouped(size.withheld)} withheld, {grouped(size.usable)} usable
      {size.needed !== "0" && (
        <>
          , {grouped(size.needed)} needed, {grouped(size.spare)} spare. Not smaller, because {size.why_not_smaller}.
        </>
      )}
    </Alert>
  );
}
