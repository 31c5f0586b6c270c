import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Told } from "../api/client";

type Query = Record<string, string | number | boolean | string[] | undefined>;
export type Size = Told<"Size">;
export type Packed = Told<"Packed">;
export type Cluster = Told<"ClusterSize">;
export type Split = Told<"Split">;
export type Carries = Told<"Carries">;
export type Checked = Omit<Told<"Checked">, "with"> & { with: Told<"Met">[] };

/** Something worked out by the service while one types. */
export function useWorkedOut<Data>(address: string, query: Query, enabled: boolean) {
  return useQuery({
    queryKey: ["worked out", address, query],
    enabled,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => call<Data>("GET", address, { query }),
  });
}

/** The same for what takes a body. */
export function useWorkedOutFrom<Data>(address: string, body: object, enabled: boolean) {
  return useQuery({
    queryKey: ["worked out", address, body],
    enabled,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: () => call<Data>("POST", address, { body }),
  });
}
