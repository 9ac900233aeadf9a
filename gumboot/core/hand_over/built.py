"""As built against as planned: what differs, from the log. Nothing planned is overwritten by it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gumboot.core.basis.units import show_place
from gumboot.core.basis.words import inside
from gumboot.core.design import Design
from gumboot.core.hand_over.devices import devices
from gumboot.core.journal.log import LogState
from gumboot.core.set import keying
from gumboot.core.wall import drill_sheet
from gumboot.core.wall.as_built import SLOT_MM, drilled_off


@dataclass(frozen=True, slots=True)
class Difference:
    """about: the circuit, box, hole or line of a menu; what: of BuiltOf; who, at: by the log."""

    about: str
    what: str
    label: str
    planned: str
    built: str
    note: str
    who: str
    at: str


def differences(d: Design, state: LogState) -> tuple[Difference, ...]:
    """What was built otherwise: said so, drilled elsewhere, keyed otherwise, another device."""
    rows = (*_said(state), *_drilled(d, state), *_keyed(d, state), *_devices(d, state))
    return tuple(rows)


def marks(rows: tuple[Difference, ...], d: Design) -> tuple[tuple[str, str], ...]:
    """(circuit or box, words) of those that a drawing shows; several of one thing in one line."""
    shown = {c.id for c in d.circuits} | {b.id for b in d.bodies}
    words: dict[str, list[str]] = {}
    for r in rows:
        if r.about in shown:
            words.setdefault(r.about, []).append(r.built)
    return tuple((k, "; ".join(v)) for k, v in words.items())


def _said(state: LogState) -> Iterator[Difference]:
    for e in state.last.get("built", {}).values():
        b = e.body
        if b["built"]:
            about = b["about"].partition(" ")[0]
            yield Difference(
                about,
                b["what"],
                b["label"],
                b["planned"],
                b["built"],
                b["note"],
                e.who,
                e.at_server,
            )


def _drilled(d: Design, state: LogState) -> Iterator[Difference]:
    for w in d.walls:
        for x in drill_sheet(w):
            e = state.drilled.get(x.hole.id)
            right, up = drilled_off(x, e) if e is not None else (0.0, 0.0)
            if e is None or max(abs(right), abs(up)) <= SLOT_MM:
                continue
            planned, built = (
                f"{show_place(a, d.plan.units)} across, {show_place(c, d.plan.units)} up"
                for a, c in ((x.x, x.y), (x.x + right, x.y + up))
            )
            note = e.body["note"]
            yield Difference(x.hole.id, "place", x.label, planned, built, note, e.who, e.at_server)


def setting_of(key: str) -> tuple[int, str]:
    """(unit from 1, line of its menu) of a step of keying, by its key.

    >>> setting_of("key.2.charge_a=60")
    (2, 'charge_a')
    """
    _, unit, line = key.partition("=")[0].split(".", 2)
    return int(unit), line


def _keyed(d: Design, state: LogState) -> Iterator[Difference]:
    several = len(d.plan.kit.units) > 1
    for s in keying.steps_of(d):
        e = state.steps.get(s.key)
        if e is None or s.does != "key" or e.body["verdict"] != "outside":
            continue
        unit, _ = setting_of(s.key)
        whose = f", {inside(d.plan.kit.unit_name(unit))}" if several else ""
        b = e.body
        words = (f"{s.title}{whose}", s.expects, b["typed"], b["note"])
        yield Difference(s.key, "setting", *words, e.who, e.at_server)


def _devices(d: Design, state: LogState) -> Iterator[Difference]:
    planned = {x.key: x for x in devices(d)}
    for key, e in state.last.get("serial", {}).items():
        own, b = planned.get(key), e.body
        if own is not None and b["kit"] and b["kit"] != own.model:
            yield Difference(
                own.body, "device", b["label"], own.model, b["kit"], b["note"], e.who, e.at_server
            )
