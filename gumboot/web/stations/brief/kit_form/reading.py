"""Typed texts to and from a plan."""

from __future__ import annotations

import copy
from collections.abc import Mapping
from typing import Any

from gumboot.core.basis import units
from gumboot.core.basis.finding import Change as Patch
from gumboot.core.basis.patch import apply, lookup
from gumboot.core.codes.book import Book
from gumboot.core.kit import Catalogue
from gumboot.core.plan import TEMPERATURES, Plan
from gumboot.web.job import saving
from gumboot.web.pages.form import Field, convert, put, show, want
from gumboot.web.stations.brief.kit_form.asked import sections
from gumboot.web.stations.brief.kit_form.shape import book_of

STRING_TYPED = (
    "letter",
    "inverter",
    "tracker",
    "modules",
    "tilt_deg",
    "azimuth_deg",
    "run/length_m",
)  # what a person types in a row


RUN_TYPED = ("length_m", "in_raceway", "ambient_c", "raceway")
WHOLES = (
    "kit/generator",
    "kit/existing_pv",
    "kit/more_pv/0",
    "kit/port_use",
)  # parts of a plan that are there when their power is typed
RESET = (
    "kit/pack",
    "kit/packs",
    "kit/series",
    "kit/towers",
    "kit/module",
    "kit/controller",
    "kit/controllers",
    "kit/gateway",
    "kit/meter",
    "kit/ct",
    "kit/banks",
    "kit/hookup",
    "kit/pack_fuses",
    "kit/lines",
)  # what another kit leaves behind


def typed_of(
    plan: dict[str, Any], rows: int, system: units.System, shelf: Catalogue
) -> dict[str, str]:
    """What the form shows for a plan: every field there is, whether this kit asks for it or not."""
    out = {}
    for _, section in sections({}, rows, shelf, everything=True):
        for field in section:
            try:
                out[field.path] = show(lookup(plan, field.path), field, system)
                if field.path.removeprefix("site/") in plan.get("site", {}).get("guessed", ()):
                    out[field.path] = ""
            except KeyError:
                out[field.path] = _first(field, book_of(plan))
    return out


def _first(field: Field, book: Book) -> str:
    """What an empty field starts with."""
    if field.kind == "yesno":
        return "yes" if field.path.endswith("interlock") else "no"
    if field.path.endswith("/method"):
        return book.method_first
    if field.path in ("kit/inverters", "kit/series", "kit/controllers") or field.path.endswith(
        "/parallel"
    ):
        return "1"
    return field.choices[0][0] if field.choices else ""


def of_the_book(typed: dict[str, str]) -> dict[str, str]:
    """Ways of running cable that the chosen book has no table for become its first; seen on the
    form before anything is saved.
    """
    book = book_of(typed)
    return {
        k: book.method_first if k.endswith("/method") and v not in book.methods else v
        for k, v in typed.items()
    }


def typed_in(text_of: Any, rows: int, shelf: Catalogue) -> dict[str, str]:
    """Every field of a sent form; `text_of` gives the text of a name."""
    every = sections({}, rows, shelf, everything=True)
    return {f.path: text_of(f.path) for _, s in every for f in s}


def used_rows(typed: Mapping[str, str], rows: int) -> list[int]:
    """The string rows in which anything was typed; the others are left out of the plan."""
    return [i for i in range(rows) if any(typed.get(f"strings/{i}/{k}") for k in STRING_TYPED)]


def read_form(
    typed: dict[str, str], before: dict[str, Any], rows: int, shelf: Catalogue
) -> tuple[dict[str, Any], dict[str, str]]:
    """(the plan document, message by field path). What the form does not show is kept from
    `before`.
    """
    plan: dict[str, Any] = copy.deepcopy(before)
    faults: dict[str, str] = {}
    system: units.System = "si" if typed.get("units") == "si" else "us"
    was = typed_of(before, rows, before.get("units", system), shelf) if before.get("site") else {}
    asked = sections(typed, rows, shelf)
    shown = {f.path for _, s in asked for f in s}
    runs = {f.split("/")[1] for f in shown if f.startswith("runs/")}
    plan["strings"], plan["runs"] = (
        [],
        {k: v for k, v in before.get("runs", {}).items() if k not in runs},
    )
    plan = apply(
        plan, [Patch(p, None) for p in RESET if p not in shown and p.split("/")[0] in plan]
    )
    place = {i: n for n, i in enumerate(used_rows(typed, rows))}
    for title, section in asked:
        for field in section:
            _read_field(title, field, typed, before, was, plan, faults, place, system)
    if "site" in plan:
        plan["site"]["guessed"] = [t for t in TEMPERATURES if not typed.get(f"site/{t}")]
    for whole in WHOLES:
        there = f"{whole}/power_w" in shown and typed.get(f"{whole}/power_w")
        if not there and "kit" in plan:
            plan["kit"].pop(whole.split("/")[1], None)
    return plan, faults


def _read_field(
    title: str,
    field: Field,
    typed: dict[str, str],
    before: dict[str, Any],
    was: dict[str, str],
    plan: dict[str, Any],
    faults: dict[str, str],
    place: dict[int, int],
    system: units.System,
) -> None:
    path, text = field.path, typed.get(field.path, "")
    if title == "Strings":
        row = int(path.split("/")[1])
        if row not in place:
            return
        needed = not path.endswith(("_deg", "/module", "/rows"))
        path = path.replace(f"strings/{row}/", f"strings/{place[row]}/", 1)
    elif title == "Runs":
        family = field.path.split("/")[1]
        if not any(typed.get(f"runs/{family}/{k}") for k in RUN_TYPED):
            return
        needed = path.endswith(("length_m", "method"))
    else:
        needed = not field.optional
    if not text:
        if needed:
            faults[field.path] = f"type {want(field)}"
        elif not path.startswith(("strings", "runs", *WHOLES)):
            change = Patch(
                path,
                (
                    None
                    if field.kind != "text" or path in ("supply/service_size", "site/zone")
                    else ""
                ),
            )
            plan.update(apply(plan, [change]))
        return
    try:
        same = was.get(field.path) == text and system == before.get("units")
        value = _kept(before, field) if same else convert(text, field, system)
        put(plan, path, convert(text, field, system) if value is None else value)
    except units.NotAQuantity as exc:
        faults[field.path] = str(exc)


def _kept(before: dict[str, Any], field: Field) -> object:
    """The value as it was, to its last digit; None when it was a default that the plan does not
    hold.
    """
    try:
        return lookup(before, field.path)
    except KeyError:
        return None


def checked(
    typed: dict[str, str], before: dict[str, Any], rows: int, shelf: Catalogue
) -> tuple[Plan | None, dict[str, str]]:
    """(the plan, faults by field path) of a typed form."""
    document, faults = read_form(typed, before, rows, shelf)
    if faults:
        return None, faults
    used = used_rows(typed, rows)

    def field(path: str) -> str:
        step = path.split("/")
        if len(step) > 2 and step[0] == "strings":
            return "/".join(["strings", str(used[int(step[1])]), *step[2:]])
        no_field = {"site": "site/t_min_c", "": f"strings/{used[-1] if used else 0}/letter"}
        return no_field.get(path, path)

    plan, faults = saving.checked(document, field)
    if "supply/service_size" in faults:
        faults["supply/service_size"] = "type a size as the book has it, such as 4/0"
    return plan, faults
