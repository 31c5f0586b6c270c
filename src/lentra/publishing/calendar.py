"""What ends and what is to come, as a calendar (iCalendar, RFC 5545)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, time, timedelta

from icalendar import Calendar, Event

from lentra.registry.reports.calendar import Ending

MEDIA = "text/calendar; charset=utf-8"
_REFRESHED = timedelta(hours=6)


def calendar(endings: Sequence[Ending], host: str, today: date) -> bytes:
    """A calendar with an event for each: of a whole day, or at a moment. An event is known again by its `UID`.

    Args:
        host: part of each `UID`.
        today: the day as of which it is told.
    """
    made = Calendar()
    made.add("prodid", "-//Lentra//What ends//EN")
    made.add("version", "2.0")
    made.add("name", "Lentra: what ends")
    made.add("refresh-interval", _REFRESHED, parameters={"VALUE": "DURATION"})  # RFC 7986, section 5.7
    stamp = datetime.combine(today, time(), UTC)
    for one in endings:
        event = Event()
        event.add("uid", f"{one.key}@{host}")
        event.add("dtstamp", stamp)
        event.add("summary", one.title)
        event.add("description", one.about)
        event.add("transp", "TRANSPARENT")  # nobody is busy meanwhile
        event.add("dtstart", one.when)
        if not isinstance(one.when, datetime):
            event.add("dtend", one.when + timedelta(days=1))
        made.add_component(event)
    return bytes(made.to_ical())
