"""(g) Backtest: how often a later reading of the demo's two years lay inside the spread stated before it."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from bench import ground

HORIZONS = (4, 8, 13)  # weeks


def measure() -> list[tuple[str, str, str]]:
    """Rows of (what, measured, aim): the demo is loaded into a registry of its own."""
    with ground.empty_database() as url, tempfile.TemporaryDirectory() as folder:
        # In a process of its own: Django here has the other measurements' database.
        environment = {
            **os.environ,
            "LENTRA_DATABASE_URL": url,
            "DJANGO_SETTINGS_MODULE": "lentra.service.settings",
            "LENTRA_SECRET_KEY": "a secret for measuring only, and long enough",
        }
        done = subprocess.run(
            [sys.executable, "-m", "bench.backtest", folder],
            env=environment,
            stdout=subprocess.PIPE,
            text=True,
            check=True,
        )
    return [tuple(line.split("\t")) for line in done.stdout.splitlines() if line.count("\t") == 2]  # type: ignore[misc]


def main(folder: str) -> None:
    """Load the demo, then ask the core of every series of readings that has changed at all."""
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)
    call_command("ship_sheets")
    subprocess.run([sys.executable, "demo/load.py", "demo", str(Path(folder) / "sign-ins.json")], check=True)
    from lentra.addressing.forecast import CONFIDENCE, Sample, coverage
    from lentra.registry.models import Reading

    series: dict[tuple[str, int, int], list[Sample]] = {}
    for reading in Reading.objects.order_by("day"):
        key = (reading.kind, reading.subject, reading.family)
        series.setdefault(key, []).append(Sample(reading.day.toordinal(), reading.used))
    moving = [samples for samples in series.values() if len({s.used for s in samples}) > 8]
    for weeks in HORIZONS:
        inside = counted = 0
        for samples in moving:
            found = coverage(samples, horizon_weeks=weeks)
            inside, counted = inside + found[0], counted + found[1]
        share = 100 * inside / max(counted, 1)
        nominal = round(100 * CONFIDENCE)
        what = (
            f"readings {weeks} weeks later inside the stated spread ({len(moving)} series, {counted:,} forecasts)"
        )
        print(f"{what}\t{share:.1f} %\t{nominal} ± 5 %")


if __name__ == "__main__":
    main(sys.argv[1])
