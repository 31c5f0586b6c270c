import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import type { GiveBack } from "./queries";

/** Whether what a plan no longer wants goes with its commit, and also where something is recorded inside. */
export function GiveBackChoice({ unwanted, value, onChange }: { unwanted: number; value: GiveBack; onChange: (value: GiveBack) => void }) {
  if (unwanted === 0 && !value.give_back) return null;
  const which = unwanted > 0 ? `the ${unwanted} that the plan no longer wants` : "what the plan no longer wants";
  return (
    <Stack>
      <FormControlLabel
        control={<Checkbox checked={value.give_back} onChange={(event) => onChange({ give_back: event.target.checked, despite_use: false })} />}
        label={`Also give back ${which}`}
      />
      {value.give_back && (
        <FormControlLabel
          control={<Checkbox checked={value.despite_use} onChange={(event) => onChange({ give_back: true, despite_use: event.target.checked })} />}
          label="Also those in which addresses, a DHCP range or a gateway are recorded: these go with them"
        />
      )}
    </Stack>
  );
}
