import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Stack from "@mui/material/Stack";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Listed, ProblemAlert } from "../parts/Answers";
import { ConfirmChange } from "../parts/ConfirmChange";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { RecordTable } from "../parts/RecordTable";
import { shortTime } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { actOn, removeRecord } from "../setup/queries";
import { PasswordForm } from "./PasswordForm";
import { type Token, useAddToken, useMe, useTokens } from "./queries";
import { TokenForm } from "./TokenForm";

export function TokensPage() {
  useTitle("Tokens and password");
  const tokens = useTokens();
  const add = useAddToken();
  const [revoking, setRevoking] = useState(false);
  const [one, setOne] = useState<Token | null>(null);
  const me = useMe().data;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Tokens and password</Typography>
      <Typography color="text.secondary">A token signs in a program, or the command line, as you; no further than you let it.</Typography>
      <TokenForm busy={add.isPending} onMake={(token, done) => add.mutate(token, { onSuccess: done })} />
      <ProblemAlert error={add.error} />
      {add.data?.result.text && (
        <Alert severity="success">
          Copy it now, it is not shown again:
          <CommandLine text={add.data.result.text} label="token" />
        </Alert>
      )}
      <Card>
        <Listed query={tokens} empty="No tokens yet." rows={(page) => page.results}>
          {(rows) => (
            <RecordTable
              label="Tokens"
              rows={rows}
              columns={[
                { head: "Name", cell: (token) => token.name },
                { head: "Of", cell: (token) => token.person.name },
                {
                  head: "Reaches",
                  cell: (token) =>
                    [token.role || "as far as its person", token.projects?.length ? `for ${token.projects.map((project) => project.name).join(", ")}` : ""]
                      .filter(Boolean)
                      .join(", "),
                },
                { head: "Ends", cell: (token) => (token.expires_at ? shortTime(token.expires_at) : "never") },
                { head: "State", cell: (token) => (token.revoked_at ? `revoked ${shortTime(token.revoked_at)}` : "in force") },
                {
                  head: "",
                  label: "Actions",
                  cell: (token) =>
                    !token.revoked_at && (
                      <Button size="small" onClick={() => setOne(token)} aria-label={`Revoke ${token.name}`}>
                        Revoke
                      </Button>
                    ),
                },
              ]}
            />
          )}
        </Listed>
      </Card>
      {me && (
        <Button color="error" onClick={() => setRevoking(true)} sx={{ alignSelf: "start" }}>
          Revoke all my tokens
        </Button>
      )}
      {one && (
        <ConfirmChange
          title="Revoke the token"
          chain={[one.person.name, one.name]}
          command={commandLine(["token", "revoke", one.id])}
          run={(how) => removeRecord("tokens", one.id, how)}
          describe={() => "It is of no use from that moment on, and neither is what it has made."}
          onClose={() => setOne(null)}
        />
      )}
      {me && revoking && (
        <ConfirmChange
          title="Revoke all my tokens"
          chain={[me.name]}
          command={commandLine(["person", "revoke-tokens", me.name])}
          run={(how) => actOn("people", me.id, "revoke-tokens", {}, how)}
          onClose={() => setRevoking(false)}
        />
      )}
      <Typography variant="h2">My password</Typography>
      <Card sx={{ p: 2 }}>
        <PasswordForm />
      </Card>
    </Stack>
  );
}
