"""When a crew comes, and comes back: iCalendar files (RFC 5545)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta

from icalendar import Alarm, Calendar, Event

from gumboot.core.land.recheck import Due

LASTS = timedelta(hours=1)


def return_calendar(
    rows: Sequence[tuple[str, str, str, str, Sequence[Due]]], made: datetime
) -> bytes:
    """One event a job: (job uid, its name, address, link, what is due). It starts when the last
    termination is due; each termination stands in its text.
    """
    out = Calendar()
    out.add("prodid", "-//Gumboot//torque return//EN")
    out.add("version", "2.0")
    for uid, name, address, link, due in rows:
        if not due:
            continue
        event = Event()
        start = max(d.at for d in due).astimezone(UTC)
        event.add("uid", f"return-{uid}@gumboot")
        event.add("dtstamp", made)
        event.add("dtstart", start)
        event.add("dtend", start + LASTS)
        event.add("summary", f"{name}: {len(due)} terminations to re-check")
        if address:
            event.add("location", address)
        how = {"torque": "rated torque again", "look": "witness mark"}
        event.add(
            "description",
            "\n".join(
                [
                    link,
                    *(
                        f"{t.label or f'{t.place}, {t.terminal}'}: {how[t.recheck]}"
                        for t in (d.termination for d in due)
                    ),
                ]
            ),
        )
        alarm = Alarm()
        alarm.add("action", "DISPLAY")
        alarm.add("description", f"{name}: back to the torque book")
        alarm.add("trigger", timedelta(hours=-1))
        event.add_component(alarm)
        out.add_component(event)
    return bytes(out.to_ical())


def day_calendar(rows: Sequence[tuple[str, date, str, str]], made: datetime) -> bytes:
    """One whole day an event: (job uid, the day, what stands in the calendar, its text)."""
    out = Calendar()
    out.add("prodid", "-//Gumboot//days//EN")
    out.add("version", "2.0")
    for uid, day, summary, text in rows:
        event = Event()
        event.add("uid", f"day-{uid}@gumboot")
        event.add("dtstamp", made)
        event.add("dtstart", day)
        event.add("dtend", day + timedelta(days=1))
        event.add("summary", summary)
        event.add("description", text)
        out.add_component(event)
    return bytes(out.to_ical())
