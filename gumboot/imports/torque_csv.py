"""Readings of a recording wrench as CSV: columns found by what their heads say, units in a column,
in the head or with the number.
"""

from __future__ import annotations

import csv
import io
import re
from dataclasses import dataclass

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.land.matching import Recorded
from gumboot.imports.interval import Unreadable

MOST_ROWS = 2000
HEADS = {
    "torque": r"torque|reading|value|peak|result|moment",
    "unit": r"^units?$|torque unit",
    "at": r"time|date|when|stamp",
    "serial": r"serial|tool|wrench|device",
    "label": r"label|termination|barcode|scan|position|point",
    "n": r"^(no|n|nr|#|number|id|count|index)\.?$",
}


@dataclass(frozen=True, slots=True)
class Report:
    """What was found: which column is which, and the lines that could not be read, with why."""

    columns: dict[str, str]
    bad: tuple[tuple[int, str], ...]


def read_torque_csv(data: bytes) -> tuple[list[Recorded], Report]:
    """Readings in the order of the file. Raises Unreadable with what to send instead."""
    text = decoded(data)
    lines = [x for x in text.splitlines() if x.strip()]
    if len(lines) < 2:
        raise Unreadable(
            "the file has no readings: send a CSV with a header line and a line for each reading"
        )
    if len(lines) > MOST_ROWS + 1:
        raise Unreadable(
            f"the file has {len(lines) - 1} readings; at most {MOST_ROWS} are taken at once"
        )
    try:
        dialect: type[csv.Dialect] | str = csv.Sniffer().sniff(
            "\n".join(lines[:20]), delimiters=",;\t|"
        )
    except csv.Error:
        dialect = "excel"
    try:
        rows = list(csv.reader(io.StringIO("\n".join(lines)), dialect))
    except csv.Error as exc:
        raise Unreadable(
            f"this is no CSV of readings ({exc}): send a line of heads and a line for each reading"
        ) from exc
    heads = [h.strip() for h in rows[0]]
    where: dict[str, int] = {}
    for i, h in enumerate(heads):
        for name, pattern in HEADS.items():
            if (
                name not in where
                and i not in where.values()
                and re.search(pattern, h, re.IGNORECASE)
            ):
                where[name] = i
    if "torque" not in where:
        raise Unreadable(
            f"no column is called torque or reading; the heads are: {', '.join(heads)[:200]}. Name"
            " one so, with its unit: torque_nm, torque (in-lb)"
        )
    in_head = re.search(
        r"[\[(_ ](n.?m|in.?lbs?|ft.?lbs?)[\])]?\s*$", heads[where["torque"]], re.IGNORECASE
    )
    unit_of_head = in_head[1].replace("_", "") if in_head else ""
    out: list[Recorded] = []
    bad: list[tuple[int, str]] = []
    for number, row in enumerate(rows[1:], 2):
        cells = {k: row[i].strip() if i < len(row) else "" for k, i in where.items()}
        unit = cells.get("unit", "") or unit_of_head
        bare = re.fullmatch(r"[-+\d.,]+", cells["torque"]) is not None
        if bare and not unit:
            bad.append(
                (
                    number,
                    (
                        f"“{cells['torque']}” has no unit: add a column called unit, or the unit to"
                        " the head"
                    ),
                )
            )
            continue
        try:
            typed = f"{cells['torque']} {unit}" if bare else cells["torque"]
            nm = round(parse(typed, "torque"), 4)
            if not 0 < nm <= 1000:
                raise NotAQuantity(f"“{typed}” cannot be")
        except NotAQuantity as exc:
            bad.append((number, str(exc)))
            continue
        own = cells.get("n", "")
        out.append(
            Recorded(
                int(own) if own.isdecimal() and len(own) < 10 else number - 1,
                nm,
                typed[:60],
                cells.get("at", "")[:40],
                cells.get("serial", "")[:60],
                cells.get("label", "")[:300],
            )
        )
    if not out:
        raise Unreadable(
            "no line holds a torque: " + "; ".join(f"line {n}: {why}" for n, why in bad[:3])
        )
    return out, Report({k: heads[i] for k, i in where.items()}, tuple(bad))


def decoded(data: bytes) -> str:
    """The text of a file in UTF-8, with or without a mark, or in Windows' western code page. Raises
    Unreadable for what is no text.
    """
    if b"\x00" in data:
        raise Unreadable("this is no text file: send the readings as CSV")
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace")
