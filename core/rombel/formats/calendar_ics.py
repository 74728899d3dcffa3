"""Dates of a plan as a calendar (iCalendar, RFC 5545)."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from icalendar import Calendar, Event


@dataclass(frozen=True, slots=True)
class Dated:
    """Something that happens on a day, or from one day to another that is its last: what, and why it matters."""

    what: str
    why: str
    first: date
    last: date | None = None


def write_calendar(name: str, dates: Iterable[Dated], written: datetime) -> str:
    """Return a calendar with an entry of whole days for each date, in their order.

    Parameters
    ----------
    name
        What the calendar is called; entries keep their identity as long as name, day and words stay.
    dates
        What is in it.
    written
        When what it tells was computed.

    """
    calendar = Calendar()
    calendar.add("prodid", "-//Rombel//plan//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", name)
    for entry in sorted(dates, key=lambda each: (each.first, each.what)):
        event = Event()
        identity = "\n".join((name, entry.what, entry.first.isoformat()))
        event.add("uid", f"{hashlib.sha256(identity.encode()).hexdigest()[:32]}@rombel")
        event.add("dtstamp", written.astimezone(UTC).replace(microsecond=0))
        event.add("summary", entry.what)
        event.add("description", entry.why)
        event.add("dtstart", entry.first)
        # RFC 5545, 3.6.1: the end of an entry of whole days is the day after its last.
        event.add("dtend", (entry.last or entry.first) + timedelta(days=1))
        event.add("transp", "TRANSPARENT")
        calendar.add_component(event)
    return str(calendar.to_ical(), "utf-8")
