import { lazy, Suspense } from "react";

/** One line of a menu: a page, an address outside, something to do, or something that is on or off. */
export interface Item {
  label: string;
  to?: string;
  href?: string;
  file?: string; // what is written to a file
  checked?: boolean;
  onClick?: () => void;
}

const DropDownMenu = lazy(() => import("./DropDownMenu").then((part) => ({ default: part.DropDownMenu })));

/** A menu below what was pressed; its code is loaded when it first opens. */
export function DropDown({ anchor, onClose, items }: { anchor: HTMLElement | null; onClose: () => void; items: Item[] }) {
  if (!anchor) return null;
  return (
    <Suspense fallback={null}>
      <DropDownMenu anchor={anchor} onClose={onClose} items={items} />
    </Suspense>
  );
}
