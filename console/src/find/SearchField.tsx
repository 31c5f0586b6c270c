// The search in the frame of every page: whatever one has of a thing. The key / goes there.
import SearchIcon from "@mui/icons-material/Search";
import InputAdornment from "@mui/material/InputAdornment";
import TextField from "@mui/material/TextField";
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
      <TextField
        value={text}
        onChange={(event) => setText(event.target.value)}
        inputRef={field}
        placeholder="Find: /"
        title="An address, a prefix, part of a name, a MAC, tag 120, quay=7, or a ledger number"
        size="small"
        sx={{ width: { xs: 130, sm: 200 }, "& .MuiInputBase-root": { height: 34 } }}
        slotProps={{
          htmlInput: { "aria-label": "Find anything", maxLength: 200, autoComplete: "off" },
          input: {
            startAdornment: (
              <InputAdornment position="start">
                <SearchIcon fontSize="small" />
              </InputAdornment>
            ),
          },
        }}
      />
    </form>
  );
}
