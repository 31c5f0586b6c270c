// The lines into which a range is drawn: its children of equal size.

/** The prefixes of up to `most` (a power of two) equal parts of a prefix. */
export function lineNames(prefix: string, most: number): string[] {
  const [address = "", length = "0"] = prefix.split("/");
  const v6 = address.includes(":");
  const bits = v6 ? 128 : 32;
  const more = Math.min(Math.log2(most), bits - Number(length));
  const first = v6 ? parseV6(address) : parseV4(address);
  const size = 1n << BigInt(bits - Number(length) - more);
  return Array.from({ length: 2 ** more }, (_, n) => {
    const at = first + BigInt(n) * size;
    return `${v6 ? textV6(at) : textV4(at)}/${Number(length) + more}`;
  });
}

function parseV4(text: string): bigint {
  return text.split(".").reduce((sum, octet) => sum * 256n + BigInt(octet), 0n);
}

function textV4(address: bigint): string {
  return [24n, 16n, 8n, 0n].map((shift) => (address >> shift) & 255n).join(".");
}

function parseV6(text: string): bigint {
  const [head = "", tail] = text.split("::");
  const left = head ? head.split(":") : [];
  const right = tail ? tail.split(":") : [];
  const zeros = tail === undefined ? 0 : 8 - left.length - right.length;
  return [...left, ...Array<string>(zeros).fill("0"), ...right].reduce((sum, group) => sum * 65536n + BigInt(parseInt(group, 16)), 0n);
}

/** RFC 5952: lower case, no leading zeros, the first longest run of zero groups shortened. */
function textV6(address: bigint): string {
  const groups = Array.from({ length: 8 }, (_, n) => Number((address >> BigInt(112 - 16 * n)) & 0xffffn));
  let best = { at: -1, length: 1 };
  for (let at = 0; at < 8; at++) {
    let length = 0;
    while (at + length < 8 && groups[at + length] === 0) length++;
    if (length > best.length) best = { at, length };
  }
  const hex = (part: number[]) => part.map((group) => group.toString(16)).join(":");
  return best.at < 0 ? hex(groups) : `${hex(groups.slice(0, best.at))}::${hex(groups.slice(best.at + best.length))}`;
}
