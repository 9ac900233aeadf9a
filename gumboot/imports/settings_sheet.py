"""A sheet of settings: CSV with a head, our own JSON, or a SunSpec device file (JSON with models of
points). What it says is read; whether the menu takes it, Set judges.
"""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from gumboot.imports.interval import Unreadable

MOST_LINES, MOST_BYTES = 2000, 1_000_000
HEADS = {
    "key": ("key", "id"),
    "number": ("number", "no", "nr"),
    "label": ("line", "label", "name", "setting"),
    "value": ("value",),
    "unit_no": ("unit", "inverter"),
}


@dataclass(frozen=True, slots=True)
class Row:
    """One line as a sheet has it. at: where in the file. names it by key, by number as the display
    counts, by label, or by SunSpec model and point; unit_no: of which unit, 0 where it says none.
    """

    at: str
    value: str
    key: str = ""
    number: str = ""
    label: str = ""
    sunspec: str = ""
    unit_no: int = 0


def read_sheet(data: bytes) -> list[Row]:
    """The lines of a sheet, in its order. Raises Unreadable with what to send instead."""
    if len(data) > MOST_BYTES:
        raise Unreadable("The file is larger than any sheet of settings: send the sheet alone.")
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as exc:
        raise Unreadable("The file is not text: send a sheet as CSV or JSON, in UTF-8.") from exc
    rows = list(_of_json(text) if text.lstrip()[:1] in ("{", "[") else _of_csv(text))
    if not rows:
        raise Unreadable("The file has no lines with a value.")
    if len(rows) > MOST_LINES:
        raise Unreadable(f"The file has {len(rows)} lines; at most {MOST_LINES} are taken.")
    return rows


def _of_csv(text: str) -> Iterator[Row]:
    try:
        dialect: type[csv.Dialect] | str = csv.Sniffer().sniff(text[:4000], delimiters=",;\t")
    except csv.Error:
        dialect = "excel"
    try:
        rows = [r for r in csv.reader(io.StringIO(text), dialect) if any(c.strip() for c in r)]
    except csv.Error as exc:
        raise Unreadable(f"This is no CSV ({exc}).") from exc
    heads = [h.strip().lower() for h in rows[0]] if rows else []
    where = {
        name: next((heads.index(w) for w in words if w in heads), -1)
        for name, words in HEADS.items()
    }
    if where["value"] < 0 or all(where[k] < 0 for k in ("key", "number", "label")):
        raise Unreadable(
            "The first line must name the columns: “value”, and “key”, “number” or “line”; it says:"
            f" {', '.join(heads)[:200]}."
        )
    for n, r in enumerate(rows[1:], 2):
        cell = {k: r[i].strip().lstrip("'") if 0 <= i < len(r) else "" for k, i in where.items()}
        if cell["value"]:
            unit = int(cell["unit_no"]) if cell["unit_no"].isdecimal() else 0
            at, value = f"line {n}", cell["value"]
            yield Row(at, value, cell["key"], cell["number"], cell["label"], "", unit)


def _of_json(text: str) -> Iterator[Row]:
    try:
        data = json.loads(text)
    except (ValueError, RecursionError) as exc:
        raise Unreadable(f"This is no JSON: {str(exc)[:100]}.") from exc
    if isinstance(data, dict) and isinstance(data.get("models"), list):
        yield from _of_models(data["models"])
        return
    lines = data.get("lines") if isinstance(data, dict) else data
    if not isinstance(lines, list):
        raise Unreadable("The JSON holds neither “lines” nor SunSpec “models”.")
    for n, x in enumerate(lines, 1):
        if isinstance(x, dict) and x.get("value") not in (None, ""):
            key, number, label = (str(x.get(k, "") or "") for k in ("key", "number", "label"))
            unit = x.get("unit_no", 0)
            unit_no = unit if isinstance(unit, int) else 0
            yield Row(f"line {n}", _plain(x["value"]), key, number, label, "", unit_no)


def _of_models(models: list[Any]) -> Iterator[Row]:
    """Points with their scale factors, as SunSpec keeps them: the point's value times ten to the
    power of the factor beside it, named as the model's definition names it.
    """
    from sunspec2.device import ModelError, get_model_def

    for m in models:
        if not isinstance(m, dict) or not isinstance(m.get("ID"), int):
            continue
        try:
            points = get_model_def(m["ID"])["group"]["points"]
        except (ModelError, KeyError, TypeError):
            points = []
        factor = {p["name"]: p.get("sf") for p in points}
        for name, value in m.items():
            if name in ("ID", "L") or isinstance(value, bool | dict | list | None):
                continue
            sf = factor.get(name)
            by = m.get(sf) if isinstance(sf, str) else sf
            if isinstance(value, int | float) and isinstance(by, int) and -10 <= by <= 10:
                value = round(value * 10.0**by, 10)
            yield Row(f"model {m['ID']}, {name}", _plain(value), sunspec=f"{m['ID']}.{name}")


def _plain(value: Any) -> str:
    return f"{value:.10g}" if isinstance(value, float) else str(value)[:100]
