// The text of a plan that another page has made, for the editor to begin with.
const KEPT = "lentra.plan";

export function keepText(text: string) {
  sessionStorage.setItem(KEPT, text);
}

/** The text that was kept, once. */
export function takeText(): string | null {
  const text = sessionStorage.getItem(KEPT);
  sessionStorage.removeItem(KEPT);
  return text;
}
