"""Tests of a demo job as a crew would have made them: within what is expected, two of them
declined, one string a module short where something is to be found.
"""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, timedelta

from sqlalchemy.orm import Session

from gumboot.core.prove.due import DEAD, Due
from gumboot.core.prove.judging import verdict_of
from gumboot.core.prove.listing import dues_of
from gumboot.core.prove.strings import Sky
from gumboot.core.walk.entering import Entry as Walked
from gumboot.core.walk.entering import body_of, read_value
from gumboot.demo.diary import Diary
from gumboot.store.models import InstrumentRow

SKY = Sky(812.0, 47.0)
INSTRUMENTS = (  # kind, name, serial, class %, and so much more, days until calibration ends
    ("multifunction tester", "tester 3", "IT-3071", 2.0, 0.02, 200),
    ("multimeter", "multimeter 7", "IM-0700", 0.5, 0.2, 200),
    ("clamp", "clamp 2", "IC-0210", 2.0, 0.2, 200),
    ("irradiance meter", "sun meter", "IS-0114", 5.0, 1.0, 200),
    ("thermal camera", "camera", "IH-0031", 2.0, 2.0, -20),
)
OF_KIND = {
    **dict.fromkeys(("ohm", "megohm", "ms", "milliamp"), "tester 3 IT-3071"),
    **dict.fromkeys(("volt", "hertz", "seconds"), "multimeter 7 IM-0700"),
    **dict.fromkeys(("amp", "watt", "percent"), "clamp 2 IC-0210"),
    **dict.fromkeys(("light", "celsius"), "sun meter IS-0114"),
}
DECLINED = {
    "start.hardest": "The pump is locked out until spring",
    "generator.runs": "The generator comes next month",
}


def instruments(db: Session, crew_id: int) -> None:
    """The crew's instruments, one of them past its calibration."""
    today = date.today()
    db.add_all(
        InstrumentRow(
            crew_id=crew_id,
            kind=kind,
            name=name,
            serial=serial,
            share=share / 100,
            plain=plain,
            calibrated_until=today + timedelta(days=days),
        )
        for kind, name, serial, share, plain, days in INSTRUMENTS
    )
    db.flush()


def reading_of(due: Due) -> str:
    """A reading within what is expected, as a hand would type it; "" for a tick or a page."""
    if due.does in ("tick", "page"):
        return ""
    if due.key == "sky.light":
        return f"{SKY.light:g}"
    if due.key == "sky.cell":
        return f"{SKY.cell_c:g}"
    if due.does == "megohm":
        return "> 200"
    if due.band is not None and due.band.holds(due.band.expected.n):
        low = due.least if due.least is not None else due.band.low
        value = max(due.band.expected.n * 1.004, low)
        return f"{value:.2f}" if due.does == "ohm" else f"{value:.4g}"
    if due.least is not None and due.most is not None:
        if due.least < 0 < due.most:
            return f"{0.08 * due.most:.3g}"
        return f"{0.4 * due.least + 0.6 * due.most:.4g}"
    return f"{0.6 * due.most:.4g}" if due.most is not None else f"{1.2 * (due.least or 1):.4g}"


def proven(diary: Diary, by: tuple[str, str], whole: bool, short: str = "") -> None:
    """The tests made, all of them or the dead ones; short: the string that reads a module less."""
    d = diary.design
    made = [x for x in dues_of(d, SKY) if not x.known and (whole or x.stage == DEAD)]
    closes = {f.key: f.fingerprint for f in d.duties}
    for due in _in_order(made):
        tool = OF_KIND.get(due.does, "")
        if why := DECLINED.get(due.key):
            body = body_of(due.step(), Walked(due.key, due.title, "declined", note=why), "declined")
        else:
            typed = reading_of(due)
            if short and due.key == f"string.{short}.open" and due.band is not None:
                n = next(s.modules for s in d.strings if s.letter == short)
                typed = f"{due.band.expected.n * (n - 1) / n:.4g}"
            sent = Walked(due.key, due.title, "done", typed, tool=tool)
            value, verdict, why = None, "done", ""
            if typed:
                value = read_value(due.step(), typed)
                verdict, why = verdict_of(due, value, None, date.today(), [], SKY)
            body = body_of(due.step(), sent, verdict, value, why)
        if due.duty in closes:
            body |= {"duty": due.duty, "fingerprint": closes[due.duty]}
        body["source"] = "page" if due.does == "page" else "typed"
        diary.wrote("test", body, by)


def _in_order(dues: Iterable[Due]) -> list[Due]:
    return sorted(dues, key=lambda x: not x.key.startswith("sky."))
