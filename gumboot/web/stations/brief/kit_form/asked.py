"""Which fields a kit asks for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from gumboot.core.kit import Catalogue
from gumboot.core.plan import FAMILIES
from gumboot.web.pages.form import Choices, Field, Sections
from gumboot.web.stations.brief.kit_form.house import backup_fields, site_fields, supply_fields
from gumboot.web.stations.brief.kit_form.kit import (
    RUN_NAMES,
    existing_fields,
    generator_fields,
    kit_fields,
    named,
    run_fields,
    string_fields,
)
from gumboot.web.stations.brief.kit_form.shape import run_families, shape_of

RESHAPES = (
    "site/latitude_deg",
    "site/altitude_m",
    "kit/inverters",
    "kit/packs",
    "code",
    "supply/kind",
    "supply/connection",
    "kit/inverter",
    "kit/pack",
    "kit/gateway",
    "backup/loads",
    "kit/generator/power_w",
    "kit/generator/lands",
    "kit/existing_pv/power_w",
    "kit/port_use/power_w",
    "kit/banks",
    "kit/hookup",
    "kit/takeoff",
    "kit/series",
    "kit/controller",
    "kit/controllers",
)


def labels(shown: Sections) -> dict[str, str]:
    """What each field is called where a fault of it is told: by its row, then by its label."""
    out = {}
    for title, fields in shown:
        for f in fields:
            step = f.path.split("/")
            if title == "Strings":
                out[f.path] = f"String row {int(step[1]) + 1}, {f.label.lower()}"
            elif title == "Runs":
                run, length = RUN_NAMES[step[1]], step[2] == "length_m"
                out[f.path] = f"{run}, length" if length else f"{run}, {f.label.lower()}"
            else:
                out[f.path] = f"{title}: {f.label}"
    return out


def sections(
    typed: Mapping[str, str], rows: int, shelf: Catalogue, everything: bool = False
) -> Sections:
    """The fields by section that a typed kit asks for, `rows` strings among them; all there are
    when `everything`.
    """
    s = shape_of(typed, shelf)

    def show(field: Field, when: object) -> list[Field]:
        return [field] if when or everything else []

    out: Sections = [("Site", site_fields(s))]
    out.append(("Supply", [f for f, when in supply_fields(s) if when or everything]))
    out.append(("Kit", [f for f, when in kit_fields(s) if when or everything]))
    out.append(("Backup", [f for f, when in backup_fields(s) if when or everything]))
    out.append(("Generator", [f for f, when in generator_fields(s) if when or everything]))
    out.append(
        ("PV inverter already there", [f for f, when in existing_fields(s) if when or everything])
    )
    methods: Choices = tuple(s.book.methods.items())
    others: Choices = (("", "—"), *named(shelf.modules))
    takes = s.inverter is None or bool(s.inverter.trackers) or s.controllers > 0
    out.append(
        (
            "Strings",
            [
                f
                for i in range(rows)
                for f in string_fields(i, methods, s, others, everything)
                for f in show(f, takes)
            ],
        )
    )
    out.append(
        (
            "Runs",
            [
                f
                for x in (FAMILIES if everything else run_families(s))
                for f in run_fields(x, methods, everything or s.book.working_space)
            ],
        )
    )
    return [
        (title, [replace(f, reshapes=f.path in RESHAPES) for f in fields])
        for title, fields in out
        if fields
    ]
