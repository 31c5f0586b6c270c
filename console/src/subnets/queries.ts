import { keepPreviousData, useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { call, change, everyRow, type Answer, type How, type Page, type Told } from "../api/client";

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

/** All subnets that match, page after page as one scrolls. */
export function useManySubnets(filters: Record<string, string>) {
  return useInfiniteQuery({
    queryKey: ["subnets", "many", filters],
    queryFn: ({ pageParam, signal }) => call<Page<Subnet>>("GET", "subnets", { query: { ...filters, limit: 100, ...(pageParam ? { cursor: pageParam } : {}) }, signal }),
    initialPageParam: "",
    getNextPageParam: (page) => (page.next ? new URL(page.next).searchParams.get("cursor") : null),
    placeholderData: keepPreviousData,
  });
}

/** How many public addresses each project holds of its quota. */
export function usePublicUse(filters: Record<string, string>) {
  return useQuery({ queryKey: ["public-use", filters], queryFn: () => call<Page<Told<"PublicUse">>>("GET", "public-use", { query: filters }) });
}

export function useSubnet(id: string) {
  return useQuery({ queryKey: ["subnets", id], enabled: id !== "", queryFn: () => call<Subnet>("GET", `subnets/${id}`) });
}

export function useHistory(id: string) {
  return useQuery({ queryKey: ["subnets", id, "history"], queryFn: () => everyRow<Entry>(`subnets/${id}/history`) });
}

export function useNeighbours(id: string) {
  return useQuery({ queryKey: ["subnets", id, "neighbours"], queryFn: () => call<Whereabouts[]>("GET", `subnets/${id}/neighbours`) });
}

export function release(subnet: Subnet, words: { at_once: boolean; despite_use: boolean }, how: How): Promise<Answer<Subnet>> {
  return change("POST", `subnets/${subnet.id}/release`, words, how, subnet.version);
}

export function editSubnet(subnet: Subnet, values: object, how: How): Promise<Answer<Subnet>> {
  return change("PATCH", `subnets/${subnet.id}`, values, how, subnet.version);
}

export type BlockMap = Told<"BlockMap">;
export type Stretch = Told<"Stretch">;

export function useAddressMap(id: string) {
  return useQuery({ queryKey: ["subnets", id, "map"], queryFn: () => call<{ blocks: BlockMap[] }>("GET", `subnets/${id}/address-map`) });
}

/** One of the things that can be done with a subnet: grow, shrink, room, replace, confirm, attach, detach. */
export function act(subnet: Subnet, what: string, body: object, how: How): Promise<Answer<unknown>> {
  return change("POST", `subnets/${subnet.id}/${what}`, body, how, subnet.version);
}

export function recordAddresses(subnet: Subnet, values: object, how: How): Promise<Answer<unknown>> {
  return change("POST", `subnets/${subnet.id}/addresses`, values, how);
}

export function releaseAddress(record: number, how: How): Promise<Answer<unknown>> {
  return change("DELETE", `addresses/${record}`, {}, how);
}

export type AddressRecord = Told<"Address">;

export function useAddressRecord(id: number | null) {
  return useQuery({ queryKey: ["addresses", id], enabled: id !== null, queryFn: () => call<AddressRecord>("GET", `addresses/${id}`) });
}

export function editAddress(record: AddressRecord, values: object, how: How): Promise<Answer<unknown>> {
  return change("PATCH", `addresses/${record.id}`, values, how, record.version);
}

export type BlockHeadroom = Told<"BlockHeadroom">;

export function useBlockHeadroom(id: number) {
  return useQuery({ queryKey: ["subnets", id, "headroom"], queryFn: () => call<BlockHeadroom[]>("GET", `subnets/${id}/headroom`) });
}
