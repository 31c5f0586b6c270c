// Add or edit one record of any kind: fill in, look at what it does, confirm.
import Alert from "@mui/material/Alert";
import Button from "@mui/material/Button";
import Dialog from "@mui/material/Dialog";
import DialogActions from "@mui/material/DialogActions";
import DialogContent from "@mui/material/DialogContent";
import DialogTitle from "@mui/material/DialogTitle";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState, type FormEvent } from "react";
import { isStale, newKey, type Answer, type How } from "../api/client";
import { refreshed } from "../api/refreshing";
import { ProblemAlert } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { Chain } from "../parts/ConfirmChange";
import { Facts } from "../parts/Facts";
import { RefSelect } from "../parts/RefSelect";
import { cellText } from "./cells";
import type { Field, Kind } from "./kinds";
import { addRecord, editRecord, useUse, type AnyRecord } from "./queries";
import { draftOf, valuesOf } from "./values";

type Values = Record<string, unknown>;
type Run = (values: Values, how: How) => Promise<Answer<unknown>>;

export function RecordForm({
  kind,
  record,
  preset = {},
  add,
  edit,
  command,
  chain = [],
  title: given,
  onClose,
  onDone,
}: {
  kind: Kind;
  title?: string;
  onDone?: (answer: Answer<unknown>) => void;
  record?: Values;
  preset?: Record<string, string>;
  add?: Run;
  edit?: Run;
  command?: (values: Values) => string;
  chain?: string[];
  onClose: () => void;
}) {
  const fields = kind.fields.filter((field) => !record || !field.onlyNew);
  const before = record ? draftOf(fields, record, {}) : undefined;
  const [draft, setDraft] = useState(() => draftOf(fields, record, preset));
  const [why, setWhy] = useState("");
  const [key, setKey] = useState(newKey);
  const queryClient = useQueryClient();
  const use = useUse(kind.collection, record?.["id"] as number | undefined);
  const frozen = use.data?.frozen ?? [];
  const values = valuesOf(fields, draft, before);
  const run: Run =
    (record ? edit : add) ??
    ((given, how) =>
      record ? editRecord(kind.collection, record as AnyRecord, given, how) : addRecord(kind.collection, given, how));
  const look = useMutation({ mutationFn: () => run(values, { preview: true, why }), onSuccess: () => setKey(newKey()) });
  const done = useMutation({
    mutationFn: () => run(values, { preview: false, why, key, proposal: look.data?.proposal }),
    onSuccess: async (answer) => {
      await refreshed(queryClient);
      onClose();
      onDone?.(answer);
    },
    // What was shown is over: the next step is to look again.
    onError: (error) => isStale(error) && look.reset(),
  });
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (look.data) done.mutate();
    else look.mutate();
  };
  const change = (name: string, value: string) => {
    setDraft({ ...draft, [name]: value });
    look.reset();
    done.reset();
  };
  const title = given ?? (record ? `Edit ${kind.noun} ${String(record["name"] ?? record["range"] ?? "")}` : `Add a ${kind.noun}`);
  const line = command?.(values) ?? commandOf(kind, record, values);
  const names = [...chain, ...(record || chain.length ? [] : [String(draft["realm"] || ""), String(draft["parent"] || "")].filter(Boolean))];
  return (
    <Dialog open onClose={onClose} fullWidth maxWidth="sm">
      <form onSubmit={submit}>
        <DialogTitle>{title}</DialogTitle>
        <DialogContent>
          <Stack sx={{ gap: 2, pt: 1 }}>
            {names.length > 0 && <Chain steps={names} />}
            {frozen.length > 0 && (
              <Alert severity="info">
                In use by {use.data?.use_count}: {frozen.join(", ")} cannot change any more.
              </Alert>
            )}
            {fields.map((field) => (
              <FieldInput
                key={field.name}
                field={field}
                value={draft[field.name] ?? ""}
                onChange={(value) => change(field.name, value)}
                disabled={frozen.includes(field.name)}
              />
            ))}
            <TextField label="Reason (optional)" value={why} onChange={(event) => setWhy(event.target.value)} />
            {look.data && <Seen answer={look.data} />}
            <ProblemAlert
              error={done.error ?? look.error}
              onTake={(name, value) => (fields.some((field) => field.name === name) ? () => change(name, value) : undefined)}
            />
            <CommandLine text={line} />
          </Stack>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Leave it</Button>
          <Button type="submit" variant="contained" disabled={look.isPending || done.isPending || (!!record && Object.keys(values).length === 0)}>
            {look.data ? "Confirm" : "Look at it first"}
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  );
}

/** What a preview said: each entry that the ledger would get. */
function Seen({ answer }: { answer: Answer<unknown> }) {
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => {
    place.current?.scrollIntoView({ block: "center" });
  }, []);
  return (
    <Alert ref={place} severity={answer.notes.length ? "warning" : "info"}>
      {answer.changes.slice(0, 3).map((change, n) => (
        <div key={n}>
          Will {change.verb} {change.kind} <strong>{change.name}</strong>
          {change.after && <Facts facts={shownFacts(change.after)} />}
        </div>
      ))}
      {answer.changes.length > 3 && <div>and {answer.changes.length - 3} entries more</div>}
      {answer.changes.length === 0 && "Nothing would change."}
      {answer.notes.map((note) => (
        <div key={note}>{note}</div>
      ))}
    </Alert>
  );
}

const SPACE = ["ranges", "range", "blocks", "room", "address"]; // told first: it is what people look for

const EMPTY = ["[]", "{}", "0"];

function shownFacts(after: object): [string, string][] {
  return Object.entries(after)
    .filter(([name, value]) => !name.endsWith("_id") && name !== "name" && value !== null && value !== "" && !EMPTY.includes(JSON.stringify(value)))
    .sort(([a], [b]) => Number(SPACE.includes(b)) - Number(SPACE.includes(a)))
    .slice(0, 8)
    .map(([name, value]) => [name.replaceAll("_", " "), cellText(value)]);
}

function FieldInput({ field, value, onChange, disabled }: { field: Field; value: string; onChange: (value: string) => void; disabled: boolean }) {
  if (field.kind === "ref")
    return (
      <RefSelect
        kind={field.of!}
        label={field.label}
        value={value}
        onChange={onChange}
        required={field.needed ?? false}
        disabled={disabled}
        helperText={field.help}
      />
    );
  const choices = field.kind === "yes-no" ? ["yes", "no"] : field.choices;
  return (
    <TextField
      select={!!choices}
      label={field.label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      required={field.needed ?? false}
      disabled={disabled}
      helperText={field.help}
      multiline={field.kind === "long"}
      type={field.kind === "number" ? "number" : field.kind === "password" ? "password" : field.kind === "date" ? "date" : "text"}
      slotProps={field.kind === "date" ? { inputLabel: { shrink: true } } : {}}
      autoComplete="off"
    >
      {choices && <MenuItem value="">—</MenuItem>}
      {choices?.map((choice) => (
        <MenuItem key={choice} value={choice}>
          {choice}
        </MenuItem>
      ))}
    </TextField>
  );
}

/** The command that does the same. */
function commandOf(kind: Kind, record: Values | undefined, values: Values): string {
  const ref = record ? (record["name"] ?? record["id"]) : values["name"];
  const { name, ...rest } = values;
  return commandLine([kind.word, record ? "edit" : "add", ...(ref ? [String(ref)] : [])], record && name ? { name, ...rest } : rest);
}
