import Button from "@mui/material/Button";
import { useState } from "react";
import { DropDown } from "./DropDown";

const FORMS = [
  ["csv", "CSV"],
  ["xlsx", "XLSX (spreadsheet)"],
  ["jsonl", "JSON lines"],
] as const;

/** All rows of a list, not only this page of it, as a file that the service writes. */
export function Download({ address, query = {} }: { address: string; query?: Record<string, string> }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  return (
    <>
      <Button size="small" aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        Download
      </Button>
      <DropDown anchor={anchor} onClose={() => setAnchor(null)} items={FORMS.map(([form, label]) => ({ label, file: fileOf(address, query, form) }))} />
    </>
  );
}

/** Where a list is a file; which page of it one looks at is no matter. */
export function fileOf(address: string, query: Record<string, string>, form: string): string {
  const { cursor: _, limit: __, ...filters } = query;
  return `/api/v1/${address}?${new URLSearchParams({ ...filters, as: form })}`;
}
