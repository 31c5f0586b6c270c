// The frame of every page: where one can go, who is signed in, light or dark.
import AddIcon from "@mui/icons-material/AddBox";
import DarkModeIcon from "@mui/icons-material/DarkMode";
import FindingIcon from "@mui/icons-material/TroubleshootOutlined";
import GridIcon from "@mui/icons-material/GridView";
import HistoryIcon from "@mui/icons-material/History";
import MenuIcon from "@mui/icons-material/Menu";
import NamesIcon from "@mui/icons-material/BadgeOutlined";
import MapIcon from "@mui/icons-material/MapOutlined";
import LightModeIcon from "@mui/icons-material/LightMode";
import ListIcon from "@mui/icons-material/ViewList";
import PlanIcon from "@mui/icons-material/ViewModule";
import PublicIcon from "@mui/icons-material/Public";
import TrendIcon from "@mui/icons-material/TrendingUp";
import RulerIcon from "@mui/icons-material/Straighten";
import HourglassIcon from "@mui/icons-material/HourglassEmpty";
import IntakeIcon from "@mui/icons-material/UploadFile";
import TuneIcon from "@mui/icons-material/Tune";
import AppBar from "@mui/material/AppBar";
import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Container from "@mui/material/Container";
import IconButton from "@mui/material/IconButton";
import Link from "@mui/material/Link";
import Toolbar from "@mui/material/Toolbar";
import Typography from "@mui/material/Typography";
import { useColorScheme } from "@mui/material/styles";
import { useState, type ReactNode } from "react";
import { NavLink } from "react-router";
import { SearchField } from "../find/SearchField";
import { useAlerts } from "../headroom/queries";
import { DropDown } from "../parts/DropDown";
import { useMay, useMe, useSignOut } from "../session/queries";
import { useWaitingList } from "../waiting/queries";

const PLACES = [
  { to: "/pools", label: "Pools", icon: <GridIcon fontSize="small" /> },
  { to: "/subnets", label: "Subnets", icon: <ListIcon fontSize="small" /> },
  { to: "/size", label: "Work out", icon: <RulerIcon fontSize="small" /> },
  { to: "/plans", label: "Plans", icon: <PlanIcon fontSize="small" /> },
  { to: "/map", label: "Map", icon: <MapIcon fontSize="small" /> },
  { to: "/headroom", label: "Headroom", icon: <TrendIcon fontSize="small" /> },
  { to: "/findings", label: "Findings", icon: <FindingIcon fontSize="small" /> },
  { to: "/names", label: "Names", icon: <NamesIcon fontSize="small" /> },
  { to: "/public", label: "Public", icon: <PublicIcon fontSize="small" /> },
  { to: "/request", label: "Request", icon: <AddIcon fontSize="small" />, role: "requester" },
  { to: "/waiting", label: "Waiting", icon: <HourglassIcon fontSize="small" /> },
  { to: "/intakes", label: "Bring in", icon: <IntakeIcon fontSize="small" />, role: "planner" },
  { to: "/set-up/pools", label: "Set-up", icon: <TuneIcon fontSize="small" /> },
  { to: "/ledger", label: "Ledger", icon: <HistoryIcon fontSize="small" /> },
];

