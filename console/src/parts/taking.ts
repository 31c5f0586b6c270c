/** What a refusal says would work, as a field of a form and its value; null where it is words. */
export function taken(field: string | undefined | null, suggestion: string): [string, string] | null {
  const named = /^([a-z_0-9]+): (.+)$/.exec(suggestion);
  if (named) return [named[1]!, plain(named[2]!)];
  if (!field || /\s/.test(suggestion)) return null;
  return [field, plain(suggestion)];
}

function plain(value: string): string {
  if (value === "true") return "yes";
  return /^\/\d+$/.test(value) ? value.slice(1) : value;
}
