// One request: what it asks for, what stands beside it, what was said; and deciding on it.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import CardContent from "@mui/material/CardContent";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link as RouterLink, useParams } from "react-router";
import { change, newKey } from "../api/client";
import { refreshed } from "../api/refreshing";
import { Listed, ProblemAlert, Shown } from "../parts/Answers";
import { commandLine } from "../parts/command";
import { CommandLine } from "../parts/CommandLine";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Facts } from "../parts/Facts";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { percent, shellWord, shortTime } from "../parts/text";
import { useTitle } from "../parts/useTitle";
import { useMay, useMe } from "../session/queries";
import { cellText } from "../setup/cells";
import { daysSince, RequestState } from "./RequestState";
import { useBeside, useConversation, useWaiting, type Waiting } from "./queries";

export function RequestForPlanner() {
  const { id = "" } = useParams();
  const request = useWaiting(id);
  useTitle(request.data?.summary ?? "Request");
  return (
    <Shown query={request} what="the request">
      {(data) => <About request={data} />}
    </Shown>
  );
}

function About({ request }: { request: Waiting }) {
  const planner = useMay("planner");
  const me = useMe().data!;
  const waits = request.state === "waiting";
  const own = me.name === request.asker.name;
  const again = new URLSearchParams({ ...draftOf(request), instead: String(request.id) });
  return (
    <Stack sx={{ gap: 2.5 }}>
      <div>
        <Typography color="text.secondary">
          <Link component={RouterLink} to="/waiting">
            Waiting
          </Link>{" "}
          › {request.realm.name} › {request.pool?.name}
        </Typography>
        <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
          <Typography variant="h1">{request.summary}</Typography>
          <RequestState state={request.state} />
        </Stack>
      </div>
      {request.differs.length > 0 && (
        <Alert severity="info">
          Granted otherwise than asked for: {request.differs.map((one) => `${one.what} ${one.granted} in the place of ${one.asked}`).join("; ")}.
        </Alert>
      )}
      <Card>
        <CardContent>
          <Facts
            facts={[
              ["asked by", `${request.asker.name}, ${daysSince(request.created_at)} days ago`],
              ["reason", request.reason],
              ["needed by", request.needed_by],
              ["rule", `${request.rule}: ${request.rule_words}`],
              ["shown", <Mono key="shown">{request.blocks.join("  ")}</Mono>],
              ["held", waits && (request.held ? `until ${shortTime(request.lapses_at)} at most` : "no")],
              ["to decide", waits && (request.assigned_to?.name ?? "any planner")],
              ["decided", request.decided_at && [request.decided_by?.name, shortTime(request.decided_at), request.decision].filter(Boolean).join(", ")],
              [
                "links",
                request.links.length > 0 && (
                  <>
                    {request.links.map((link) => (
                      <div key={link}>
                        <Link href={link} rel="noreferrer">
                          {link}
                        </Link>
                      </div>
                    ))}
                  </>
                ),
              ],
              ["made", request.state === "granted" && request.what !== "plan" && request.what !== "reservation" && <Made numbers={request.made} />],
              ...Object.entries(request.values)
                .filter(([name, value]) => value !== null && !["text", "document", "project"].includes(name) && cellText(value) !== "—")
                .map(([name, value]): [string, string] => [name.replaceAll("_", " "), cellText(value)]),
            ]}
          />
        </CardContent>
      </Card>
      {waits && <BesideIt request={request} />}
      {waits && planner && <Decide request={request} />}
      <Conversation request={request} maySay={planner || own} />
      {waits && (own || planner) && (
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
          <Act request={request} title="Withdraw it" path="withdraw" command={commandLine(["waiting", "withdraw", request.id])} body={{}} />
          {request.what === "subnets" && (
            <Button component={RouterLink} to={`/request?${again.toString()}`}>
              Ask for something else in its place
            </Button>
          )}
        </Stack>
      )}
      <CommandLine text={commandLine(["waiting", "show", request.id])} />
    </Stack>
  );
}

function Made({ numbers }: { numbers: number[] }) {
  return (
    <>
      {numbers.map((number, n) => (
        <span key={number}>
          {n > 0 && ", "}
          <Link component={RouterLink} to={`/subnets/${number}`}>
            subnet {number}
          </Link>
        </span>
      ))}
    </>
  );
}

