import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { call, change, type Answer, type How, type Page, type Told } from "../api/client";

export type Intake = Told<"Intake">;
export type IntakeRow = Omit<Told<"IntakeRow">, "told"> & { told: { message?: string; field?: string | null; suggestions?: string[]; differs?: Record<string, [string, string]>; [name: string]: unknown } };
export type Options = Intake["options"];
export const TABLES = ["subnets", "address records", "keep-outs", "reservations", "pools", "projects", "regions", "zones", "tiers"];
/** What becomes of rows, in the order in which one wants to see them. */
export const OUTCOMES: [string, string][] = [
  ["refused", "Refused"],
  ["differs", "There with other facts"],
  ["new", "New"],
  ["pool", "Become pools"],
  ["same", "There already"],
];
const WATCHED = 500; // milliseconds between two looks at what the service is doing

export function useIntakes(filters: Record<string, string>) {
  return useQuery({ queryKey: ["intakes", filters], queryFn: () => call<Page<Intake>>("GET", "intakes", { query: filters }) });
}

/** An intake; looked at again while the service works on it. */
export function useIntake(id: string) {
  return useQuery({
    queryKey: ["intakes", id],
    queryFn: () => call<Intake>("GET", `intakes/${id}`),
    refetchInterval: (query) => (query.state.data?.stage ? WATCHED : false),
  });
}

/** Rows of one outcome; `look` tells one look at the table from another. */
export function useIntakeRows(id: number, outcome: string, cursor: string, look: string) {
  return useQuery({
    queryKey: ["intakes", String(id), "rows", outcome, cursor, look],
    placeholderData: keepPreviousData,
    queryFn: () => call<Page<IntakeRow>>("GET", `intakes/${id}/rows`, { query: { outcome, cursor, limit: 50 } }),
  });
}

/** Upload a file, to be looked at. */
export async function upload(file: File, table: string, options: Partial<Options>): Promise<Answer<Intake>> {
  return change("POST", "intakes", { name: file.name, table, content: await base64(file), options }, { preview: false, why: "" });
}

export function edit(id: number, what: { options?: Partial<Options>; cells?: { row: number; cells: Record<string, string> }[] }): Promise<Answer<Intake>> {
  return change("PATCH", `intakes/${id}`, what, { preview: false, why: "" });
}

export function commit(intake: Intake, goodRows: boolean, how: How): Promise<Answer<Intake>> {
  return change("POST", `intakes/${intake.id}/commit`, { proposal: intake.proposal, good_rows: goodRows }, { ...how, proposal: undefined });
}

/** Something else that is done with an intake as a whole. */
export function act(intake: Intake, what: "stop" | "take-back" | "drop", how: How): Promise<Answer<Intake>> {
  if (what === "drop") return change("DELETE", `intakes/${intake.id}`, {}, how);
  return change("POST", `intakes/${intake.id}/${what}`, {}, { ...how, proposal: undefined });
}

async function base64(file: File): Promise<string> {
  const url = await new Promise<string>((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(String(reader.result));
    reader.onerror = () => reject(reader.error ?? new Error("the file cannot be read"));
    reader.readAsDataURL(file);
  });
  return url.slice(url.indexOf(",") + 1);
}
