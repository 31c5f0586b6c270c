// IPv4 addresses as numbers, for drawing only: what is worked out is worked out by the service.

export interface Stretch {
  first: number;
  last: number;
}

function numberOf(text: string): number | null {
  const octets = text.split(".").map(Number);
  return octets.length === 4 && octets.every((octet) => octet >= 0 && octet < 256) ? octets.reduce((sum, octet) => sum * 256 + octet, 0) : null;
}

/** First and last address of an IPv4 prefix or range; null for anything else. */
export function rangeOf(text: string): Stretch | null {
  const [low = "", high] = text.split("-");
  const [address = "", length] = low.split("/");
  const first = numberOf(address);
  if (first === null) return null;
  if (high !== undefined) {
    const last = numberOf(high);
    return last === null ? null : { first, last };
  }
  return { first, last: first + 2 ** (32 - Number(length ?? 32)) - 1 };
}

export function addressText(address: number): string {
  return [24, 16, 8, 0].map((shift) => Math.floor(address / 2 ** shift) % 256).join(".");
}
