"""(h) The pool page in Chromium: how much is loaded, and how long until it can be used."""

from __future__ import annotations

import os
import statistics
import tempfile
import time
from pathlib import Path
from typing import Any

from bench import ground
from bench.looking import LARGE, SMALL
from lentra.service.launcher import Service

FLAGS = (
    *("--headless", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"),
    *("--disable-background-networking", "--disable-component-update", "--disable-sync"),
)
_TIMES = 5
# Scrolls a frame, and tells how long the slowest picture took, in milliseconds.
_SCROLL = """async (frame) => {
  let slowest = 0;
  let before = performance.now();
  for (let n = 0; n < 200; n++) {
    frame.scrollTop += 120;
    await new Promise(requestAnimationFrame);
    const now = performance.now();
    if (n > 2) slowest = Math.max(slowest, now - before);
    before = now;
  }
  return slowest;
}"""


def measure(url: str) -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim)."""
    from playwright.sync_api import sync_playwright

    from lentra.registry.models import Pool

    # Read before the browser starts: its loop keeps Django from reading.
    numbers = dict(Pool.objects.filter(name__in=(SMALL, LARGE)).values_list("name", "pk"))
    with tempfile.TemporaryDirectory() as folder:
        service = Service(Path(folder), url, ground.free_port(), os.environ["LENTRA_SECRET_KEY"])
        service.start(upkeep=False)
        try:
            with sync_playwright() as playwright:
                chromium = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=list(FLAGS))
                weight, _ = _visit(chromium, service, SMALL, numbers[SMALL])
                times = {SMALL: [], LARGE: []}
                for _ in range(_TIMES):
                    for pool, taken in times.items():
                        taken.append(_visit(chromium, service, pool, numbers[pool])[1])
                lists = _lists(chromium, service)
                chromium.close()
        finally:
            service.stop()
    small, large = (statistics.median(times[pool]) for pool in (SMALL, LARGE))
    return [
        (
            "pool page in Chromium until it can be used, 1,000,000 blocks beside 1,000",
            f"{large / small:.2f}×",
            "1.5×",
        ),
        (
            "(the same in seconds, nothing cached; bytes sent to the browser)",
            f"{small:.2f} s, {large:.2f} s; {weight / 1024:.0f} KiB",
            "",
        ),
        *lists,
    ]


def _lists(chromium: Any, service: Service) -> list[tuple[str, str, str]]:
    """What people do with lists of a million: open them, scroll, and type into the search."""
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800},
        extra_http_headers={"Authorization": f"Bearer {os.environ['BENCH_TOKEN']}"},
    )
    page = context.new_page()
    calls: list[str] = []
    page.on("request", lambda call: calls.append(call.url) if "/api/" in call.url else None)
    page.goto(f"{service.address}/subnets")
    table = page.get_by_role("table", name="Subnets")
    table.get_by_role("link").first.wait_for()
    start = time.perf_counter()
    page.goto(f"{service.address}/subnets?order=name")
    table.get_by_role("link").first.wait_for()
    opened = time.perf_counter() - start
    frame = page.get_by_role("region", name="Subnets, scrolled")
    frame.focus()
    slowest = frame.evaluate(_SCROLL)
    answers = page.get_by_role("listbox", name="Answers")
    waited = []
    for n in range(_TIMES):
        text = f"{LARGE}-{n + 1}"
        page.keyboard.press("/")
        page.keyboard.type(text, delay=80)
        start = time.perf_counter()
        page.keyboard.type("7")
        answers.get_by_role("option", name=f"{text}7").first.wait_for()
        waited.append(time.perf_counter() - start)
        page.keyboard.press("Escape")
        page.get_by_label("Find anything").fill("")
        page.keyboard.press("Tab")
    context.close()
    asked = len(calls)
    return [
        ("list of 1,000,000 subnets in Chromium until it can be used", f"{opened:.2f} s", "1 s"),
        ("slowest of 200 frames while it is scrolled", f"{slowest:.0f} ms", "100 ms"),
        (
            "answers in the search after the last letter, among 1,000,000",
            f"{1000 * statistics.median(waited):.0f} ms",
            "150 ms",
        ),
        (
            "(calls made by two loads of the list, scrolling and typing; of them made by both loads)",
            f"{asked}; {asked - len(set(calls))}",
            "",
        ),
    ]


def _visit(chromium: Any, service: Service, pool: str, number: int) -> tuple[int, float]:
    """Bytes that came over the wire, and seconds until the page of a pool shows its map, headroom and subnets."""
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800},
        extra_http_headers={"Authorization": f"Bearer {os.environ['BENCH_TOKEN']}"},
    )
    page = context.new_page()
    session = context.new_cdp_session(page)
    session.send("Network.enable")
    sizes: list[int] = []
    session.on("Network.loadingFinished", lambda event: sizes.append(int(event["encodedDataLength"])))
    start = time.perf_counter()
    page.goto(f"{service.address}/pools/{number}")
    page.get_by_role("group", name="Map of").wait_for()
    page.get_by_role("heading", name="How long it lasts").wait_for()
    page.get_by_role("link", name=f"{pool}-").first.wait_for()
    seconds = time.perf_counter() - start
    context.close()
    return sum(sizes), seconds
