// A session that has ended while somebody is at work: sign in again in place, and go on.
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { ProblemAlert } from "../parts/Answers";
import { ENDED } from "./ended";
import { CodeField, needsCode } from "./CodeField";
import { useMe, useSignIn } from "./queries";
import { SignOnButton, useWaysIn } from "./WaysIn";

export function SessionEnded({ name }: { name: string }) {
  const queryClient = useQueryClient();
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [asked, setAsked] = useState(false);
  const signIn = useSignIn();
  const ways = useWaysIn().data;
  const elsewhere = !!useMe().data?.sign_on && !!ways?.sign_on;
  const goOn = () => {
    setPassword("");
    queryClient.setQueryData(ENDED, false);
    void queryClient.invalidateQueries({ predicate: (query) => query.queryKey[0] !== ENDED[0] });
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    signIn.mutate(
      { name, password, ...(asked ? { code } : {}) },
      {
        onError: (error) => needsCode(error) && setAsked(true),
        onSuccess: goOn,
      },
    );
  };
  return (
    <Dialog open>
      <form onSubmit={submit}>
        <DialogTitle>Your session has ended</DialogTitle>
        <DialogContent>
          <Stack sx={{ gap: 2, pt: 1 }}>
            <Typography>Sign in again, {name}, and go on where you were.</Typography>
            {elsewhere ? (
              <SignOnButton next="/" apart />
            ) : (
              <TextField
                label="Password"
                type="password"
                value={password}
                onChange={(event) => setPassword(event.target.value)}
                autoComplete="current-password"
                autoFocus
                required
              />
            )}
            {asked && <CodeField value={code} onChange={setCode} />}
            {!needsCode(signIn.error) && <ProblemAlert error={signIn.error} />}
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button href="/sign-in">Somebody else</Button>
          {elsewhere ? (
            <Button onClick={goOn}>I have signed in: go on</Button>
          ) : (
            <Button type="submit" variant="contained" disabled={signIn.isPending}>
              Sign in again
            </Button>
          )}
        </DialogActions>
      </form>
    </Dialog>
  );
}
