import { Navigate, useSearchParams } from "react-router";

/** Where whoever has signed in goes on: the page that was wanted, if it is one of ours. */
export function AfterSignIn() {
  const [query] = useSearchParams();
  const next = query.get("next") ?? "/";
  return <Navigate to={next.startsWith("/") && !next.startsWith("//") ? next : "/"} replace />;
}
