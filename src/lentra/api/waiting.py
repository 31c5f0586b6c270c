"""Answers that wait until there is something to tell, as few at once as leave the service free for all others."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TypeVar

Answer = TypeVar("Answer")

MOST_WAITING = 12  # of one process; further ones are answered at once
_LOOKS_EVERY = 0.2  # seconds
_places = threading.BoundedSemaphore(MOST_WAITING)


def wait_for(
    look: Callable[[], Answer],
    is_worth: Callable[[Answer], bool],
    seconds: float,
    turns: threading.Semaphore | None = None,
) -> Answer:
    """The first answer that is worth telling, or the last one when the time is over, or too many wait already.

    Args:
        turns: of the requests that a process works on at once: who only waits lets another have its turn.
    """
    answer = look()
    if is_worth(answer) or not seconds or not _places.acquire(blocking=False):
        return answer
    try:
        end = time.monotonic() + seconds
        while not is_worth(answer) and (left := end - time.monotonic()) > 0:
            with _stepped_aside(turns):
                time.sleep(min(_LOOKS_EVERY, left))
            answer = look()
        return answer
    finally:
        _places.release()


@contextmanager
def _stepped_aside(turns: threading.Semaphore | None) -> Iterator[None]:
    if turns is None:
        yield
        return
    turns.release()
    try:
        yield
    finally:
        turns.acquire()
