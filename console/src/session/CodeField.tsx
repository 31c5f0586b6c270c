import TextField from "@mui/material/TextField";
import { Problem } from "../api/client";

/** True if what is missing to sign in is a code of the second factor. */
export function needsCode(error: unknown): boolean {
  return error instanceof Problem && error.document.code === "second-factor-needed";
}

/** The code of a second factor, once it is asked for. */
export function CodeField({ value, onChange }: { value: string; onChange: (code: string) => void }) {
  return (
    <TextField
      label="Code of your authenticator"
      value={value}
      onChange={(event) => onChange(event.target.value)}
      autoComplete="one-time-code"
      helperText="or a recovery code"
      autoFocus
      required
    />
  );
}
