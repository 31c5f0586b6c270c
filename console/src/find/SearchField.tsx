// The search in the frame of every page: whatever one has of a thing, with answers while one types. The key / goes there.
import SearchIcon from "@mui/icons-material/Search";
import Box from "@mui/material/Box";
import InputBase from "@mui/material/InputBase";
import { useEffect, useRef, useState, type FormEvent, type KeyboardEvent as KeyPress } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { answersOf } from "./places";
import { useAnswers } from "./queries";

const LIST = "search-answers";

export function SearchField() {
  const [query] = useSearchParams();
  const [text, setText] = useState("");
  const [open, setOpen] = useState(false);
  const [at, setAt] = useState(-1); // the answer that is marked
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const found = query.get("text");
  const sought = text.trim();
  const answers = answersOf(useAnswers(sought).data);
  const shown = open && sought.length > 1 && answers.length > 0;
  useEffect(() => {
    const focus = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLElement && (event.target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(event.target.tagName));
      if (event.key !== "/" || typing || event.ctrlKey || event.metaKey || event.altKey) return;
      event.preventDefault();
      field.current?.focus();
      field.current?.select();
    };
    window.addEventListener("keydown", focus);
    return () => window.removeEventListener("keydown", focus);
  }, []);
  const go = (to: string) => {
    setOpen(false);
    field.current?.blur();
    navigate(to);
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    const marked = shown ? answers[at] : undefined;
    if (marked) go(marked.to);
    else if (sought && sought !== found) go(`/find?text=${encodeURIComponent(sought)}`);
    else field.current?.blur();
  };
  const press = (event: KeyPress) => {
    const step = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (event.key === "Escape") setOpen(false);
    if (!step || !shown) return;
    event.preventDefault();
    setAt((at + step + answers.length + 1) % (answers.length + 1)); // past the last one comes none
  };
  return (
    <Box component="form" role="search" onSubmit={submit} sx={{ position: "relative" }}>
      <InputBase
        value={text}
        onChange={(event) => (setText(event.target.value), setOpen(true), setAt(-1))}
        onKeyDown={press}
        onBlur={() => setOpen(false)}
        inputRef={field}
        placeholder="Find: /"
        title="An address, a prefix, part of a name, a MAC, tag 120, quay=7, or a ledger number"
        sx={{ width: { xs: 130, sm: 200, lg: 130, xl: 200 }, flexShrink: 0, height: 34, px: 1, border: 1, borderColor: "divider", borderRadius: 1, "&.Mui-focused": { borderColor: "primary.main" } }}
        inputProps={{
          role: "combobox",
          "aria-label": "Find anything",
          "aria-autocomplete": "list",
          "aria-expanded": shown,
          "aria-controls": shown ? LIST : undefined,
          "aria-activedescendant": shown && answers[at] ? `${LIST}-${at}` : undefined,
          maxLength: 200,
          autoComplete: "off",
        }}
        startAdornment={<SearchIcon fontSize="small" sx={{ mr: 0.75, color: "text.secondary" }} />}
      />
      {shown && (
        <Box
          component="ul"
          id={LIST}
          role="listbox"
          aria-label="Answers"
          sx={{ position: "absolute", right: 0, top: 38, zIndex: "tooltip", width: "min(340px, 92vw)", maxHeight: "70vh", overflow: "auto", m: 0, p: 0.5, listStyle: "none", bgcolor: "background.paper", border: 1, borderColor: "divider", borderRadius: 1 }}
        >
          {answers.map((answer, n) => (
            <Box
              component="li"
              key={answer.key}
              id={`${LIST}-${n}`}
              role="option"
              aria-selected={n === at}
              onMouseDown={(event) => (event.preventDefault(), go(answer.to))}
              sx={{ px: 1, py: 0.5, cursor: "pointer", overflowWrap: "anywhere", borderRadius: 1, "&:hover, &[aria-selected=true]": { bgcolor: "action.hover" } }}
            >
              {answer.name}
              <Box component="small" sx={{ display: "block", color: "text.secondary" }}>
                {answer.about}
              </Box>
            </Box>
          ))}
        </Box>
      )}
    </Box>
  );
}
