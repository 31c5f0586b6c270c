"""What an intake waits for is done here: its rows are looked at, committed, or taken back. All of it, or nothing.

It may be killed at any time: what was not committed is done again. How far it is, is written by a thread with a connection
of its own, which also sees whether it is to be stopped.
"""

from __future__ import annotations

import hashlib
import json
import re
import threading
import traceback
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import date
from typing import Any

from django.db import connection

from lentra.addressing.refusal import Overlaps, Refusal
from lentra.addressing.tables import Meaning, completed, meaning_of, read_row
from lentra.registry.errors import StaleProposal
from lentra.registry.intakes import asking
from lentra.registry.intakes.columns import COLUMNS
from lentra.registry.intakes.found import Found, Progress, counts_of, told_of
from lentra.registry.intakes.rows import bring_in_rows
from lentra.registry.intakes.subnets import Options, SubnetTable
from lentra.registry.intakes.taking_back import take_back
from lentra.registry.models import Intake, IntakeRow, IntakeWork, Space
from lentra.registry.transactions.change import Change
from lentra.registry.transactions.clock import Clock
from lentra.registry.transactions.run import run_transaction
from lentra.registry.transactions.sql import insert
from lentra.tables.reading import Table, open_table

_EVERY = 0.4  # seconds between two notes of how far it is
_ROWS_AT_ONCE = 2000
_SAMPLES = 3


class StoppedByHand(Exception):
    """Somebody has stopped it."""


class TakenOver(Exception):
    """Another process does it from here on."""


def next_work() -> IntakeWork | None:
    """What waits longest; what a killed process was at comes first."""
    rows = IntakeWork.objects.exclude(stage=asking.IDLE).order_by("since")
    return rows.filter(stage__in=_BEGUN.values()).first() or rows.first()


def do_work(work: IntakeWork, clock: Clock, alive: Callable[[], bool] = lambda: True) -> None:
    """Do what an intake waits for, to its end.

    Args:
        alive: asked now and then; False if another process has taken over.
    """
    work.refresh_from_db()
    stage = next((waits for waits, begun in _BEGUN.items() if work.stage in (waits, begun)), asking.TO_READ)
    IntakeWork.objects.filter(pk=work.pk).update(stage=_BEGUN[stage])
    fault: dict[str, Any] | None = None
    try:
        with _noting(work.pk, alive) as progress:
            _STEPS[stage](work, clock, progress)
    except TakenOver:
        return  # how far it is, the other process says
    except StoppedByHand:
        fault = {
            "message": "it was stopped: nothing was changed",
            "code": "stopped",
            "conflicts": [],
            "suggestions": [],
        }
    except Refusal as refusal:
        fault = told_of(refusal)
        if isinstance(refusal, StaleProposal):
            _end(work.pk, asking.TO_READ, fault)
            return
    except Exception as failure:
        if connection.connection is None or not connection.is_usable():
            raise  # the database is away: it is done again
        traceback.print_exc()
        fault = {"message": f"it failed: {failure}"[:300], "code": "failed", "conflicts": [], "suggestions": []}
    _end(work.pk, asking.IDLE, fault)


def _end(number: int, stage: str, fault: dict[str, Any] | None) -> None:
    values: dict[str, Any] = {"stage": stage, "stop": False}
    if fault:
        values["fault"] = fault
    IntakeWork.objects.filter(pk=number).update(**values)


# --- looking ---


def look(work: IntakeWork, clock: Clock, progress: Progress) -> None:
    """Look at every row: what it would become, or why not. Nothing is changed but what is told of the intake."""
    intake = Intake.objects.select_related("person").get(pk=work.pk)
    IntakeRow.objects.filter(intake=intake).delete()
    table, rows = read_rows(intake, progress)
    found, missing = [], {}

    def seen(change: Change) -> None:
        nonlocal found, missing
        found = [replace(row) for row in rows]
        missing = _bring_in(change, intake, found, progress)

    run_transaction(seen, actor=intake.person, clock=clock, preview=True)
    for at in range(0, len(found), _ROWS_AT_ONCE):
        part = found[at : at + _ROWS_AT_ONCE]
        insert(
            [
                IntakeRow(intake=intake, number=f.number, outcome=f.outcome, cells=f.cells, told=f.told)
                for f in part
            ]
        )
    columns = _columns(intake, table, found)
    fault = work.fault
    IntakeWork.objects.filter(pk=work.pk).update(
        told=table.told,
        columns=columns,
        counts=counts_of(found),
        missing=missing,
        usage=_usage(found),
        proposal=_proposal(found),
        fault=fault,
    )


