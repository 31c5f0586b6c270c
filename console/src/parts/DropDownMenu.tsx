import Checkbox from "@mui/material/Checkbox";
import Menu from "@mui/material/Menu";
import MenuItem from "@mui/material/MenuItem";
import { NavLink } from "react-router";

/** One line of a menu: a page, an address outside, something to do, or something that is on or off. */
export interface Item {
  label: string;
  to?: string;
  href?: string;
  file?: string; // what is written to a file
  checked?: boolean;
  onClick?: () => void;
}

export function DropDownMenu({ anchor, onClose, items }: { anchor: HTMLElement; onClose: () => void; items: Item[] }) {
  return (
    <Menu open anchorEl={anchor} onClose={onClose}>
      {items.map((item) => (
        <MenuItem
          key={item.label}
          {...(item.to ? { component: NavLink, to: item.to, end: item.to === "/" } : {})}
          {...(item.href ? { component: "a", href: item.href, target: "_blank", rel: "noreferrer" } : {})}
          {...(item.file ? { component: "a", href: item.file, download: true } : {})}
          {...(item.checked === undefined ? {} : { role: "menuitemcheckbox", "aria-checked": item.checked, dense: true })}
          onClick={() => {
            item.onClick?.();
            if (item.checked === undefined) onClose();
          }}
        >
          {item.checked !== undefined && <Checkbox size="small" edge="start" checked={item.checked} tabIndex={-1} slotProps={{ input: { "aria-hidden": true } }} />}
          {item.label}
        </MenuItem>
      ))}
    </Menu>
  );
}
