"""What people say of an intake: here is a file, its columns mean this, a cell is put right, commit it, stop, take it back.

The word is kept, and the work is done by a process of its own: see `work`.
"""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from lentra.addressing.tables import meaning_of
from lentra.registry.errors import Invalid, StaleEdit, StaleProposal, WrongState
from lentra.registry.intakes.columns import COLUMNS
from lentra.registry.lookup.find import find
from lentra.registry.models import INTAKE_STAGES, Intake, IntakePart, IntakeWork, Pool, Realm
from lentra.registry.rules.permissions import require
from lentra.registry.transactions.change import Change
from lentra.tables.reading import format_of

PART_BYTES = 1 << 20
KEPT = timedelta(days=30)  # a file, after its intake was uploaded
TO_READ, READING, TO_COMMIT, COMMITTING, TO_TAKE_BACK, TAKING_BACK, IDLE = INTAKE_STAGES
FLAGS = ("make_missing", "update")
_TEXTS = ("sheet", "encoding", "realm", "pool", "outer")


def upload_intake(
    change: Change, name: str, table: str, data: bytes, options: Mapping[str, Any], most_bytes: int
) -> Intake:
    """Keep a file that holds a table, to be looked at.

    Args:
        table: the kind of records in it.
        options: what its columns mean and how it comes in; see `checked`.

    Raises:
        NotAllowed: the actor is no planner.
        Invalid: no such kind, or an option that makes no sense; a file that is larger than may be.
        NotATable: it is no file that holds a table.
    """
    require(change.actor, "planner", "bring a table in")
    if len(data) > most_bytes:
        raise Invalid(
            f"{name} has {len(data):,} bytes, {most_bytes:,} at most",
            field="content",
            received=len(data),
            rule="the operator sets the limit (LENTRA_INTAKE_MIB)",
            suggestions=["divide the table"],
        )
    format_of(name, data)
    (number,) = change.numbers(1)
    intake = Intake(
        id=number,
        version=number,
        name=name,
        table=table,
        digest=hashlib.sha256(data).hexdigest(),
        size=len(data),
        options=checked(table, options),
        person=change.actor,
        created_at=change.now,
    )
    intake.save(force_insert=True)
    for number, at in enumerate(range(0, len(data), PART_BYTES)):
        IntakePart.objects.create(intake=intake, number=number, data=data[at : at + PART_BYTES])
    intake.work = IntakeWork.objects.create(intake=intake, since=change.now)
    return intake


def checked(table: str, options: Mapping[str, Any]) -> dict[str, Any]:
    """Options as they are kept: ``columns``, ``set``, ``values``, ``labels``; ``sheet``, ``encoding``, ``realm``, ``pool``;
    ``outer``, ``make_missing``, ``update``.

    Raises:
        Invalid, UnknownName, Refusal: one makes no sense.
    """
    if table not in COLUMNS:
        raise Invalid(
            f"there is no kind of table {table!r}", field="table", received=table[:60], suggestions=list(COLUMNS)
        )
    meaning = meaning_of(options, COLUMNS[table])
    kept: dict[str, Any] = {
        "columns": dict(meaning.columns),
        "set": dict(meaning.fixed),
        "values": {name: dict(words) for name, words in meaning.values.items()},
        "labels": list(meaning.labels),
    }
    kept |= {name: str(options[name]) for name in _TEXTS if options.get(name)}
    kept |= {name: True for name in FLAGS if options.get(name)}
    for name, model in (("realm", Realm), ("pool", Pool)):
        if name in kept:
            find(model, kept[name], name)
    return {name: value for name, value in kept.items() if value}


def edit_intake(
    change: Change,
    number: int,
    options: Mapping[str, Any] | None,
    cells: Mapping[int, Mapping[str, str]],
    version: int | None = None,
) -> Intake:
    """Say anew what the columns of an open intake mean, or put cells right; it is looked at again.

    Args:
        options: all of them, in the place of those before; None leaves them.
        cells: row number -> heading -> text.

    Raises:
        WrongState: it is no longer open, or is being worked on.
        StaleEdit: it has changed since `version`.
        NotAllowed, Invalid.
    """
    require(change.actor, "planner", "bring a table in")
    intake, work = _locked(number, version)
    _refuse_at_work(intake, work, "changed")
    if options is not None:
        intake.options = checked(intake.table, options)
    if cells:
        corrections = {row: dict(said) for row, said in intake.corrections.items()}
        for row, said in cells.items():
            corrections.setdefault(str(row), {}).update(said)
        intake.corrections = corrections
    _stamp(change, intake)
    _set(work, TO_READ, change.now)
    return intake


