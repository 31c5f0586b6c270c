import MenuItem from "@mui/material/MenuItem";
import TextField from "@mui/material/TextField";
import { useAll } from "../setup/queries";

/** Choose one record of a kind by name; nothing is chosen in advance. */
export function RefSelect({
  kind,
  label,
  value,
  onChange,
  query = {},
  required = false,
  disabled = false,
  helperText,
  none = "—",
}: {
  kind: string;
  label: string;
  value: string;
  onChange: (name: string) => void;
  query?: Record<string, string>;
  required?: boolean;
  disabled?: boolean;
  helperText?: string;
  none?: string;
}) {
  const all = useAll(kind, query);
  const names = (all.data?.results ?? []).map((row) => String(row.name));
  const shown = value && !names.includes(value) ? [value, ...names] : names;
  return (
    <TextField
      select
      label={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      required={required}
      disabled={disabled}
      helperText={all.error ? "The list could not be read." : helperText}
      sx={{ minWidth: 200 }}
      slotProps={{ select: { displayEmpty: false } }}
    >
      <MenuItem value="">{none}</MenuItem>
      {shown.map((name) => (
        <MenuItem key={name} value={name}>
          {name}
        </MenuItem>
      ))}
    </TextField>
  );
}
