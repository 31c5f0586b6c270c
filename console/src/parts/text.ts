// Values as people read them.

/** A whole number given as text, with thin groups of thousands. */
export function grouped(number: string | number): string {
  return BigInt(number).toLocaleString("en");
}

/** How much a block holds: addresses for IPv4, one subnet of its length for IPv6. */
export function amount(block: { family: number; prefix: string }, addresses: string | null): string {
  if (block.family === 6) return `1 × /${block.prefix.split("/")[1]}`;
  return addresses ? grouped(addresses) : "—";
}

/** Addresses for IPv4, /64 for IPv6. */
export function counted(addresses: string, family: number): string {
  return family === 4 ? grouped(addresses) : `${grouped((BigInt(addresses) >> 64n).toString())} × /64`;
}

/** A moment in the reader's own time zone, short. */
export function shortTime(moment: string): string {
  return new Date(moment).toLocaleString("en-GB", { dateStyle: "medium", timeStyle: "short" });
}

export function percent(share: number): string {
  return `${share.toLocaleString("en", { maximumFractionDigits: share < 10 && share > 0 ? 2 : 1 })}\u00a0%`;
}

/** A value as one argument of a shell command. */
export function shellWord(value: string | number): string {
  const text = String(value);
  return /^[\w.,:/=-]+$/.test(text) ? text : `'${text.replaceAll("'", "'\\''")}'`;
}

/** A segment tag, with its outer one where the segment is doubly tagged. */
export function tagText(subnet: { tag: number | null; outer_tag: number }): string {
  if (subnet.tag === null) return "—";
  return subnet.outer_tag ? `${subnet.outer_tag}.${subnet.tag}` : String(subnet.tag);
}
