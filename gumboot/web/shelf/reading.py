"""An entry of the shelf as its form shows it, and back."""

from __future__ import annotations

import contextlib
import copy
import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any

from pydantic import ValidationError

from gumboot.core.basis import units
from gumboot.core.basis.patch import lookup
from gumboot.core.kit import entry
from gumboot.web.job.saving import NEEDED, plain_faults
from gumboot.web.pages.form import Field, convert, put, show, want
from gumboot.web.shelf.sheets import Sheet
from gumboot.web.shelf.sheets.parts import Document, Many, Rows

Typed = dict[str, str]


@dataclass
class Form:
    """A form of an entry: what stands in each field, how many rows of each kind, what is wrong."""

    typed: Typed
    counts: dict[str, int]
    faults: dict[str, str] = field(default_factory=dict)


def rows_of(sheet: Sheet) -> Iterator[Rows]:
    """Every kind of row of a sheet."""
    return (r for section in sheet for r in section.rows)


def in_row(rows: Rows, n: int) -> list[Field]:
    """The fields of one row, by the name they have in the form; a choice may stay open there, so
    that a row nobody filled is none.
    """
    return [
        replace(
            f,
            path=f"{rows.path}/{n}/{f.path}",
            choices=(("", "—"), *f.choices) if f.choices and f.choices[0][0] else f.choices,
        )
        for f in rows.fields
    ]


def fields_of(sheet: Sheet, counts: Mapping[str, int]) -> list[Field]:
    """Every field of a form."""
    plain = [f for section in sheet for f in section.fields]
    return plain + [f for r in rows_of(sheet) for n in range(counts[r.path]) for f in in_row(r, n)]


def many(document: Document, rows: Rows) -> Many:
    """The rows that an entry has there."""
    found: Any
    try:
        found = lookup(document, rows.path)
    except KeyError:
        return []
    if rows.shape == "one":
        found = [found] if found else []
    if rows.shape == "map":
        a, b = (f.path for f in rows.columns)
        found = [{a: k, b: v} for k, v in found.items()]
    return rows.split(list(found))


def shown(value: object, f: Field, system: units.System) -> str:
    """A value of an entry in its field. What is counted by choice stands as it is."""
    return (
        ""
        if value is None
        else str(value)
        if f.choices and f.kind == "count"
        else show(value, f, system)
    )


def form_of(document: Document, sheet: Sheet, system: units.System, spare: bool = True) -> Form:
    """The form of an entry, with room for more rows."""
    typed: Typed = {}
    for f in (f for section in sheet for f in section.fields):
        typed[f.path] = _at(document, f, system)
        if not typed[f.path] and not f.optional:
            typed[f.path] = f.choices[0][0] if f.choices else "no" if f.kind == "yesno" else ""
    counts = {}
    for rows in rows_of(sheet):
        found = many(document, rows)
        counts[rows.path] = min(rows.most, max(len(found) + (rows.spare if spare else 0), 1))
        for n in range(counts[rows.path]):
            for f, plain in zip(in_row(rows, n), rows.fields, strict=True):
                typed[f.path] = _at(found[n], plain, system) if n < len(found) else ""
    return Form(typed, counts)


def _at(document: Document, f: Field, system: units.System) -> str:
    try:
        return shown(lookup(document, f.path), f, system)
    except KeyError:
        return ""


def sent(text_of: Any, sheet: Sheet) -> Form:
    """The form as it was sent; `text_of` gives the text of a name."""
    counts = {}
    for rows in rows_of(sheet):
        said = text_of(f"n.{rows.path}")
        counts[rows.path] = min(rows.most, int(said) if said.isdecimal() and len(said) < 4 else 1)
    typed = {f.path: text_of(f.path)[:400] for f in fields_of(sheet, counts)}
    return Form(typed, counts)