export function Shell({ children }: { children: ReactNode }) {
  const me = useMe().data!;
  const planner = useMay("planner");
  const places = PLACES.filter((place) => !place.role || (place.role === "planner" ? ["planner", "admin"].includes(me.role) : me.role !== "viewer"));
  return (
    <Box sx={{ minHeight: "100vh", display: "flex", flexDirection: "column" }}>
      <Link href="#content" sx={{ position: "absolute", left: -9999, "&:focus": { left: 8, top: 8, zIndex: 2000 } }}>
        Skip to the content
      </Link>
      <AppBar position="sticky" color="inherit" elevation={0} sx={{ borderBottom: 1, borderColor: "divider" }}>
        <Toolbar variant="dense" sx={{ gap: 1 }}>
          <Link component={NavLink} to="/" end aria-label="Lentra: today" color="inherit" underline="none" sx={{ display: "flex", alignItems: "center", gap: 1, mr: 1 }}>
            <Box component="img" src="/icon.svg" alt="" sx={{ width: 26, height: 26 }} />
            <Typography component="span" sx={{ fontWeight: 750, letterSpacing: "0.01em", display: { xs: "none", sm: "inline" } }}>
              Lentra
            </Typography>
          </Link>
          <Places places={places} />
          <Box component="nav" aria-label="Main" sx={{ display: { xs: "none", lg: "flex" }, gap: 0.25, flexGrow: 1 }}>
            {places.map((place) => (
              <Button
                key={place.to}
                component={NavLink}
                to={place.to}
                end={place.to === "/pools"}
                startIcon={place.icon}
                endIcon={place.to === "/headroom" ? <Alerted /> : place.to === "/waiting" && planner ? <ToDecide /> : null}
                size="small"
                sx={{ color: "text.primary", minWidth: 0, px: 0.6, whiteSpace: "nowrap", "& .MuiButton-startIcon": { display: { lg: "none", xl: "inherit" } }, "&.active": { bgcolor: "action.selected", color: "primary.main" } }}
              >
                {place.label}
              </Button>
            ))}
          </Box>
          <SearchField />
          <SchemeButton />
          <Account name={me.name} role={me.role} />
        </Toolbar>
      </AppBar>
      <Container component="main" id="content" tabIndex={-1} maxWidth="xl" sx={{ py: 3, flexGrow: 1, outline: "none" }}>
        {children}
      </Container>
    </Box>
  );
}

/** Where the frame is too narrow for all places: a menu of them. */
function Places({ places }: { places: typeof PLACES }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <Box sx={{ display: { xs: "block", lg: "none" }, flexGrow: 1 }}>
      <IconButton aria-label="Pages" aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        <MenuIcon fontSize="small" />
      </IconButton>
      <DropDown anchor={anchor} onClose={() => setAnchor(null)} items={[{ label: "Today", to: "/" }, ...places.map(({ label, to }) => ({ label, to }))]} />
    </Box>
  );
}

/** The number of open alerts, beside the page that lists them. */
function Alerted() {
  const open = useAlerts().data?.results?.length ?? 0;
  return <Badge count={open} title={`${open} open alerts`} colour="error" />;
}

/** How many requests wait for a planner. */
function ToDecide() {
  const count = useWaitingList({ state: "waiting", limit: "100" }).data?.results.length ?? 0;
  return <Badge count={count} title={`${count} requests wait`} colour="primary" />;
}

function Badge({ count, title, colour }: { count: number; title: string; colour: string }) {
  if (!count) return null;
  return (
    <Box component="span" title={title} sx={{ px: 0.75, borderRadius: 2, bgcolor: `${colour}.main`, color: `${colour}.contrastText`, fontSize: "12px !important", fontWeight: 600, lineHeight: "18px" }}>
      {count > 99 ? "99+" : count}
    </Box>
  );
}

function SchemeButton() {
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === "system" ? systemMode : mode) === "dark";
  return (
    <IconButton onClick={() => setMode(dark ? "light" : "dark")} aria-label={dark ? "Use light colours" : "Use dark colours"}>
      {dark ? <LightModeIcon fontSize="small" /> : <DarkModeIcon fontSize="small" />}
    </IconButton>
  );
}

function Account({ name, role }: { name: string; role: string }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const signOut = useSignOut();
  return (
    <>
      <Button size="small" color="inherit" aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        {name} · {role}
      </Button>
      <DropDown
        anchor={anchor}
        onClose={() => setAnchor(null)}
        items={[
          { label: "My tokens and password", to: "/tokens" },
          { label: "API reference", href: "/api/docs" },
          { label: "Sign out", onClick: () => signOut.mutate() },
        ]}
      />
    </>
  );
}
