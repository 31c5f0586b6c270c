// Put together from its parts, since a TextField would bring all that a choice from a list needs to the start page.
import FormControl, { type FormControlProps } from "@mui/material/FormControl";
import InputLabel from "@mui/material/InputLabel";
import OutlinedInput from "@mui/material/OutlinedInput";
import { useEffect, useId, useRef, useState } from "react";

const PAUSE = 400; // milliseconds without a key, after which the filter is set

interface Props extends Pick<FormControlProps, "sx"> {
  type?: "text" | "number" | "date" | "search";
  label: string;
  value: string;
  onChange: (value: string) => void;
}

/** A text filter: what is typed stays as it is typed, and becomes the filter when typing pauses. */
export function TextFilter({ value, onChange, label, type = "text", sx }: Props) {
  const id = useId();
  const [typed, setTyped] = useState(value);
  const last = useRef(value); // what the filter was set to last, from here or from elsewhere
  const underway = useRef<string[]>([]); // what was set from here and has not come back yet, oldest first
  const tell = useRef(onChange);
  useEffect(() => {
    tell.current = onChange;
  });
  useEffect(() => {
    // Our own comes back when it has landed, maybe while one types on; any other is from a link or the back button.
    const ours = underway.current.indexOf(value);
    underway.current = ours < 0 ? [] : underway.current.slice(ours + 1);
    if (ours >= 0 || value === last.current) return;
    last.current = value;
    setTyped(value);
  }, [value]);
  useEffect(() => {
    if (typed.trim() === last.current) return;
    const wait = setTimeout(() => {
      last.current = typed.trim();
      underway.current.push(last.current);
      tell.current(last.current);
    }, PAUSE);
    return () => clearTimeout(wait);
  }, [typed]);
  return (
    <FormControl size="small" sx={sx ?? {}}>
      <InputLabel htmlFor={id} shrink={type === "date" || typed !== "" ? true : undefined}>
        {label}
      </InputLabel>
      <OutlinedInput id={id} type={type} label={label} value={typed} onChange={(event) => setTyped(event.target.value)} notched={type === "date" || typed !== "" ? true : undefined} />
    </FormControl>
  );
}