def read_rows(intake: Intake, progress: Progress) -> tuple[Table, list[Found]]:
    """The rows of an intake's file, with the cells that were put right, and what each says.

    Raises:
        NotATable: the file cannot be read; says where.
    """
    data = b"".join(bytes(part) for part in intake.parts.order_by("number").values_list("data", flat=True))
    if not data:
        raise Refusal("its file is kept for 30 days, and is gone: upload it again", field="content")
    options = intake.options
    table = open_table(intake.name, data, options.get("sheet", ""), options.get("encoding", ""))
    meaning = meaning_in_force(intake, table.headings)
    found = []
    for count, row in enumerate(table.rows, 1):
        cells = {**row.cells, **intake.corrections.get(str(row.number), {})}
        one = Found(
            row.number, {heading: _kept(cell) for heading, cell in cells.items() if cell not in (None, "")}
        )
        try:
            one.said = read_row(cells, meaning)
            one.fixed = frozenset(name for name in meaning.fixed if not cells.get(meaning.columns.get(name, "")))
            _add_labels(one.said, cells, meaning)
        except Refusal as refusal:
            one.refuse(refusal)
        found.append(one)
        if count % _ROWS_AT_ONCE == 0:
            progress("rows read", count, 0)
    return table, found


def meaning_in_force(intake: Intake, headings: Sequence[str]) -> Meaning:
    """What the columns mean: as it was said, and where nothing was, as it is guessed by the headings.

    Raises:
        Refusal: a column that was named is not there.
    """
    known = COLUMNS[intake.table]
    return completed(meaning_of(intake.options, known), headings, known)


def _add_labels(said: dict[str, str], cells: dict[str, Any], meaning: Meaning) -> None:
    parts = [said["labels"]] if said.get("labels") else []
    for heading in meaning.labels:
        if (cell := cells.get(heading)) not in (None, ""):
            key = re.sub(r"[^a-z0-9._-]+", "-", heading.lower()).strip("-._")[:63] or "label"
            parts.append(f"{key}={' '.join(str(cell).replace(';', ',').split())}")
    if parts:
        said["labels"] = "; ".join(parts)


def _kept(cell: Any) -> Any:
    return cell.isoformat() if isinstance(cell, date) else cell


def _bring_in(
    change: Change,
    intake: Intake,
    found: list[Found],
    progress: Progress,
    as_shown: Callable[[], None] | None = None,
) -> dict[str, list[str]]:
    """Look at the rows of any kind, and bring them in if they are `as_shown`.

    Returns:
        what is made for them besides: kind -> names.
    """
    options = intake.options
    flags = {name: bool(options.get(name)) for name in asking.FLAGS}
    if intake.table != "subnets":
        bring_in_rows(change, intake.table, found, flags["update"], progress)
        if as_shown:
            as_shown()
        return {}
    table = SubnetTable(
        change,
        Options(options.get("realm", ""), options.get("pool", ""), options.get("outer", ""), **flags),
        progress,
    )
    coming = table.look(found)
    if as_shown:
        as_shown()
        table.write(coming)
    return {kind: sorted(made) for kind, made in table.missing.items() if made}


def _columns(intake: Intake, table: Table, found: Sequence[Found]) -> list[dict[str, Any]]:
    """The columns of the table, in order: what each means, and what stands in the first rows."""
    meaning = meaning_in_force(intake, table.headings)
    fields = {heading: name for name, heading in meaning.columns.items()}
    chosen = set(meaning_of(intake.options, COLUMNS[intake.table]).columns.values())
    return [
        {
            "heading": heading,
            "field": "labels" if heading in meaning.labels else fields.get(heading, ""),
            "guessed": heading in fields and heading not in chosen,
            "samples": [str(one.cells[heading])[:80] for one in found if heading in one.cells][:_SAMPLES],
        }
        for heading in table.headings
    ]


def _usage(found: Sequence[Found]) -> list[dict[str, Any]]:
    """Usage of each pool before and after, in percent."""
    more: Counter[tuple[int, int]] = Counter()
    for one in found:
        more.update(one.takes)
    rows = []
    for space in Space.objects.filter(pool__in={pool for pool, _ in more}).select_related("pool"):
        if added := more.get((space.pool_id, space.family), 0):
            used = space.total - space.free
            percents = [round(100 * part / space.total, 1) for part in (used, min(space.total, used + added))]
            rows.append(
                {
                    "pool": space.pool.name,
                    "family": space.family,
                    "before_percent": percents[0],
                    "after_percent": percents[1],
                    "added": str(added),
                }
            )
    return sorted(rows, key=lambda row: (row["pool"], row["family"]))


