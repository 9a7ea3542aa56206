"""Days on which something falls due, as iCalendar (RFC 5545)."""

from collections.abc import Iterable
from datetime import date, datetime
from typing import NamedTuple


class DueDay(NamedTuple):
    """A day: what falls due on it, more about it, and a name of its own that stays the same."""

    on: date
    summary: str
    description: str
    uid: str


def write_calendar(days: Iterable[DueDay], *, at: datetime) -> bytes:
    """Return days as a calendar, each an event of a whole day. at: when it was written."""
    from icalendar import Calendar, Event  # slow to load

    calendar = Calendar()
    calendar.add("prodid", "-//Calm Needle//due dates//EN")
    calendar.add("version", "2.0")
    for day in sorted(days):
        event = Event()
        event.add("uid", f"{day.uid}@calm-needle")
        event.add("dtstamp", at)
        event.add("dtstart", day.on)
        event.add("summary", day.summary)
        if day.description:
            event.add("description", day.description)
        calendar.add_component(event)
    return bytes(calendar.to_ical())
