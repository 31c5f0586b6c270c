"""How much each caller may ask."""

from __future__ import annotations

import threading

_MOST_CALLERS = 10_000


class Allowance:
    """How many questions each caller may ask: so many a minute, and as many at once."""

    def __init__(self, a_minute: int) -> None:
        self._rate, self._most = a_minute / 60, float(a_minute)
        self._left: dict[str, tuple[float, float]] = {}
        self._lock = threading.Lock()

    def __len__(self) -> int:
        """How many callers are remembered."""
        return len(self._left)

    def wait(self, caller: str, now: float) -> float:
        """Seconds until a caller may ask; 0 for now, which is counted.

        Args:
            now: seconds, by a clock that never goes back.
        """
        with self._lock:
            if len(self._left) >= _MOST_CALLERS and caller not in self._left:
                full = [
                    one for one, (left, at) in self._left.items() if left + (now - at) * self._rate >= self._most
                ]
                for one in full or list(self._left)[: _MOST_CALLERS // 2]:
                    del self._left[one]
            left, at = self._left.get(caller, (self._most, now))
            left = min(self._most, left + (now - at) * self._rate)
            if left < 1:
                return (1 - left) / self._rate
            self._left[caller] = (left - 1, now)
            return 0
