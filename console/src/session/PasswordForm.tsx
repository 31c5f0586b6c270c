// One's own password: the present one, and the next twice.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Checkbox from "@mui/material/Checkbox";
import FormControlLabel from "@mui/material/FormControlLabel";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useState, type FormEvent } from "react";
import { ProblemAlert } from "../parts/Answers";
import { useChangePassword } from "./queries";

const EMPTY = { current: "", next: "", again: "" };

export function PasswordForm() {
  const change = useChangePassword();
  const [given, setGiven] = useState(EMPTY);
  const [revoke, setRevoke] = useState(false);
  const differ = given.again !== "" && given.again !== given.next;
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (given.next !== given.again) return;
    change.mutate({ current: given.current, new: given.next, revoke_tokens: revoke }, { onSuccess: () => setGiven(EMPTY) });
  };
  const field = (name: keyof typeof EMPTY, label: string, autoComplete: string) => (
    <TextField
      label={label}
      type="password"
      autoComplete={autoComplete}
      required
      value={given[name]}
      onChange={(event) => setGiven({ ...given, [name]: event.target.value })}
      {...(name === "again" && differ ? { error: true, helperText: "The two differ." } : {})}
    />
  );
  return (
    <Stack component="form" onSubmit={submit} sx={{ gap: 1.5, alignItems: "start" }}>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        {field("current", "Present password", "current-password")}
        {field("next", "New password", "new-password")}
        {field("again", "New password again", "new-password")}
      </Stack>
      <FormControlLabel
        control={<Checkbox checked={revoke} onChange={(event) => setRevoke(event.target.checked)} />}
        label="Revoke all my tokens as well"
      />
      <ProblemAlert error={change.error} />
      {change.isSuccess && <Alert severity="success">Your password is changed; sessions elsewhere have ended.</Alert>}
      <Button type="submit" variant="outlined" disabled={change.isPending}>
        Change it
      </Button>
    </Stack>
  );
}
