import { lazy, Suspense } from "react";
import type { Item } from "./DropDownMenu";

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
