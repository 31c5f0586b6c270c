// How one can sign in here, besides name and password: what the service says of it.
import Button from "@mui/material/Button";
import { useQuery } from "@tanstack/react-query";
import { call, type Told } from "../api/client";

/** Who signs in by name and password, and the single sign-on, if there is one. */
export function useWaysIn() {
  return useQuery({ queryKey: ["ways"], staleTime: Infinity, queryFn: () => call<Told<"Ways">>("GET", "session/ways") });
}

/** A link away to the single sign-on; whoever comes back is at `next`. */
export function SignOnButton({ next, apart = false }: { next: string; apart?: boolean }) {
  const signOn = useWaysIn().data?.sign_on;
  if (!signOn) return null;
  return (
    <Button
      href={`${signOn.address}?next=${encodeURIComponent(next)}`}
      variant={apart ? "outlined" : "contained"}
      {...(apart ? { target: "_blank", rel: "noopener" } : {})}
    >
      Sign in by {signOn.title}
    </Button>
  );
}
