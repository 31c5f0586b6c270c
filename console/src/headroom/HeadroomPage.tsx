// What is used, by whom, how long it lasts, what changed, and what to do about it.
import Stack from "@mui/material/Stack";
import Tab from "@mui/material/Tab";
import Tabs from "@mui/material/Tabs";
import Typography from "@mui/material/Typography";
import { Link as RouterLink, Navigate, useParams } from "react-router";
import { useTitle } from "../parts/useTitle";
import { AlertList } from "./AlertList";
import { Breakdown } from "./Breakdown";
import { Changed } from "./Changed";
import { IdleList } from "./IdleList";
import { Lasting } from "./Lasting";
import { ProjectGrid } from "./ProjectGrid";
import { RangeList } from "./RangeList";
import { Report } from "./Report";
import { Verification } from "./Verification";
import { WhatIf } from "./WhatIf";

const VIEWS = {
  pools: { label: "How long it lasts", view: Lasting },
  alerts: { label: "Alerts", view: AlertList },
  usage: { label: "Who uses it", view: Breakdown },
  grid: { label: "Zones × tiers", view: ProjectGrid },
  "what-if": { label: "What if", view: WhatIf },
  idle: { label: "What lies idle", view: IdleList },
  changes: { label: "What changed", view: Changed },
  ranges: { label: "Ranges for access rules", view: RangeList },
  report: { label: "Report", view: Report },
  verification: { label: "Is it right?", view: Verification },
};

export function HeadroomPage() {
  const { view = "" } = useParams();
  useTitle("Headroom");
  const found = VIEWS[view as keyof typeof VIEWS];
  if (!found) return <Navigate to="/headroom/pools" replace />;
  const View = found.view;
  return (
    <Stack sx={{ gap: 2 }}>
      <Typography variant="h1">Headroom</Typography>
      <Tabs value={view} variant="scrollable" aria-label="What to see" sx={{ borderBottom: 1, borderColor: "divider" }}>
        {Object.entries(VIEWS).map(([key, one]) => (
          <Tab key={key} value={key} label={one.label} component={RouterLink} to={`/headroom/${key}`} />
        ))}
      </Tabs>
      <View />
    </Stack>
  );
}
