// The set-up objects: a tab for each kind, with a table, and forms to add, edit and remove.
import Alert from "@mui/material/Alert";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Card from "@mui/material/Card";
import Link from "@mui/material/Link";
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Link as RouterLink, Navigate, useParams } from "react-router";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { commandLine } from "../parts/command";
import { ConfirmChange } from "../parts/ConfirmChange";
import { Mono } from "../parts/Mono";
import { PageTurner } from "../parts/PageTurner";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { shortTime } from "../parts/text";
import { TextFilter } from "../parts/TextFilter";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { useMay } from "../session/queries";
import { calledOf, cellText } from "./cells";
import { KINDS, type Act, type Kind } from "./kinds";
import { actOn, addSeveral, removeRecord, useRecords, type AnyRecord } from "./queries";
import { RecordForm } from "./RecordForm";

export function SetUpPage() {
  const { kind: name = "" } = useParams();
  const kind = KINDS[name];
  useTitle("Set-up");
  if (!kind) return <Navigate to="/set-up/pools" replace />;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Set-up</Typography>
      <Tabs value={name} variant="scrollable" aria-label="Kinds" sx={{ borderBottom: 1, borderColor: "divider" }}>
        {Object.entries(KINDS).map(([key, one]) => (
          <Tab key={key} value={key} label={plural(one)} component={RouterLink} to={`/set-up/${key}`} />
        ))}
      </Tabs>
      <KindView key={name} kind={kind} />
    </Stack>
  );
}

/** A secret that was made with a record, told once. */
function secretOf(result: unknown): string {
  return (result as { told_secret?: string | null } | null)?.told_secret ?? "";
}

function plural(kind: Kind): string {
  const text = kind.noun === "person" ? "people" : `${kind.noun}s`;
  return text[0]!.toUpperCase() + text.slice(1);
}

function KindView({ kind }: { kind: Kind }) {
  const { filters, set } = useFilters();
  const records = useRecords(kind.collection, filters);
  const may = useMay(kind.role);
  const [form, setForm] = useState<{ record?: AnyRecord } | null>(null);
  const [acting, setActing] = useState<{ record: AnyRecord; act: Act } | null>(null);
  const [removing, setRemoving] = useState<AnyRecord | null>(null);
  const removal = kind.word === "keep-out" ? "Lift" : kind.word === "reservation" ? "Give back" : "Remove";
  const called = calledOf;
  const [listing, setListing] = useState(false);
  const [secret, setSecret] = useState("");
  return (
    <>
      {secret && (
        <Alert severity="success" onClose={() => setSecret("")}>
          Copy its secret now, it is not shown again:
          <CommandLine text={secret} label="secret" />
        </Alert>
      )}
      <Stack direction="row" sx={{ gap: 1.5, alignItems: "center", flexWrap: "wrap" }}>
        {kind.filter && (
          <RefSelect
            kind={kind.filter.of}
            label={kind.filter.name[0]!.toUpperCase() + kind.filter.name.slice(1)}
            value={filters[kind.filter.name] ?? ""}
            onChange={(value) => set(kind.filter!.name, value)}
            none="any"
          />
        )}
        <TextFilter label="Search" type="search" value={filters["text"] ?? ""} onChange={(value) => set("text", value)} />
        <Box sx={{ flexGrow: 1, color: "text.secondary" }}>{kind.about}</Box>
        {may ? (
          <>
            {kind.word === "link" && (
              <Button component={RouterLink} to="/links">
                What would meet
              </Button>
            )}
            {kind.several && <Button onClick={() => setListing(true)}>From a list</Button>}
            <Button variant="contained" onClick={() => setForm({})}>
              Add a {kind.noun}
            </Button>
          </>
        ) : (
          <Typography color="text.secondary">To change these, the role {kind.role} is needed.</Typography>
        )}
      </Stack>
      <Card>
        <Listed query={records} rows={(page) => page.results} empty={`No ${plural(kind).toLowerCase()} found.`}>
          {(rows) => (
            <RecordTable
              label={plural(kind)}
              rows={rows}
              columns={[
                ...kind.columns.map((column) => ({
                  head: (kind.fields.find((field) => field.name === column)?.label ?? column[0]!.toUpperCase() + column.slice(1)).replace(" in percent", ""),
                  cell: (row: AnyRecord) => <Cell kind={kind} column={column} row={row} />,
                })),
                {
                  head: "",
                  label: "Actions",
                  cell: (row: AnyRecord) =>
                    may && (
                      <Box sx={{ whiteSpace: "nowrap" }}>
                        <Button size="small" onClick={() => setForm({ record: row })} aria-label={`Edit ${called(row)}`}>
                          Edit
                        </Button>
                        {kind.acts
                          ?.filter((act) => act.shown(row))
                          .map((act) => (
                            <Button key={act.path} size="small" onClick={() => setActing({ record: row, act })} aria-label={`${act.label}: ${called(row)}`}>
                              {act.label}
                            </Button>
                          ))}
                        <Button size="small" color="error" onClick={() => setRemoving(row)} aria-label={`${removal} ${called(row)}`}>
                          {removal}
                        </Button>
                      </Box>
                    ),
                },
              ]}
            />
          )}
        </Listed>
        <PageTurner page={records.data} address={kind.collection} query={filters} onTurn={(cursor) => set("cursor", cursor)} />
      </Card>
      {form && <RecordForm kind={kind} {...(form.record ? { record: form.record } : {})} onClose={() => setForm(null)} onDone={({ result }) => setSecret(secretOf(result))} />}
      {listing && kind.several && (
        <RecordForm
          kind={kind.several}
          title={`Add ${plural(kind).toLowerCase()} from a list`}
          add={(values, how) => addSeveral(kind.collection, values, how)}
          command={({ list: _, ...values }) => commandLine([kind.word, "add-several", "table.csv"], values)}
          onClose={() => setListing(false)}
        />
      )}
      {acting && (
        <ConfirmChange
          title={acting.act.title}
          chain={[called(acting.record)]}
          command={commandLine([kind.word, acting.act.command, acting.record.name ?? acting.record.id])}
          run={(how) => actOn(kind.collection, acting.record.id, acting.act.path, {}, how)}
          onClose={() => setActing(null)}
        />
      )}
      {removing && (
        <ConfirmChange
          title={`${removal} the ${kind.noun}`}
          chain={[...(removing["realm"] ? [cellText(removing["realm"])] : []), called(removing)]}
          command={commandLine([kind.word, "remove", removing.name ?? removing.id])}
          needsWhy={kind.word === "keep-out"}
          run={(how) => removeRecord(kind.collection, removing.id, how)}
          onClose={() => setRemoving(null)}
        />
      )}
    </>
  );
}

function Cell({ kind, column, row }: { kind: Kind; column: string; row: AnyRecord }) {
  const value = row[column];
  if (column === kind.columns[0] && column !== "left")
    return (
      <Link component={RouterLink} to={kind.word === "pool" ? `/pools/${row.id}` : `/set-up/${kind.collection}/${row.id}`}>
        {cellText(value)}
      </Link>
    );
  if (column === "ends_at") return value ? shortTime(String(value)) : "—";
  if (column === "ranges" || column === "left")
    return (value as string[]).map((range) => (
      <div key={range}>
        <Mono>{range}</Mono>
      </div>
    ));
  if (column === "range" || column === "name_template" || column === "since") return <Mono>{cellText(value)}</Mono>;
  return cellText(value);
}
