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
import { MailForm } from "./MailForm";
import { SecondFactorCard, Sessions } from "./SecondFactorCard";
import { PasswordForm } from "./PasswordForm";
import { type Token, useAddToken, useMe, useTokens } from "./queries";
import { TokenForm } from "./TokenForm";

/** How far a token reaches, in words. */
function reachOf(token: Token): string {
  const places = [...(token.projects ?? []), ...(token.realms ?? []), ...(token.pools ?? [])].map((place) => place.name);
  return [
    token.role || "as far as its person",
    token.scopes?.length ? `calls: ${token.scopes.join(", ")}` : "",
    places.length ? `for ${places.join(", ")}` : "",
    token.networks?.length ? `from ${token.networks.join(", ")}` : "",
  ]
    .filter(Boolean)
    .join("; ");
}

export function TokensPage() {
  useTitle("Tokens and password");
  const tokens = useTokens();
  const add = useAddToken();
  const [revoking, setRevoking] = useState(false);
  const [one, setOne] = useState<Token | null>(null);
  const [rotated, setRotated] = useState<Token | null>(null);
  const [successor, setSuccessor] = useState<string | null>(null);
  const me = useMe().data;
  const text = successor ?? add.data?.result.text;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Tokens and password</Typography>
      <Typography color="text.secondary">A token signs in a program, or the command line, as you, or as a service account of your project; no further than you let it.</Typography>
      <TokenForm busy={add.isPending} onMake={(token, done) => add.mutate(token, { onSuccess: () => (setSuccessor(null), done()) })} />
      <ProblemAlert error={add.error} />
      {text && (
        <Alert severity="success">
          Copy it now, it is not shown again:
          <CommandLine text={text} label="token" />
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
                { head: "Reaches", cell: reachOf },
                { head: "Last used", cell: (token) => token.last_used_on ?? "never" },
                { head: "Ends", cell: (token) => (token.expires_at ? shortTime(token.expires_at) : "never") },
                { head: "State", cell: (token) => (token.revoked_at ? `revoked ${shortTime(token.revoked_at)}` : "in force") },
                {
                  head: "",
                  label: "Actions",
                  cell: (token) =>
                    !token.revoked_at && (
                      <>
                        <Button size="small" onClick={() => setRotated(token)} aria-label={`Rotate ${token.name}`}>
                          Rotate
                        </Button>
                        <Button size="small" onClick={() => setOne(token)} aria-label={`Revoke ${token.name}`}>
                          Revoke
                        </Button>
                      </>
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
      {rotated && (
        <ConfirmChange
          title="Rotate the token"
          chain={[rotated.person.name, rotated.name]}
          command={commandLine(["token", "rotate", rotated.id])}
          run={(how) => actOn<Token>("tokens", rotated.id, "rotate", {}, how)}
          describe={(made) => `Its successor reaches as far and ${made.expires_at ? `ends ${shortTime(made.expires_at)}` : "does not end"}; both live for a day.`}
          onDone={(answer) => setSuccessor(answer.result.text)}
          onClose={() => setRotated(null)}
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
      <Typography variant="h2">Second factor</Typography>
      <Card sx={{ p: 2 }}>{me && <SecondFactorCard me={me} />}</Card>
      <Typography variant="h2">Sessions</Typography>
      <Card>
        <Sessions />
      </Card>
      <Typography variant="h2">Mail</Typography>
      <Card sx={{ p: 2 }}>{me && <MailForm me={me} />}</Card>
    </Stack>
  );
}
