import CssBaseline from "@mui/material/CssBaseline";
import { ThemeProvider } from "@mui/material/styles";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { BrowserRouter, Navigate, Route, Routes, useLocation } from "react-router";
import { Problem } from "../api/client";
import { HeadroomPage } from "../headroom/HeadroomPage";
import { LedgerPage } from "../ledger/LedgerPage";
import { Loading } from "../parts/Answers";
import { MapPage } from "../map/MapPage";
import { PlanEditorPage } from "../plans/PlanEditor";
import { PlanPage } from "../plans/PlanPage";
import { PlansPage } from "../plans/PlansPage";
import { PoolPage } from "../pools/PoolPage";
import { StartPage } from "../pools/StartPage";
import { PublicPage } from "../public/PublicPage";
import { RequestPage } from "../requests/RequestPage";
import { AfterSignIn, SignInPage } from "../session/SignInPage";
import { TokensPage } from "../session/TokensPage";
import { useMe } from "../session/queries";
import { SetUpPage } from "../setup/SetUpPage";
import { SizePage } from "../sizing/SizePage";
import { AddressesPage } from "../subnets/AddressesPage";
import { SubnetPage } from "../subnets/SubnetPage";
import { SubnetsPage } from "../subnets/SubnetsPage";
import { Shell } from "./Shell";
import { theme } from "./theme";

const queryClient = new QueryClient({
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
        <BrowserRouter>
          <Pages />
        </BrowserRouter>
      </QueryClientProvider>
    </ThemeProvider>
  );
}

function Pages() {
  const me = useMe();
  const location = useLocation();
  if (me.isPending) return <Loading what="Lentra" />;
  if (!me.data) {
    const here = location.pathname + location.search;
    return (
      <Routes>
        <Route path="/sign-in" element={<SignInPage />} />
        <Route path="*" element={<Navigate to={`/sign-in?next=${encodeURIComponent(here)}`} replace />} />
      </Routes>
    );
  }
  return (
    <Shell>
      <Routes>
        <Route path="/" element={<StartPage />} />
        <Route path="/sign-in" element={<AfterSignIn />} />
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
        <Route path="/set-up/:kind" element={<SetUpPage />} />
        <Route path="/set-up" element={<Navigate to="/set-up/pools" replace />} />
        <Route path="/ledger" element={<LedgerPage />} />
        <Route path="/tokens" element={<TokensPage />} />
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
    </Shell>
  );
}
