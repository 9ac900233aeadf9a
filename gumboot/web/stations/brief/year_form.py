"""What a year is made from, as typed: the tariff's rates row by row, how the battery works, and
where load and weather come from.
"""

from __future__ import annotations

import copy
from collections.abc import Sequence
from typing import Any

from gumboot.core.basis import units
from gumboot.core.basis.clock import NotATime
from gumboot.core.energy.tariff import MONTHS
from gumboot.core.plan import Plan
from gumboot.core.set.settings import parse_slot, show_slot
from gumboot.store.models import KeptFile
from gumboot.web.job import saving
from gumboot.web.pages.form import Choices, Field, convert, read, typed_of, words

MOST_RATES, SPARE = 24, 2
MODES: Choices = (
    ("self-use", "self-use"),
    ("reserve for outage", "reserve for an outage"),
    ("windows", "time windows"),
)
MONTH: Choices = tuple((str(n), m[:3]) for n, m in enumerate(MONTHS, 1))
EXPORT_OF: Choices = (("in all", "of all phases together"), ("each phase", "of each phase"))
SPARE_SUN: Choices = (("battery", "the battery"), ("grid", "the grid"))
TARIFF = "energy/tariff"
SLOTS = tuple(f"{kind}-{n}" for kind in ("charge", "discharge") for n in (0, 1, 2))
NEEDED = ("name", "buy")


def rate_fields(i: int) -> tuple[Field, ...]:
    """One row of the tariff."""
    at = f"{TARIFF}/rates/{i}"
    return (
        Field(f"{at}/name", "Rate", "text", optional=True),
        Field(f"{at}/buy", "Buys at, a kWh", "number", optional=True),
        Field(f"{at}/sell", "Sells at, a kWh", "number", optional=True),
        Field(f"{at}/hours", "Hours", "hours", optional=True),
        Field(f"{at}/days", "Days", "choice", choices=words("every day", "weekdays", "weekends")),
        Field(f"{at}/from_month", "From", "choice", choices=MONTH),
        Field(f"{at}/to_month", "To the end of", "choice", choices=(*MONTH[-1:], *MONTH[:-1])),
    )


def fields(off_grid: bool, kept: Sequence[KeptFile]) -> dict[str, list[Field]]:
    """The fields by section."""
    loads: Choices = (
        ("", "the load board"),
        *((f.digest, f"{f.name}, {f.about['year']}") for f in kept if f.kind == "readings"),
    )
    skies: Choices = (
        ("", "synthetic days, as clear in the mean as typed below"),
        *((f.digest, f"{f.name}, {f.about['place']}") for f in kept if f.kind == "weather"),
    )
    grid = [
        Field(f"{TARIFF}/standing_day", "Standing charge, a day", "number", optional=True),
        Field(
            f"{TARIFF}/export_limit_w", "Export allowed", "power", "empty: no limit", optional=True
        ),
        Field(f"{TARIFF}/export_limit_of", "That is", "choice", choices=EXPORT_OF),
        Field(
            f"{TARIFF}/import_limit_w", "Import allowed", "power", "empty: no limit", optional=True
        ),
    ]
    return {
        "tariff": [
            Field(f"{TARIFF}/currency", "Currency", "text"),
            *([] if off_grid else grid),
            *(
                [
                    Field(
                        f"{TARIFF}/fuel_kwh",
                        "Fuel, a kWh of the generator",
                        "number",
                        optional=True,
                    )
                ]
                if off_grid
                else []
            ),
        ],
        "work": (
            []
            if off_grid
            else [
                Field("energy/work/mode", "The battery works in", "choice", choices=MODES),
                Field(
                    "energy/work/spare_sun", "Spare sun goes first to", "choice", choices=SPARE_SUN
                ),
            ]
        ),
        "made": [
            Field("energy/load_file", "Load from", "choice", choices=loads, optional=True),
            Field(
                "energy/yearly_kwh",
                "The house draws a year",
                "number",
                "kWh, from bills; scales the board. Empty: as the board says",
                optional=True,
            ),
            Field("energy/weather_file", "Weather from", "choice", choices=skies, optional=True),
            Field(
                "energy/climate_factor",
                "Factor on a clear sky",
                "share",
                "dry and sunny 80 %, mild 65 %, cloudy coast 50 %: a guess until a weather file is"
                " given",
            ),
        ],
    }


def show(plan: Plan, rows: int, form: dict[str, list[Field]]) -> dict[str, str]:
    """What the form shows for a plan."""
    document = plan.model_dump(mode="json")
    some = [f for section in form.values() for f in section] + [
        f for i in range(rows) for f in rate_fields(i)
    ]
    typed = typed_of(document, some, plan.units)
    work = plan.energy.work
    for kind, slots in (("charge", work.charge), ("discharge", work.discharge)):
        typed |= {f"{kind}-{n}": show_slot(slots[n]) if n < len(slots) else "" for n in range(3)}
    return typed


def used(typed: dict[str, str], rows: int) -> list[int]:
    """The rows that hold a rate."""
    return [
        i
        for i in range(rows)
        if any(typed.get(f"{TARIFF}/rates/{i}/{k}") for k in ("name", "buy", "sell", "hours"))
    ]


def checked(
    typed: dict[str, str], before: Plan, rows: int, form: dict[str, list[Field]]
) -> tuple[Plan | None, dict[str, str]]:
    """(the plan with what was typed, message by field)."""
    document, faults = read(
        typed,
        [f for section in form.values() for f in section],
        copy.deepcopy(before.model_dump(mode="json")),
        before.units,
    )
    tariff: dict[str, Any] = document["energy"]["tariff"]
    if tariff.get("standing_day") is None:
        tariff.pop("standing_day", None)
    places = used(typed, rows)
    tariff["rates"] = [_rate(i, typed, before.units, faults) for i in places]
    if form["work"]:
        document["energy"]["work"] |= {
            kind: _slots(kind, typed, faults) for kind in ("charge", "discharge")
        }
    if faults:
        return None, faults

    def field(path: str) -> str:
        step = path.split("/")
        if step[:3] == ["energy", "tariff", "rates"] and len(step) > 3:
            last = step[4] if len(step) > 4 else "name"
            return "/".join([*step[:3], str(places[int(step[3])]), last])
        if step[:2] == ["energy", "work"] and len(step) > 3:
            return f"{step[2]}-{step[3]}"
        return path

    return saving.checked(document, field)


def _rate(
    i: int, typed: dict[str, str], system: units.System, faults: dict[str, str]
) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for f in rate_fields(i):
        text, name = typed.get(f.path, ""), f.path.rpartition("/")[2]
        if not text:
            if name in NEEDED:
                faults[f.path] = (
                    "type a name, or empty the row"
                    if name == "name"
                    else "type a price a kWh, such as 0.27"
                )
            continue
        try:
            out[name] = convert(text, f, system)
        except units.NotAQuantity as exc:
            faults[f.path] = str(exc)
    return out


def _slots(kind: str, typed: dict[str, str], faults: dict[str, str]) -> list[dict[str, Any]]:
    out = []
    for n in range(3):
        try:
            slot = parse_slot(typed.get(f"{kind}-{n}", ""))
        except NotATime as exc:
            faults[f"{kind}-{n}"] = str(exc)
            continue
        if slot:
            out.append(slot.model_dump())
    return out
