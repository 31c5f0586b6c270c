import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Divider from "@mui/material/Divider";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState, type FormEvent } from "react";
import { useSearchParams } from "react-router";
import { Loading, ProblemAlert } from "../parts/Answers";
import { useTitle } from "../parts/useTitle";
import { CodeField, needsCode } from "./CodeField";
import { useSignIn } from "./queries";
import { SignOnButton, useWaysIn } from "./WaysIn";

export function SignInPage() {
  useTitle("Sign in");
  const [query] = useSearchParams();
  const ways = useWaysIn();
  const [wanted, setWanted] = useState(false); // a password, although most have none
  const password = ways.data?.password;
  const both = ways.data?.sign_on && password !== "nobody";
  return (
    <Box component="main" sx={{ minHeight: "100vh", display: "grid", placeItems: "center", p: 2 }}>
      <Card sx={{ p: 4, width: "100%", maxWidth: 380 }}>
        <Stack sx={{ gap: 2 }}>
          <Box sx={{ display: "flex", alignItems: "center", gap: 1.5 }}>
            <Box component="img" src="/icon.svg" alt="" sx={{ width: 40 }} />
            <Typography variant="h1">Lentra</Typography>
          </Box>
          <Typography color="text.secondary">Address space, handed out without clashes.</Typography>
          {ways.isPending && <Loading what="how one can sign in" />}
          <ProblemAlert error={ways.error} onRetry={() => ways.refetch()} />
          <SignOnButton next={query.get("next") ?? "/"} />
          {both && password === "everybody" && <Divider>or</Divider>}
          {(password === "everybody" || wanted) && <ByPassword />}
          {password === "admins" && !wanted && (
            <Button size="small" onClick={() => setWanted(true)}>
              Sign in with a password (admins)
            </Button>
          )}
        </Stack>
      </Card>
    </Box>
  );
}

function ByPassword() {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [code, setCode] = useState("");
  const [asked, setAsked] = useState(false);
  const signOn = useWaysIn().data?.sign_on;
  const signIn = useSignIn();
  const submit = (event: FormEvent) => {
    event.preventDefault();
    signIn.mutate({ name, password, ...(asked ? { code } : {}) }, { onError: (error) => needsCode(error) && setAsked(true) });
  };
  return (
    <Stack component="form" onSubmit={submit} sx={{ gap: 2 }}>
      <TextField label="Name" value={name} onChange={(e) => setName(e.target.value)} autoComplete="username" autoFocus required />
      <TextField
        label="Password"
        type="password"
        value={password}
        onChange={(e) => setPassword(e.target.value)}
        autoComplete="current-password"
        required
      />
      {asked && <CodeField value={code} onChange={setCode} />}
      {!needsCode(signIn.error) && <ProblemAlert error={signIn.error} />}
      <Button type="submit" variant={signOn ? "outlined" : "contained"} disabled={signIn.isPending}>
        Sign in
      </Button>
    </Stack>
  );
}
