"""Typed fields: how each kind of value is shown, read and put into a plan. Every form is a list of
these.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from gumboot.core.basis import clock, units
from gumboot.core.basis.finding import Change
from gumboot.core.basis.patch import apply, lookup

Choices = tuple[tuple[str, str], ...]


@dataclass(frozen=True)
class Field:
    """One field: its path in the plan, label, kind of quantity, why it is asked.

    kind: "text", "count", "number", "choice", "yesno", "maybe" (yes, no or not said), "list",
    "several" (texts that may hold commas), "value" (a number or a text), "numbers", "hours",
    "time", or a kind of unit.
    reshapes: a change of it asks for other fields. listed: the list of the page that it offers.
    """

    path: str
    label: str
    kind: str
    why: str = ""
    choices: Choices = ()
    optional: bool = False
    reshapes: bool = False
    listed: str = ""


Sections = list[tuple[str, list[Field]]]


def words(*texts: str) -> Choices:
    """Choices that read as they are stored."""
    return tuple((t, t) for t in texts)


def show(value: object, field: Field, system: units.System) -> str:
    """A stored value as the crew types it."""
    if value is None:
        return ""
    number = float(value) if isinstance(value, int | float) else 0.0
    match field.kind:
        case "length":
            return units.show_length(number, system)
        case "place":
            return units.show_place(number, system)
        case "temperature":
            return units.show_temperature(number, system)
        case "current":
            return f"{1000 * number:g} mA" if 0 < number < 1 else f"{number:g} A"
        case "voltage":
            return f"{1000 * number:g} mV" if 0 < number < 1 else f"{number:g} V"
        case "torque":
            return units.show_torque(number, system)
        case "list" | "numbers" if isinstance(value, list | tuple):
            return ", ".join(f"{x:g}" if isinstance(x, int | float) else str(x) for x in value)
        case "several" if isinstance(value, list | tuple):
            text = "; ".join(str(x) for x in value)
            return f"{text};" if len(value) == 1 and "," in text else text
        case "value":
            return value if isinstance(value, str) else f"{number:.10g}"
        case "maybe":
            return "yes" if value else "no"
        case "angle":
            return f"{number:g}°"
        case "power":
            return f"{number / 1000:g} kW"
        case "watts":
            return f"{number:g} W"
        case "percent":
            return f"{number:g} %"
        case "share":
            return f"{100 * number:g} %"
        case "resistance":
            return f"{number:g} Ω"
        case "number":
            return f"{number:.10g}"
        case "yesno":
            return "yes" if value else "no"
        case "time":
            return clock.show_minutes(int(number))
        case "hours" if isinstance(value, list):
            return clock.typed_spans([(w["start_min"], w["end_min"]) for w in value])
    return str(value)


def want(field: Field) -> str:
    """What to type into a field."""
    if field.kind in units.KINDS:
        return (
            f"a {'length' if field.kind == 'length' else 'value'}, such as"
            f" {units.KINDS[field.kind].example}"
        )
    named = {
        "count": "a whole number",
        "place": "a length, such as 46 1/4 in or 1175 mm",
        "choice": "one of the choices",
        "number": "a number",
        "watts": "a power, such as 150 W",
        "share": "a share, such as 50 %",
        "list": "words with commas between them",
        "several": "words with commas, or semicolons, between them",
        "value": "a number, or a choice as it is worded",
        "numbers": "numbers with commas between them, such as 50, 100",
        "maybe": "yes or no, or leave it",
        "hours": "hours, such as 6-9, 17:30-22",
        "time": "a time, such as 16:30",
    }
    return named.get(field.kind, "a name")


WATTS_FROM = 200  # a bare number is kW below, W from there on: no house has a unit of 200 kW


def convert(text: str, field: Field, system: units.System) -> object:
    """A typed text as the plan's value. Raises NotAQuantity."""
    match field.kind:
        case "text":
            return text
        case "yesno" | "maybe":
            return text == "yes"
        case "list":
            return [x.strip() for x in text.split(",") if x.strip()]
        case "several":
            parts = text.split(";" if ";" in text else ",")
            return [x.strip() for x in parts if x.strip()]
        case "value":
            try:
                return number(text)
            except units.NotAQuantity:
                return text
        case "numbers":
            return [number(x.strip()) for x in text.split(",") if x.strip()]
        case "choice":
            if text not in dict(field.choices):
                raise units.NotAQuantity(
                    f"choose one of: {', '.join(name for _, name in field.choices)}"
                )
            return int(text) if field.path == "kit/towers" else text
        case "count":
            if not text.isascii() or not text.isdigit() or len(text) > 6:
                raise units.NotAQuantity(f"“{text}” is not a whole number: type one, such as 2")
            return int(text)
        case "number":
            return number(text)
        case "hours":
            return [{"start_min": a, "end_min": b} for a, b in _said(clock.parse_spans, text)]
        case "time":
            return _said(clock.parse_time, text)
        case "place":
            return units.parse_place(text, system)
        case "power":
            watts = units.parse(text, "power", system, bare="kw")
            as_w = units.parse(text, "power", system, bare="w")  # a unit, if any, has the word
            return round(watts if as_w < WATTS_FROM else as_w, 3)
        case "watts":
            return round(units.parse(text, "power", system), 3)
        case "share":
            return round(units.parse(text, "percent", system) / 100, 6)
    return round(units.parse(text, field.kind, system), 6)