/** The pool without and with it, and where else it could go. */
function BesideIt({ request }: { request: Waiting }) {
  const beside = useBeside(request.id);
  return (
    <Card>
      <Typography variant="h2" sx={{ p: 2, pb: 1 }}>
        Beside it
      </Typography>
      <Shown query={beside} what="what stands beside it">
        {(data) => (
          <>
            <RecordTable
              label="Its pool, without and with it"
              rows={data.usage.map((row) => ({ ...row, id: row.family }))}
              columns={[
                { head: "Pool", cell: (row) => <Link component={RouterLink} to={`/pools/${row.pool.id}`}>{row.pool.name}</Link> },
                { head: "Family", cell: (row) => `IPv${row.family}` },
                { head: "In use without it", right: true, cell: (row) => percent(row.before_percent) },
                { head: "With it", right: true, cell: (row) => percent(row.after_percent) },
                { head: "Warning at", right: true, cell: (row) => `${row.warning_percent} %` },
                { head: "Full about", cell: (row) => row.full_on ?? "—" },
              ]}
            />
            {data.elsewhere.length > 0 && (
              <>
                <Typography variant="h3" sx={{ p: 2, pb: 1 }}>
                  Elsewhere
                </Typography>
                <RecordTable
                  label="Other pools"
                  rows={data.elsewhere.map((row) => ({ ...row, id: row.pool.id }))}
                  columns={[
                    { head: "Pool", cell: (row) => row.pool.name },
                    { head: "Block", cell: (row) => <Mono>{row.block}</Mono> },
                    { head: "In use", right: true, cell: (row) => percent(row.used_percent) },
                    { head: "More of that length", right: true, cell: (row) => row.leaves },
                    { head: "Why there", cell: (row) => row.why },
                  ]}
                />
              </>
            )}
          </>
        )}
      </Shown>
    </Card>
  );
}

type Deciding = { title: string; path: string; body: object; command: string };

/** Grant it as asked for, grant something else, refuse it, pass it on. */
function Decide({ request }: { request: Waiting }) {
  const [doing, setDoing] = useState<Deciding | null>(null);
  const [pool, setPool] = useState("");
  const [length, setLength] = useState("");
  const [reason, setReason] = useState("");
  const [to, setTo] = useState("");
  const otherwise = { ...(pool ? { pool } : {}), ...(length ? { length: Number(length) } : {}) };
  const set = Object.entries(otherwise).map(([name, value]) => `--set ${shellWord(`${name}=${String(value)}`)}`);
  const grant = (values: object, anew = false): Deciding => ({
    title: Object.keys(values).length ? "Grant this instead" : anew ? "Grant whatever takes its place" : "Grant it",
    path: "grant",
    body: { values, anew },
    command: ["lentra waiting grant", request.id, ...(Object.keys(values).length ? set : []), ...(anew ? ["--anew"] : [])].join(" "),
  });
  return (
    <Card component="section" aria-label="Decide" sx={{ p: 2 }}>
      <Typography variant="h2" gutterBottom>
        Decide
      </Typography>
      <Stack sx={{ gap: 2 }}>
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
          <Button variant="contained" onClick={() => setDoing(grant({}))}>
            Grant it
          </Button>
          {!request.held && (
            <Button variant="outlined" onClick={() => setDoing(grant({}, true))}>
              Grant whatever takes its place
            </Button>
          )}
        </Stack>
        {request.what !== "plan" && (
          <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
            {request.what !== "growth" && <RefSelect kind="pools" label="Other pool" value={pool} onChange={setPool} none="as asked for" />}
            <TextField label="Other length" type="number" value={length} onChange={(event) => setLength(event.target.value)} sx={{ width: 140 }} />
            <Button variant="outlined" disabled={!pool && !length} onClick={() => setDoing(grant(otherwise))}>
              Grant this instead
            </Button>
          </Stack>
        )}
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
          <TextField label="Why it is refused" value={reason} onChange={(event) => setReason(event.target.value)} sx={{ minWidth: 320 }} />
          <Button
            color="error"
            variant="outlined"
            disabled={!reason.trim()}
            onClick={() => setDoing({ title: "Refuse it", path: "refuse", body: { reason }, command: commandLine(["waiting", "refuse", request.id], { reason }) })}
          >
            Refuse it
          </Button>
        </Stack>
        <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap", alignItems: "center" }}>
          <RefSelect kind="people" label="Pass on to" query={{ role: "planner" }} value={to} onChange={setTo} />
          <Button variant="outlined" disabled={!to} onClick={() => setDoing({ title: "Pass it on", path: "pass-on", body: { to }, command: commandLine(["waiting", "pass-on", request.id, to]) })}>
            Pass it on
          </Button>
        </Stack>
      </Stack>
      {doing && (
        <ConfirmChange
          title={doing.title}
          chain={[request.realm.name, request.pool?.name ?? "", request.summary]}
          command={doing.command}
          run={(how) => change<Waiting>("POST", `waiting-requests/${request.id}/${doing.path}`, doing.body, how)}
          describe={(seen) => <Coming seen={seen} />}
          onClose={() => setDoing(null)}
        />
      )}
    </Card>
  );
}

