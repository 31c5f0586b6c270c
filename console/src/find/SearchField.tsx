// The search in the frame of every page: whatever one has of a thing. The key / goes there.
import SearchIcon from "@mui/icons-material/Search";
import InputBase from "@mui/material/InputBase";
import { useEffect, useRef, useState, type FormEvent } from "react";
import { useNavigate, useSearchParams } from "react-router";

export function SearchField() {
  const [query] = useSearchParams();
  const [text, setText] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const found = query.get("text");
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
  const submit = (event: FormEvent) => {
    event.preventDefault();
    field.current?.blur();
    if (text.trim() && text.trim() !== found) navigate(`/find?text=${encodeURIComponent(text.trim())}`);
  };
  return (
    <form role="search" onSubmit={submit}>
      <InputBase
        value={text}
        onChange={(event) => setText(event.target.value)}
        inputRef={field}
        placeholder="Find: /"
        title="An address, a prefix, part of a name, a MAC, tag 120, quay=7, or a ledger number"
        sx={{ width: { xs: 130, sm: 200 }, height: 34, px: 1, border: 1, borderColor: "divider", borderRadius: 1, "&.Mui-focused": { borderColor: "primary.main" } }}
        inputProps={{ "aria-label": "Find anything", maxLength: 200, autoComplete: "off" }}
        startAdornment={<SearchIcon fontSize="small" sx={{ mr: 0.75, color: "text.secondary" }} />}
      />
    </form>
  );
}