def number(text: str) -> float:
    """A plain number, with a decimal point or comma. Raises NotAQuantity."""
    try:
        value = float(text.replace(",", ".") if text.count(",") == 1 and "." not in text else text)
    except ValueError:
        value = float("nan")
    if not abs(value) < 1e12:
        raise units.NotAQuantity(f"“{text[:30]}” is not a number: type one, such as 0.27")
    return value


def _said(read: Callable[[str], Any], text: str) -> Any:
    try:
        return read(text)
    except clock.NotATime as exc:
        raise units.NotAQuantity(str(exc)) from exc


def put(plan: dict[str, Any], path: str, value: object) -> None:
    """Set a value at a path, growing lists and objects on the way."""
    *steps, last = path.split("/")
    at: Any = plan
    for step, after in zip(steps, [*steps, last][1:], strict=True):
        if isinstance(at, list):
            while len(at) <= int(step):
                at.append({})
            at = at[int(step)]
        else:
            if at.get(step) is None:
                at[step] = [] if after.isdigit() else {}
            at = at[step]
    at[last] = value


def typed_of(plan: dict[str, Any], fields: Sequence[Field], system: units.System) -> dict[str, str]:
    """What a form shows for a plan document."""
    out = {}
    for f in fields:
        try:
            out[f.path] = show(lookup(plan, f.path), f, system)
        except KeyError:
            out[f.path] = f.choices[0][0] if f.choices else "no" if f.kind == "yesno" else ""
    return out


def read(
    typed: dict[str, str], fields: Sequence[Field], plan: dict[str, Any], system: units.System
) -> tuple[dict[str, Any], dict[str, str]]:
    """(the plan document with every field put in, message by path). An empty optional field leaves
    its place empty.
    """
    faults: dict[str, str] = {}
    for f in fields:
        text = typed.get(f.path, "")
        if not text and f.kind != "hours":
            if not f.optional:
                faults[f.path] = f"type {want(f)}"
            elif f.kind == "text":
                put(plan, f.path, "")
            else:
                plan = apply(plan, [Change(f.path, None)]) if _there(plan, f.path) else plan
            continue
        try:
            put(plan, f.path, convert(text, f, system))
        except units.NotAQuantity as exc:
            faults[f.path] = str(exc)
    return plan, faults


def _there(plan: dict[str, Any], path: str) -> bool:
    try:
        lookup(plan, path)
    except KeyError:
        return False
    return True
