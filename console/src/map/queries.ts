import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, type Told } from "../api/client";

export type MapShown = Told<"SpaceMap">;
export type MapCell = Told<"MapCell">;
export type MapBranch = Told<"MapBranch">;

export function useMap(where: Record<string, string>) {
  return useQuery({
    queryKey: ["map", where],
    queryFn: () => call<MapShown>("GET", "map", { query: where }),
    placeholderData: keepPreviousData,
    enabled: Object.values(where).some(Boolean),
  });
}