function Coming({ seen }: { seen: Waiting }) {
  if (!seen.differs.length) return <span>{seen.state === "granted" ? `Exactly what was shown: ${seen.blocks.join(", ")}.` : seen.decision}</span>;
  return (
    <ul>
      {seen.differs.map((one) => (
        <li key={one.what}>
          {one.what}: {one.granted} in the place of {one.asked}
        </li>
      ))}
    </ul>
  );
}

function Act({ request, title, path, command, body }: { request: Waiting; title: string; path: string; command: string; body: object }) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <Button color="error" variant="outlined" onClick={() => setOpen(true)}>
        {title}
      </Button>
      {open && (
        <ConfirmChange
          title={title}
          chain={[request.realm.name, request.pool?.name ?? "", request.summary]}
          command={command}
          run={(how) => change<Waiting>("POST", `waiting-requests/${request.id}/${path}`, body, how)}
          onClose={() => setOpen(false)}
        />
      )}
    </>
  );
}

function Conversation({ request, maySay }: { request: Waiting; maySay: boolean }) {
  const said = useConversation(request.id);
  const [text, setText] = useState("");
  const queryClient = useQueryClient();
  const sent = useMutation({
    mutationFn: () => change<Waiting>("POST", `waiting-requests/${request.id}/say`, { text }, { preview: false, why: "", key: newKey() }),
    onSuccess: async () => {
      setText("");
      await refreshed(queryClient);
    },
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim()) sent.mutate();
  };
  return (
    <Card component="section" aria-label="Conversation" sx={{ p: 2 }}>
      <Typography variant="h2" gutterBottom>
        Conversation
      </Typography>
      <Listed query={said} rows={(page) => page.results} empty="Nothing was said yet.">
        {(rows) => (
          <Stack component="ol" sx={{ listStyle: "none", p: 0, m: 0, gap: 1 }}>
            {rows.map((one, n) => (
              <li key={n}>
                <Typography component="span" color="text.secondary" variant="body2">
                  {shortTime(one.at)} ·{" "}
                </Typography>
                <strong>{one.by}</strong> {one.what === "say" ? "" : `(${one.what}) `}
                {one.text}
              </li>
            ))}
          </Stack>
        )}
      </Listed>
      {maySay && (
        <Stack component="form" direction="row" onSubmit={submit} sx={{ gap: 1.5, mt: 1.5 }}>
          <TextField label="Say something" value={text} onChange={(event) => setText(event.target.value)} sx={{ flexGrow: 1, maxWidth: 640 }} />
          <Button type="submit" variant="outlined" disabled={!text.trim() || sent.isPending}>
            Say it
          </Button>
        </Stack>
      )}
      <ProblemAlert error={sent.error} />
    </Card>
  );
}

/** What the request form begins with, to ask for something else. */
function draftOf(request: Waiting): Record<string, string> {
  const values = request.values as Record<string, unknown>;
  const said: Record<string, string> = { project: request.project.name };
  for (const name of ["tier", "zone", "region", "hosts", "growth", "length", "count", "purpose"]) if (typeof values[name] === "string" || typeof values[name] === "number") said[name] = String(values[name]);
  if (Array.isArray(values["families"])) said["families"] = (values["families"] as number[]).join(",");
  if (!said["hosts"]) said["by"] = "length";
  return said;
}
