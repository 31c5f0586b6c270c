import { describe, expect, it } from "vitest";
import { standing, underWay, type DnsZone } from "./queries";

const SERVING = { serial: 0, server_serial: 7, pushed_at: null, due_at: null, failing_since: null, outcome: "", compare_at: null, compared_at: null, differences: 0 };
const COUNTS = { entries: 4, pending: 0, refused: 0, hidden: 0 };
const zone = (values: object) => ({ delegated: false, address: "ns1.ferry.example", serving: SERVING, counts: COUNTS, ...values }) as unknown as DnsZone;

describe("how it goes with a DNS zone", () => {
  it("says the worst first", () => {
    expect(standing(zone({ delegated: true, serving: null })).words).toBe("others keep it");
    expect(standing(zone({ address: "" })).words).toBe("a file, not written yet");
    expect(standing(zone({ address: "", serving: { ...SERVING, serial: 12 } })).words).toBe("a file, serial 12");
    const failing = { ...SERVING, failing_since: "2026-11-02T08:00:00Z", outcome: "nobody listens there", differences: 3, compared_at: "2026-11-02T07:00:00Z" };
    expect(standing(zone({ serving: failing, counts: { ...COUNTS, pending: 2 } }))).toEqual({ words: "failing: nobody listens there", state: "bad" });
    expect(standing(zone({ counts: { ...COUNTS, pending: 2 } })).words).toBe("2 waiting to be pushed");
    const compared = { ...SERVING, compared_at: "2026-11-02T07:00:00Z" };
    expect(standing(zone({ serving: { ...compared, differences: 3 } })).words).toBe("3 differ on its server");
    expect(standing(zone({ serving: compared }))).toEqual({ words: "as on its server", state: "good" });
    expect(standing(zone({})).words).toBe("pushed");
  });

  it("knows when to look again soon", () => {
    expect(underWay(zone({}))).toBe(false);
    expect(underWay(zone({ counts: { ...COUNTS, pending: 1 } }))).toBe(true);
    expect(underWay(zone({ serving: { ...SERVING, compare_at: "2020-01-01T00:00:00Z" } }))).toBe(true);
    expect(underWay(zone({ serving: { ...SERVING, compare_at: "2999-01-01T00:00:00Z" } }))).toBe(false);
  });
});
