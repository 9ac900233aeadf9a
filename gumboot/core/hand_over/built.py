"""As built against as planned: what differs, from the log. Nothing planned is overwritten by it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gumboot.core.basis.units import show_place
from gumboot.core.design import Design
from gumboot.core.hand_over.devices import devices
from gumboot.core.journal.log import LogState

HOLE_MM = 10.0  # a hole further off than this is another hole: common practice


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
    rows = (*_said(state), *_drilled(d, state), *_keyed(state), *_devices(d, state))
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
    for e in state.drilled.values():
        b = e.body
        x, y = b["planned_mm"]
        if max(abs(b["x_mm"] - x), abs(b["y_mm"] - y)) > HOLE_MM:
            planned, built = (
                f"{show_place(a, d.plan.units)} across, {show_place(c, d.plan.units)} up"
                for a, c in ((x, y), (b["x_mm"], b["y_mm"]))
            )
            yield Difference(
                b["hole"], "place", b["label"], planned, built, b["note"], e.who, e.at_server
            )


def _keyed(state: LogState) -> Iterator[Difference]:
    for key, e in state.steps.items():
        b = e.body
        if e.kind == "set" and key.startswith("key.") and b["verdict"] == "outside":
            yield Difference(
                key, "setting", b["label"], b["expected"], b["typed"], b["note"], e.who, e.at_server
            )


def _devices(d: Design, state: LogState) -> Iterator[Difference]:
    planned = {x.key: x for x in devices(d)}
    for key, e in state.last.get("serial", {}).items():
        own, b = planned.get(key), e.body
        if own is not None and b["kit"] and b["kit"] != own.model:
            yield Difference(
                own.body, "device", b["label"], own.model, b["kit"], b["note"], e.who, e.at_server
            )