def drop_intake(change: Change, number: int, version: int | None = None) -> Intake:
    """Let an open intake go: its file and rows are forgotten.

    Raises:
        WrongState, StaleEdit, NotAllowed.
    """
    require(change.actor, "planner", "drop an intake")
    intake, work = _locked(number, version)
    _refuse_at_work(intake, work, "dropped")
    intake.state = "dropped"
    _stamp(change, intake)
    intake.parts.all().delete()
    intake.rows.all().delete()
    _set(work, IDLE, change.now)
    return intake


def ask_to_commit(
    change: Change, number: int, proposal: str, good_rows: bool, version: int | None = None
) -> Intake:
    """Give the word that an intake is committed as it was shown.

    Args:
        proposal: that of the look that was shown.
        good_rows: leave out the rows that are refused.

    Raises:
        StaleProposal: it was looked at again since.
        Invalid: rows are refused, and `good_rows` was not said.
        WrongState, StaleEdit, NotAllowed.
    """
    require(change.actor, "planner", "commit an intake")
    intake, work = _locked(number, version)
    _refuse_at_work(intake, work, "committed")
    if proposal != work.proposal:
        raise StaleProposal(
            f"intake {number} was looked at again since: look at its rows as they are now",
            field="proposal",
            rule="a commit does exactly what was shown",
            suggestions=["look again"],
        )
    refused = work.counts.get("refused", 0)
    if refused and not good_rows:
        first = intake.rows.filter(outcome="refused").order_by("number")[:5]
        raise Invalid(
            f"{refused:,} of {sum(work.counts.values()):,} rows are refused: put them right, or leave them out",
            field="good_rows",
            rule="all rows come in, or none; unless the good rows alone are asked for",
            conflicts=[
                {
                    "range": f"row {row.number}",
                    "why": row.told.get("message", ""),
                    "code": row.told.get("code", ""),
                }
                for row in first
            ],
            suggestions=["good_rows: true"],
        )
    work.good_rows, work.actor, work.why = good_rows, change.actor, change.why
    _set(work, TO_COMMIT, change.now)
    return intake


def ask_to_take_back(change: Change, number: int, version: int | None = None) -> Intake:
    """Give the word that all that an intake made is taken back.

    Raises:
        WrongState: it was not committed.
        StaleEdit, NotAllowed.
    """
    require(change.actor, "planner", "take an intake back")
    intake, work = _locked(number, version)
    if intake.state != "committed" or work.stage:
        is_now = work.stage or f"is {intake.state}"
        raise WrongState(
            f"intake {number} {is_now}: what was committed is taken back", field="state", received=intake.state
        )
    work.actor, work.why = change.actor, change.why
    _set(work, TO_TAKE_BACK, change.now)
    return intake


def ask_to_stop(change: Change, number: int, version: int | None = None) -> Intake:
    """Stop whatever is being done with an intake: nothing of it stays.

    Raises:
        WrongState: nothing is.
        StaleEdit, NotAllowed.
    """
    require(change.actor, "planner", "stop an intake")
    intake, work = _locked(number, version)
    if not work.stage:
        raise WrongState(f"nothing is being done with intake {number}", field="stage")
    if work.stage in (TO_READ, TO_COMMIT, TO_TAKE_BACK):
        _set(work, IDLE, change.now)
    else:
        work.stop = True
        work.save(update_fields=["stop"])
    return intake


def _locked(number: int, version: int | None) -> tuple[Intake, IntakeWork]:
    intake = find(Intake, str(number), "intake")
    intake.work = IntakeWork.objects.select_for_update().get(pk=intake.pk)
    intake.refresh_from_db(fields=["state", "options", "corrections", "version"])
    if version is not None and version != intake.version:
        raise StaleEdit(
            f"intake {number} has changed since you read it: read it again",
            field="If-Match",
            received=version,
            suggestions=[intake.version],
        )
    return intake, intake.work


def _stamp(change: Change, intake: Intake) -> None:
    """Keep an intake that is another one now, under a version of its own."""
    (intake.version,) = change.numbers(1)
    intake.save(update_fields=["state", "options", "corrections", "version"])


def _refuse_at_work(intake: Intake, work: IntakeWork, to_be: str) -> None:
    if intake.state != "open":
        raise WrongState(
            f"intake {intake.pk} is {intake.state}: it cannot be {to_be} any more",
            field="state",
            received=intake.state,
        )
    if work.stage and not (work.stage == TO_READ and to_be != "committed"):
        raise WrongState(
            f"intake {intake.pk} {work.stage}: wait for it, or stop it",
            field="stage",
            received=work.stage,
            suggestions=["wait", "stop it"],
        )


def _set(work: IntakeWork, stage: str, now: Any) -> None:
    work.stage, work.since, work.stop, work.done, work.total, work.of = stage, now, False, 0, 0, ""
    if stage in (TO_READ, TO_COMMIT, TO_TAKE_BACK):
        work.fault = None
    work.save()
