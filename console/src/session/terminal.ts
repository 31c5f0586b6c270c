const PORT = /^[1-9][0-9]{3,4}$/;

/** Where a terminal waits for its answer: on this machine alone, whatever it says of itself; null if it waits nowhere. */
export function addressBack(port: string, state: string, answer: Record<string, string>): string | null {
  if (!PORT.test(port) || Number(port) > 65_535) return null;
  return `http://127.0.0.1:${port}/?${new URLSearchParams({ ...answer, state })}`;
}
