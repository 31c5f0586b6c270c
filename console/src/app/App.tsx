import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { MutationCache, QueryCache, QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { lazy, Suspense, useEffect } from "react";
import { BrowserRouter, Navigate, Route, Routes, useLocation } from "react-router";
import { Problem } from "../api/client";
import { Loading, ProblemAlert } from "../parts/Answers";
import { AfterSignIn } from "../session/AfterSignIn";
import { noticeEnd, useEnded } from "../session/ended";
import { useMe } from "../session/queries";
import { TodayPage } from "../today/TodayPage";
import { Fault } from "./Fault";
import { Shell } from "./Shell";
import { theme } from "./theme";

// Parts that are loaded when they are needed.
const BeginPage = lazy(() => import("../today/BeginPage").then((part) => ({ default: part.BeginPage })));
const HeadroomPage = lazy(() => import("../headroom/HeadroomPage").then((part) => ({ default: part.HeadroomPage })));
const HistoryPage = lazy(() => import("../history/HistoryPage").then((part) => ({ default: part.HistoryPage })));
const IntakePage = lazy(() => import("../intakes/IntakePage").then((part) => ({ default: part.IntakePage })));
const IntakesPage = lazy(() => import("../intakes/IntakesPage").then((part) => ({ default: part.IntakesPage })));
const LedgerPage = lazy(() => import("../ledger/LedgerPage").then((part) => ({ default: part.LedgerPage })));
const MapPage = lazy(() => import("../map/MapPage").then((part) => ({ default: part.MapPage })));
const PlanEditorPage = lazy(() => import("../plans/PlanEditor").then((part) => ({ default: part.PlanEditorPage })));
const PlanPage = lazy(() => import("../plans/PlanPage").then((part) => ({ default: part.PlanPage })));
const PlansPage = lazy(() => import("../plans/PlansPage").then((part) => ({ default: part.PlansPage })));
const PublicPage = lazy(() => import("../public/PublicPage").then((part) => ({ default: part.PublicPage })));
const RequestPage = lazy(() => import("../requests/RequestPage").then((part) => ({ default: part.RequestPage })));
const TokensPage = lazy(() => import("../session/TokensPage").then((part) => ({ default: part.TokensPage })));
const RequestForPlanner = lazy(() => import("../waiting/RequestForPlanner").then((part) => ({ default: part.RequestForPlanner })));
const WaitingPage = lazy(() => import("../waiting/WaitingPage").then((part) => ({ default: part.WaitingPage })));
const RecordPage = lazy(() => import("../setup/RecordPage").then((part) => ({ default: part.RecordPage })));
const SetUpPage = lazy(() => import("../setup/SetUpPage").then((part) => ({ default: part.SetUpPage })));
const SizePage = lazy(() => import("../sizing/SizePage").then((part) => ({ default: part.SizePage })));
const AddressesPage = lazy(() => import("../subnets/AddressesPage").then((part) => ({ default: part.AddressesPage })));
const SessionEnded = lazy(() => import("../session/SessionEnded").then((part) => ({ default: part.SessionEnded })));
const SignInPage = lazy(() => import("../session/SignInPage").then((part) => ({ default: part.SignInPage })));
const TerminalPage = lazy(() => import("../session/TerminalPage").then((part) => ({ default: part.TerminalPage })));
const SubnetsPage = lazy(() => import("../subnets/SubnetsPage").then((part) => ({ default: part.SubnetsPage })));
const SubnetPage = lazy(() => import("../subnets/SubnetPage").then((part) => ({ default: part.SubnetPage })));
const PoolsPage = lazy(() => import("../pools/PoolsPage").then((part) => ({ default: part.PoolsPage })));
const PoolPage = lazy(() => import("../pools/PoolPage").then((part) => ({ default: part.PoolPage })));
const NamesPage = lazy(() => import("../names/NamesPage").then((part) => ({ default: part.NamesPage })));
const DnsZonePage = lazy(() => import("../names/DnsZonePage").then((part) => ({ default: part.DnsZonePage })));
const FindingsPage = lazy(() => import("../reality/FindingsPage").then((part) => ({ default: part.FindingsPage })));
const LinksPage = lazy(() => import("../links/LinksPage").then((part) => ({ default: part.LinksPage })));
const RenumberingPage = lazy(() => import("../moving/RenumberingPage").then((part) => ({ default: part.RenumberingPage })));
const RenumberingsPage = lazy(() => import("../moving/RenumberingsPage").then((part) => ({ default: part.RenumberingsPage })));
const FindPage = lazy(() => import("../find/FindPage").then((part) => ({ default: part.FindPage })));

const queryClient: QueryClient = new QueryClient({
  queryCache: new QueryCache({ onError: (error) => noticeEnd(queryClient, error) }),
  mutationCache: new MutationCache({ onError: (error) => noticeEnd(queryClient, error) }),
  defaultOptions: {
    queries: {
      staleTime: 5_000,
      refetchOnWindowFocus: true,
      retry: (tries, error) => !(error instanceof Problem && error.document.status >= 400 && error.document.status < 500) && tries < 3,
    },
  },
});

export function App() {
  return (
    <ThemeProvider theme={theme} defaultMode="system">
      <CssBaseline />
      <QueryClientProvider client={queryClient}>
        <Fault>
          <BrowserRouter>
            <Pages />
          </BrowserRouter>
        </Fault>
      </QueryClientProvider>
    </ThemeProvider>
  );
}

function Pages() {
  const me = useMe();
  const ended = useEnded();
  const location = useLocation();
  if (me.isPending) return <Loading what="Lentra" />;
  if (me.error) return <ProblemAlert error={me.error} onRetry={() => me.refetch()} />;
  if (!me.data) {
    const here = location.pathname + location.search;
    return (
      <Suspense fallback={<Loading what="Lentra" />}>
        <Routes>
          <Route path="/sign-in" element={<SignInPage />} />
          <Route path="*" element={<Navigate to={`/sign-in?next=${encodeURIComponent(here)}`} replace />} />
        </Routes>
      </Suspense>
    );
  }
  return (
    <Shell>
      {ended && (
        <Suspense fallback={null}>
          <SessionEnded name={me.data.name} />
        </Suspense>
      )}
      <Moved />
      <Fault key={location.pathname}>
        <Suspense fallback={<Loading what="the page" />}>
      <Routes>
        <Route path="/" element={<TodayPage />} />
        <Route path="/pools" element={<PoolsPage />} />
        <Route path="/sign-in" element={<AfterSignIn />} />
        <Route path="/sign-in/terminal" element={<TerminalPage />} />
        <Route path="/pools/:id" element={<PoolPage />} />
        <Route path="/subnets" element={<SubnetsPage />} />
        <Route path="/subnets/:id" element={<SubnetPage />} />
        <Route path="/size/:way?" element={<SizePage />} />
        <Route path="/plans" element={<PlansPage />} />
        <Route path="/plans/new" element={<PlanEditorPage />} />
        <Route path="/plans/:id" element={<PlanPage />} />
        <Route path="/map" element={<MapPage />} />
        <Route path="/headroom/:view?" element={<HeadroomPage />} />
        <Route path="/addresses" element={<AddressesPage />} />
        <Route path="/public" element={<PublicPage />} />
        <Route path="/request" element={<RequestPage />} />
        <Route path="/begin" element={<BeginPage />} />
        <Route path="/waiting" element={<WaitingPage />} />
        <Route path="/waiting/:id" element={<RequestForPlanner />} />
        <Route path="/set-up/:kind" element={<SetUpPage />} />
        <Route path="/set-up/:kind/:id" element={<RecordPage />} />
        <Route path="/set-up" element={<Navigate to="/set-up/pools" replace />} />
        <Route path="/intakes" element={<IntakesPage />} />
        <Route path="/intakes/:id" element={<IntakePage />} />
        <Route path="/history" element={<HistoryPage />} />
        <Route path="/ledger" element={<LedgerPage />} />
        <Route path="/tokens" element={<TokensPage />} />
        <Route path="/links" element={<LinksPage />} />
        <Route path="/renumberings" element={<RenumberingsPage />} />
        <Route path="/renumberings/:id" element={<RenumberingPage />} />
        <Route path="/names" element={<NamesPage />} />
        <Route path="/names/:id" element={<DnsZonePage />} />
        <Route path="/findings" element={<FindingsPage />} />
        <Route path="/find" element={<FindPage />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
        </Suspense>
      </Fault>
    </Shell>
  );
}

/** Focus moves with the page, so that the keyboard and a screen reader are where the eyes are. */
function Moved() {
  const { pathname } = useLocation();
  useEffect(() => {
    const content = document.getElementById("content");
    if (document.activeElement && document.activeElement !== document.body && !content?.contains(document.activeElement)) content?.focus({ preventScroll: true });
  }, [pathname]);
  return null;
}
