import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, everyRow, type Answer, type Page, type Told } from "../api/client";

export type Subnet = Told<"Subnet">;
export type Near = Told<"Whereabouts">["holders"][number];
export type Whereabouts = Told<"Whereabouts">;
export type Entry = Omit<Told<"Ledger">, "before" | "after"> & { before: Facts; after: Facts };
type Facts = Record<string, unknown> | null;

export function useSubnets(filters: Record<string, string>) {
  return useQuery({
    queryKey: ["subnets", filters],
    queryFn: () => call<Page<Subnet>>("GET", "subnets", { query: filters }),
    placeholderData: keepPreviousData,
  });
}

export function useSubnet(id: string) {
  return useQuery({ queryKey: ["subnets", id], queryFn: () => call<Subnet>("GET", `subnets/${id}`) });
}

export function useHistory(id: string) {
  return useQuery({ queryKey: ["subnets", id, "history"], queryFn: () => everyRow<Entry>(`subnets/${id}/history`) });
}

export function useNeighbours(id: string) {
  return useQuery({ queryKey: ["subnets", id, "neighbours"], queryFn: () => call<Whereabouts[]>("GET", `subnets/${id}/neighbours`) });
}

export function release(subnet: Subnet, how: { at_once: boolean; despite_use: boolean }, preview: boolean, why: string): Promise<Answer<Subnet>> {
  return call("POST", `subnets/${subnet.id}/release`, {
    query: { preview: preview || undefined, why },
    body: how,
    key: crypto.randomUUID(),
    version: subnet.version,
  });
}

export function editSubnet(subnet: Subnet, values: object, preview: boolean, why: string): Promise<Answer<Subnet>> {
  return call("PATCH", `subnets/${subnet.id}`, { query: { preview: preview || undefined, why }, body: values, version: subnet.version });
}

export type BlockMap = Told<"BlockMap">;
export type Stretch = Told<"Stretch">;

export function useAddressMap(id: string) {
  return useQuery({ queryKey: ["subnets", id, "map"], queryFn: () => call<{ blocks: BlockMap[] }>("GET", `subnets/${id}/address-map`) });
}

/** One of the things that can be done with a subnet: grow, shrink, room, replace, confirm, attach, detach. */
export function act(subnet: Subnet, what: string, body: object, preview: boolean, why: string): Promise<Answer<unknown>> {
  return call("POST", `subnets/${subnet.id}/${what}`, {
    query: { preview: preview || undefined, why },
    body,
    key: crypto.randomUUID(),
    version: subnet.version,
  });
}

export function recordAddresses(subnet: Subnet, values: object, preview: boolean, why: string): Promise<Answer<unknown>> {
  return call("POST", `subnets/${subnet.id}/addresses`, { query: { preview: preview || undefined, why }, body: values, key: crypto.randomUUID() });
}

export function releaseAddress(record: number, preview: boolean, why: string): Promise<Answer<unknown>> {
  return call("DELETE", `addresses/${record}`, { query: { preview: preview || undefined, why } });
}

export type BlockHeadroom = Told<"BlockHeadroom">;

export function useBlockHeadroom(id: number) {
  return useQuery({ queryKey: ["subnets", id, "headroom"], queryFn: () => call<BlockHeadroom[]>("GET", `subnets/${id}/headroom`) });
}
