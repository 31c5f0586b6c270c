import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";

type Way = string | readonly [value: string, text: string];

/** One of a few values. Where "" is among them, what it stands for is shown like any other. */
export function Choice({ label, value, choices, onChange, width, required = false }: { label: string; value: string; choices: readonly Way[]; onChange: (value: string) => void; width: number; required?: boolean }) {
  const ways = choices.map((way) => (typeof way === "string" ? ([way, way] as const) : way));
  const shown = ways.some(([one]) => one === "") ? { slotProps: { select: { displayEmpty: true }, inputLabel: { shrink: true } } } : {};
  return (
    <TextField select label={label} value={value} required={required} onChange={(event) => onChange(event.target.value)} sx={{ minWidth: width }} {...shown}>
      {ways.map(([one, text]) => (
        <MenuItem key={one} value={one}>
          {text}
        </MenuItem>
      ))}
    </TextField>
  );
}