def _proposal(found: Sequence[Found]) -> str:
    digest = hashlib.sha256()
    for one in found:
        digest.update(json.dumps(one.essence, sort_keys=True).encode())
    return digest.hexdigest()


# --- committing ---


def commit(work: IntakeWork, clock: Clock, progress: Progress) -> None:
    """Bring the rows in as they were shown: all of them, or those that are good.

    Raises:
        StaleProposal: what would become of the rows is another thing by now.
    """

    def done(change: Change) -> None:
        intake = Intake.objects.select_for_update().get(pk=work.pk)
        if intake.state != "open":
            return
        (first,) = change.numbers(1)
        _, found = read_rows(intake, progress)

        def as_shown() -> None:
            if _proposal(found) != work.proposal:
                raise StaleProposal(
                    "what would become of the rows is another thing than was shown: look at them as they are now",
                    rule="a commit does exactly what was shown",
                )

        try:
            _bring_in(change, intake, found, progress, as_shown)
        except Overlaps as refusal:  # taken since it was looked at, before its pool was locked
            raise StaleProposal(
                refusal.message, rule="a commit does exactly what was shown", conflicts=refusal.conflicts
            )
        made = {outcome: count for outcome, count in counts_of(found).items() if outcome in ("new", "pool")}
        if intake.options.get("update") and (differing := counts_of(found).get("differs")):
            made["updated"] = differing
        facts = {"intake": intake.pk, "table": intake.table, "digest": intake.digest, "made": made}
        change.told("commit", Intake.KIND, intake.name, facts)
        intake.state, intake.made, intake.operation = "committed", made, change.operation
        intake.first_entry, intake.final_entry, intake.version = (
            first,
            change.entries[-1].number,
            change.entries[-1].number,
        )
        intake.save()
        IntakeWork.objects.filter(pk=work.pk).update(stage=asking.IDLE, fault=None)

    run_transaction(done, actor=work.actor, clock=clock, why=work.why)


def undo(work: IntakeWork, clock: Clock, progress: Progress) -> None:
    """Take all back that an intake made.

    Raises:
        BuiltOn: others have built on it; lists by what.
    """

    def done(change: Change) -> None:
        intake = Intake.objects.select_for_update().get(pk=work.pk)
        if intake.state == "committed":
            take_back(change, intake, progress)
            change.told("take back", Intake.KIND, intake.name, {"intake": intake.pk, "made": intake.made})
            intake.state, intake.version = "taken back", change.entries[-1].number
            intake.save(update_fields=["state", "version"])
        IntakeWork.objects.filter(pk=work.pk).update(stage=asking.IDLE, fault=None)

    run_transaction(done, actor=work.actor, clock=clock, why=work.why)


_BEGUN = {
    asking.TO_COMMIT: asking.COMMITTING,
    asking.TO_TAKE_BACK: asking.TAKING_BACK,
    asking.TO_READ: asking.READING,
}
_STEPS = {asking.TO_READ: look, asking.TO_COMMIT: commit, asking.TO_TAKE_BACK: undo}


@contextmanager
def _noting(number: int, alive: Callable[[], bool]) -> Iterator[Progress]:
    """Notes how far it is, from a thread of its own; stops the work where that was said."""
    state: dict[str, Any] = {"of": "", "done": 0, "total": 0, "stop": False, "lost": False}
    ended = threading.Event()

    def note() -> None:
        while not ended.wait(_EVERY):
            try:
                if not alive():
                    state["lost"] = True
                    break
                row = IntakeWork.objects.filter(pk=number)
                row.update(of=state["of"], done=state["done"], total=state["total"])
                state["stop"] = row.filter(stop=True).exists()
            except Exception:  # the database is away: the work itself finds out
                connection.close()
        connection.close()

    def progress(of: str, done: int, total: int) -> None:
        state.update(of=of, done=done, total=total)
        if state["lost"]:
            raise TakenOver
        if state["stop"]:
            raise StoppedByHand

    thread = threading.Thread(target=note, daemon=True)
    thread.start()
    try:
        yield progress
    finally:
        ended.set()
        thread.join()
