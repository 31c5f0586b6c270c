// Needs as people write them, one a line.
export interface Need {
  name: string;
  hosts?: number;
  growth?: number;
  length?: number;
}

/** Lines such as "data 700", "app 110 +10" or "link /29". */
const NEED = /^(\S+)[\s=]+(?:\/(\d{1,3})|(\d+)(?:\s*\+\s*(\d+)\s*%?)?)$/;

/** The needs written, and the lines that are none: a number is read whole or not at all. */
export function needsOf(text: string): { needs: Need[]; odd: string[] } {
  const needs: Need[] = [];
  const odd: string[] = [];
  for (const line of text.split("\n").map((one) => one.trim())) {
    const [, name, length, hosts, growth] = NEED.exec(line) ?? [];
    if (name && length) needs.push({ name, length: Number(length) });
    else if (name && hosts) needs.push({ name, hosts: Number(hosts), ...(Number(growth) ? { growth: Number(growth) } : {}) });
    else if (line) odd.push(line);
  }
  return { needs, odd };
}
