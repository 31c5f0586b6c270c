import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import { useEffect, useRef, useState } from "react";
import { useChoices, type AnyRecord } from "../setup/queries";

interface Choice {
  value: string;
  label: string;
}

/** Choose one record of a kind by name, found by the service as one types; nothing is chosen in advance. */
export function RefSelect({
  kind,
  label,
  value,
  onChange,
  query = {},
  required = false,
  disabled = false,
  helperText,
  none = "",
}: {
  kind: string;
  label: string;
  value: string;
  onChange: (name: string) => void;
  query?: Record<string, string>;
  required?: boolean;
  disabled?: boolean;
  helperText?: string | undefined;
  none?: string;
}) {
  const [typed, setTyped] = useState("");
  const chosen = value ? choiceOf(value) : null;
  const taken = useRef(false); // a choice that the form takes at once, and leaves the field empty for the next
  useEffect(() => {
    if (taken.current && !value) setTyped("");
    taken.current = false;
  });
  const found = useChoices(kind, { ...query, text: typed === chosen?.label ? "" : typed.trim() });
  return (
    <Autocomplete
      options={choices(found.data?.results ?? [])}
      value={chosen}
      inputValue={typed}
      onInputChange={(_, text) => setTyped(text)}
      onChange={(_, choice) => {
        taken.current = true;
        onChange(choice?.value ?? "");
      }}
      isOptionEqualToValue={(option, one) => option.value === one.value || option.label === one.label}
      filterOptions={(options) => options}
      loading={found.isPending}
      loadingText="Looking…"
      noOptionsText={found.error ? "The list could not be read." : "Nothing is called so."}
      disabled={disabled}
      slotProps={{ paper: { sx: { border: 1, borderColor: "divider" } } }}
      sx={{ minWidth: Math.max(200, label.length * 9 + 60) }}
      renderInput={(input) => <TextField {...input} label={label} required={required} helperText={helperText} placeholder={none} />}
    />
  );
}

/** Records as choices: one whose name another has as well is told, and meant, with its realm. */
export function choices(rows: AnyRecord[]): Choice[] {
  const names = rows.map((row) => String(row.name));
  return rows.map((row) => {
    const name = String(row.name);
    const realm = (row["realm"] as { name: string } | null | undefined)?.name;
    return realm && names.filter((one) => one === name).length > 1 ? choiceOf(`${realm}:${name}`) : { value: name, label: name };
  });
}

function choiceOf(value: string): Choice {
  const [realm, name] = value.includes(":") ? [value.slice(0, value.indexOf(":")), value.slice(value.indexOf(":") + 1)] : [undefined, value];
  return { value, label: realm ? `${name} (${realm})` : value };
}
