// The search in the frame of every page: whatever one has of a thing, with answers while one types. The key / goes there.
import SearchIcon from "@mui/icons-material/Search";
import Autocomplete from "@mui/material/Autocomplete";
import InputBase from "@mui/material/InputBase";
import { useEffect, useRef, useState, type FormEvent } from "react";
import { useNavigate, useSearchParams } from "react-router";
import { placeOf } from "./places";
import { useAnswers, type Found } from "./queries";

const SHOWN = 10;

interface Answer {
  key: string;
  name: string;
  about: string;
  to: string;
}

export function SearchField() {
  const [query] = useSearchParams();
  const [text, setText] = useState("");
  const field = useRef<HTMLInputElement>(null);
  const navigate = useNavigate();
  const found = query.get("text");
  const known = useAnswers(text.trim());
  const answers = text.trim().length > 1 ? answersOf(known.data) : [];
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
    field.current?.blur();
    navigate(to);
  };
  const submit = (event: FormEvent) => {
    event.preventDefault();
    if (text.trim() && text.trim() !== found) go(`/find?text=${encodeURIComponent(text.trim())}`);
    else field.current?.blur();
  };
  return (
    <form role="search" onSubmit={submit}>
      <Autocomplete<Answer, false, true, true>
        freeSolo
        disableClearable
        options={answers}
        filterOptions={(all) => all}
        value={null as never}
        inputValue={text}
        onInputChange={(_, value, reason) => reason === "input" && setText(value)}
        onChange={(_, chosen) => typeof chosen === "object" && go(chosen.to)}
        getOptionLabel={(answer) => (typeof answer === "object" ? answer.name : answer)}
        renderOption={({ key: _, ...props }, answer) => (
          <li {...props} key={answer.key}>
            <span style={{ overflowWrap: "anywhere" }}>
              {answer.name}
              <small style={{ display: "block", opacity: 0.75 }}>{answer.about}</small>
            </span>
          </li>
        )}
        slotProps={{ popper: { style: { width: 340 }, placement: "bottom-start" }, listbox: { "aria-label": "Answers" }, paper: { variant: "outlined", elevation: 0 } }}
        renderInput={(params) => (
          <InputBase
            ref={params.slotProps.input.ref}
            inputRef={field}
            placeholder="Find: /"
            title="An address, a prefix, part of a name, a MAC, tag 120, quay=7, or a ledger number"
            sx={{ width: { xs: 130, sm: 200 }, height: 34, px: 1, border: 1, borderColor: "divider", borderRadius: 1, "&.Mui-focused": { borderColor: "primary.main" } }}
            inputProps={{ ...params.slotProps.htmlInput, "aria-label": "Find anything", maxLength: 200, autoComplete: "off" }}
            startAdornment={<SearchIcon fontSize="small" sx={{ mr: 0.75, color: "text.secondary" }} />}
          />
        )}
      />
    </form>
  );
}

// The first of what was found that has a page of its own.
function answersOf(found: Found | undefined): Answer[] {
  const places = (found?.places ?? []).map((place) => ({
    key: `place ${place.realm.id}`,
    name: `${found?.range ?? ""} in ${place.realm.name}`,
    about: place.holders[0] ? `${place.holders[0].state}${place.holders[0].owner ? `, ${place.holders[0].owner}` : ""}` : "in no pool",
    to: `/find?text=${encodeURIComponent(found?.range ?? "")}`,
  }));
  const records = (found?.records ?? []).flatMap((record) => {
    const to = placeOf(record.kind, record.id);
    return to ? [{ key: `${record.kind} ${record.id} ${record.name}`, name: record.name, about: [record.kind, record.about].filter(Boolean).join(": "), to }] : [];
  });
  return [...places, ...records].slice(0, SHOWN);
}
