import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { call, newKey, Problem, type Answer, type Page, type Told } from "../api/client";

export type Person = Told<"Person">;
const RANK = ["viewer", "requester", "planner", "admin"];

/** Who is signed in; null if nobody is. */
export function useMe() {
  return useQuery({
    queryKey: ["me"],
    staleTime: 60_000,
    queryFn: async () => {
      try {
        return await call<Person>("GET", "session");
      } catch (error) {
        if (error instanceof Problem && error.document.status === 401) return null;
        throw error;
      }
    },
  });
}

/** True if the person signed in may do what `role` may. */
export function useMay(role: string): boolean {
  const me = useMe().data;
  return !!me && RANK.indexOf(me.role) >= RANK.indexOf(role);
}

export function useSignIn() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (given: { name: string; password: string; code?: string }) => call<Person>("POST", "session", { body: given }),
    onSuccess: (person) => queryClient.setQueryData(["me"], person),
  });
}

export function useSignOut() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: () => call<Told<"SignedOut">>("DELETE", "session"),
    onSuccess: (out) => {
      queryClient.clear();
      window.location.assign(out.continue_at ?? "/sign-in");
    },
  });
}

export type Token = Told<"Token">;

export function useTokens() {
  return useQuery({ queryKey: ["tokens"], queryFn: () => call<Page<Token>>("GET", "tokens", { query: { limit: 200 } }) });
}

type Limits = { scopes?: string[]; projects?: string[]; realms?: string[]; pools?: string[]; networks?: string[] };
export type NewToken = { name: string; person?: string; role?: string; expires_at?: string } & Limits;

export function useAddToken() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (given: NewToken) => call<Answer<Token>>("POST", "tokens", { body: { ...given }, key: newKey() }),
    onSuccess: () => queryClient.invalidateQueries({ queryKey: ["tokens"] }),
  });
}

export function useChangePassword() {
  const queryClient = useQueryClient();
  return useMutation({
    mutationFn: (given: { current: string; new: string; revoke_tokens: boolean }) =>
      call<Answer<Person>>("POST", "session/password", { body: given, key: newKey() }),
    onSuccess: () => queryClient.invalidateQueries(),
  });
}
