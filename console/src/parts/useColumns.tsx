import Button from "@mui/material/Button";
import { useState, type ReactNode } from "react";
import { DropDown } from "./DropDown";
import type { Column } from "./RecordTable";

/** The columns of a table that somebody has chosen, kept in the browser, and the button to choose them. The first one stays. */
export function useColumns<Row>(table: string, all: Column<Row>[], rare: string[] = []): [Column<Row>[], ReactNode] {
  const key = `lentra.columns.${table}`;
  const [hidden, setHidden] = useState<string[]>(() => stored(key) ?? rare);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const toggle = (head: string) => {
    const next = hidden.includes(head) ? hidden.filter((one) => one !== head) : [...hidden, head];
    setHidden(next);
    localStorage.setItem(key, JSON.stringify(next));
  };
  const button = (
    <>
      <Button size="small" aria-haspopup="menu" onClick={(event) => setAnchor(event.currentTarget)}>
        Columns
      </Button>
      <DropDown
        anchor={anchor}
        onClose={() => setAnchor(null)}
        items={all.slice(1).map(({ head }) => ({ label: head, checked: !hidden.includes(head), onClick: () => toggle(head) }))}
      />
    </>
  );
  return [all.filter(({ head }, n) => n === 0 || !hidden.includes(head)), button];
}

function stored(key: string): string[] | undefined {
  try {
    const kept: unknown = JSON.parse(localStorage.getItem(key) ?? "");
    return Array.isArray(kept) ? kept.map(String) : undefined;
  } catch {
    return undefined;
  }
}
