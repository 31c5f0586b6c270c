// The map of space for a realm, a region, a pool or any prefix.
import Alert from "@mui/material/Alert";
import Card from "@mui/material/Card";
import MenuItem from "@mui/material/MenuItem";
import Stack from "@mui/material/Stack";
import TextField from "@mui/material/TextField";
import Typography from "@mui/material/Typography";
import { useState } from "react";
import { Shown } from "../parts/Answers";
import { Choice } from "../parts/Choice";
import { CommandLine } from "../parts/CommandLine";
import { RefSelect } from "../parts/RefSelect";
import { useFilters } from "../parts/useFilters";
import { useTitle } from "../parts/useTitle";
import { BY, type By } from "./colours";
import { MapTable } from "./MapTable";
import { useMap } from "./queries";
import { Realms } from "./Realms";
import { SpaceMap } from "./SpaceMap";

const PLACES = { realm: "realms", region: "regions", pool: "pools" };

export function MapPage() {
  useTitle("Map");
  const { filters, set } = useFilters();
  const where = Object.fromEntries(["realm", "region", "pool", "range"].flatMap((name) => (filters[name] ? [[name, filters[name]]] : [])));
  const map = useMap(where);
  const by = (BY as readonly string[]).includes(filters["by"] ?? "") ? (filters["by"] as By) : "state";
  const zoom = (range: string) => set("range", range);
  const [typed, setTyped] = useState("");
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Map of space</Typography>
      <Stack direction="row" sx={{ gap: 1.5, flexWrap: "wrap" }}>
        {Object.entries(PLACES).map(([name, kind]) => (
          <RefSelect key={name} kind={kind} label={name[0]!.toUpperCase() + name.slice(1)} value={filters[name] ?? ""} onChange={(value) => set(name, value)} none="any" />
        ))}
        {(map.data?.starts.length ?? 0) > 1 && (
          <TextField select label="Begins at" value="" onChange={(event) => zoom(event.target.value)} sx={{ minWidth: 200 }}>
            {map.data!.starts.map((start) => (
              <MenuItem key={`${start.realm}${start.range}`} value={start.range}>
                {start.range} ({start.pool})
              </MenuItem>
            ))}
          </TextField>
        )}
        <form
          onSubmit={(event) => {
            event.preventDefault();
            if (typed.trim()) zoom(typed.trim());
          }}
        >
          <TextField label="Go to a prefix" value={typed} onChange={(event) => setTyped(event.target.value)} sx={{ width: 220 }} />
        </form>
        <Choice label="Colour by" value={by} choices={BY} onChange={(value) => set("by", value)} width={130} />
      </Stack>
      {Object.keys(where).length === 0 ? (
        <Realms />
      ) : (
        <Card sx={{ p: 2 }}>
          <Shown query={map} what="the map">
            {(data) => (
              <>
                {map.error && <Alert severity="error">{String(map.error.message)}</Alert>}
                <SpaceMap map={data} by={by} onZoom={zoom} wheel />
                <MapTable map={data} />
                <CommandLine text={`lentra space ${data.range} --realm ${data.realm.name}`} />
              </>
            )}
          </Shown>
        </Card>
      )}
    </Stack>
  );
}