def read(form: Form, before: Document, sheet: Sheet, system: units.System) -> Document:
    """The entry as typed, put into `before` (its id and kind, and what the sheet does not ask);
    faults are noted in the form. What was not touched keeps its value to the last digit.
    """
    was = form_of(before, sheet, system, spare=False) if len(before) > 2 else Form({}, {})
    out = _unasked(before, sheet)
    faults: dict[str, str] = {}
    origin: dict[str, str] = {}
    for f in (f for section in sheet for f in section.fields):
        _take(form.typed, f, f, before, was.typed, out, faults, system)
    for rows in rows_of(sheet):
        old, kept, places = many(before, rows), [], []
        for n in range(form.counts[rows.path]):
            fields = in_row(rows, n)
            if not any(form.typed[f.path] for f in fields):
                continue
            own = old[n] if n < len(old) else {}
            asked = {f.path.partition("/")[0] for f in rows.fields}
            row: Document = {k: v for k, v in own.items() if k not in asked}
            for f, plain in zip(fields, rows.fields, strict=True):
                _take(form.typed, f, plain, own, was.typed, row, faults, system)
            kept.append(row)
            places.append(n)
        made = rows.join(kept)
        for i, row in enumerate(made):
            n = row.pop("_row", i)
            at = f"{rows.path}/{i}" if rows.shape == "list" else rows.path
            origin[at] = f"{rows.path}/{places[n]}"
        if made:
            _set(out, rows, made)
    form.faults = faults
    if not faults:
        form.faults = _judged(out, form, origin, fields_of(sheet, form.counts))
    return out


def _unasked(before: Document, sheet: Sheet) -> Document:
    """What of an entry its sheet does not ask."""
    out = copy.deepcopy(before)
    asked = [f.path for s in sheet for f in s.fields] + [r.path for r in rows_of(sheet)]
    for path in asked:
        *steps, last = path.split("/")
        at: Any = out
        for step in steps:
            at = at.get(step) if isinstance(at, dict) else None
        if isinstance(at, dict):
            at.pop(last, None)
    return _without_hollows(out)


def _without_hollows(document: Document) -> Document:
    out = {k: _without_hollows(v) if isinstance(v, dict) else v for k, v in document.items()}
    return {k: v for k, v in out.items() if v != {}}


def _take(
    typed: Typed,
    f: Field,
    plain: Field,
    own: Document,
    was: Typed,
    out: Document,
    faults: dict[str, str],
    system: units.System,
) -> None:
    text = typed.get(f.path, "")
    if not text:
        if not f.optional:
            faults[f.path] = _wanted(f)
        return
    if was.get(f.path) == text:
        with contextlib.suppress(KeyError):  # where it said nothing, it says nothing still
            put(out, plain.path, lookup(own, plain.path))
        return
    try:
        put(out, plain.path, convert(text, plain, system))
    except units.NotAQuantity as exc:
        faults[f.path] = str(exc)


def _set(out: Document, rows: Rows, made: Many) -> None:
    value: Any = made
    if rows.shape == "one":
        value = made[0]
    elif rows.shape == "map":
        a, b = (f.path for f in rows.columns)
        value = {str(row[a]): row[b] for row in made if a in row and b in row}
    put(out, rows.path, value)


def _judged(
    document: Document, form: Form, origin: Mapping[str, str], fields: Iterable[Field]
) -> dict[str, str]:
    """What is wrong with an entry, by the field it was typed in."""
    asked = {f.path: f for f in fields}
    try:
        entry.validate_python(document)
    except ValidationError as exc:
        told = ((_field_of(path, form, origin), says) for path, says in plain_faults(exc))
        return {
            at: _wanted(asked[at]) if says == NEEDED and at in asked else says for at, says in told
        }
    return {}


def _wanted(f: Field) -> str:
    return "choose one" if f.choices else f"type {want(f)}"


def _field_of(path: str, form: Form, origin: Mapping[str, str]) -> str:
    path = path.partition("/")[2]
    for at in sorted(origin, key=len, reverse=True):
        if path == at or path.startswith(f"{at}/"):
            path = origin[at] + path[len(at) :]
            break
    whole = path  # a fault inside a list is told where the list is typed
    while path not in form.typed and re.search(r"/\d+(/[a-z]+)?$", path):
        path = re.sub(r"/\d+(/[a-z]+)?$", "", path)
    if path in form.typed:
        return path
    path = whole
    if path.endswith("/conductor"):
        return f"{path}s" if f"{path}s" in form.typed else path
    return next((p for p in form.typed if path and p.startswith(f"{path}/")), path or "model")
