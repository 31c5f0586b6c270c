import Stack from "@mui/material/Stack";
import { useState } from "react";
import { Listed } from "../parts/Answers";
import { CommandLine } from "../parts/CommandLine";
import { Mono } from "../parts/Mono";
import { RecordTable } from "../parts/RecordTable";
import { RefSelect } from "../parts/RefSelect";
import { grouped } from "../parts/text";
import type { Told } from "../api/client";
import { Inputs } from "./parts";
import { useWorkedOut } from "./queries";

/** How many blocks of each length still fit in a realm, a region or a pool. */
export function StillFits() {
  const [of, setOf] = useState({ realm: "", region: "", pool: "" });
  const query = Object.fromEntries(Object.entries(of).filter(([, value]) => value));
  const fits = useWorkedOut<Told<"RoomFor">[]>("still-fits", query, true);
  return (
    <Stack sx={{ gap: 2 }}>
      <Inputs>
        <RefSelect kind="realms" label="Realm" value={of.realm} onChange={(realm) => setOf({ ...of, realm })} none="any" />
        <RefSelect kind="regions" label="Region" value={of.region} onChange={(region) => setOf({ ...of, region })} none="any" />
        <RefSelect kind="pools" label="Pool" value={of.pool} onChange={(pool) => setOf({ ...of, pool })} none="any" />
      </Inputs>
      <Listed query={fits} rows={(rows) => rows} empty="Nothing fits there any more.">
        {(rows) => (
          <RecordTable
            label="What still fits"
            rows={rows.map((row) => ({ ...row, id: `${row.family}/${row.length}` }))}
            columns={[
              { head: "Length", cell: (row) => <Mono>/{row.length}</Mono> },
              { head: "Family", cell: (row) => `IPv${row.family}` },
              { head: "How many", right: true, cell: (row) => grouped(row.count) },
              { head: "Mostly in", cell: (row) => row.pools.map((pool) => pool.name).join(", ") },
            ]}
          />
        )}
      </Listed>
      <CommandLine text={["lentra fits", ...Object.entries(query).map(([name, value]) => `--${name} ${value}`)].join(" ")} />
    </Stack>
  );
}
