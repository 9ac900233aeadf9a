"""Interval readings as XML of the Energy Services Provider Interface (NAESB REQ.21, used by Green
Button data).

    IntervalBlock / IntervalReading / timePeriod (start: s since 1970 UTC; duration: s), value
    ReadingType: uom (72 Wh, 38 W), powerOfTenMultiplier, flowDirection (1 drawn, 19 sold)

Read as a stream; anything else in the feed is passed over.
"""

from __future__ import annotations

from array import array
from dataclasses import dataclass
from typing import IO, Any
from xml.etree.ElementTree import Element, ParseError

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import iterparse

from gumboot.core.energy.year import Readings
from gumboot.imports.interval import LEAST_DAYS, Raw, Report, Unreadable, to_year

WH_UOM, W_UOM = 72, 38
SOLD = 19


@dataclass(frozen=True)
class ReadingType:
    """What a value means."""

    uom: int
    multiplier: int
    flow: int


def local_name(tag: str) -> str:
    """A tag without its namespace."""
    return tag.rsplit("}", 1)[-1]


def read_espi(
    file: IO[bytes], zone: str | None, longitude_deg: float | None
) -> tuple[Readings, Report]:
    """A year of readings. Raises Unreadable, with the line where the XML breaks."""
    report = Report()
    types: dict[str, ReadingType] = {}
    related: dict[str, list[str]] = {}
    blocks: list[tuple[str, array[int], array[int], array[float]]] = []
    try:
        _walk(file, types, related, blocks, report)
    except ParseError as exc:
        line = exc.position[0]
        if not blocks:
            raise Unreadable(
                f"The XML breaks at line {line}: {exc.msg}. Download the file again."
            ) from exc
        report.repaired.append(f"The XML breaks at line {line}: what stood before it was read.")
    except DefusedXmlException as exc:
        raise Unreadable(
            "The XML declares entities, which no meter's file needs: it was not read."
        ) from exc
    if not blocks:
        raise Unreadable(
            "The XML holds no IntervalBlock with readings. Download “interval usage” as ESPI, or"
            " Green Button, XML."
        )
    return to_year(_joined(types, related, blocks, report), zone, longitude_deg, report), report


def _walk(
    file: IO[bytes],
    types: dict[str, ReadingType],
    related: dict[str, list[str]],
    blocks: list[Any],
    report: Report,
) -> None:
    href = ""
    links: list[str] = []
    block: tuple[array[int], array[int], array[float]] | None = None
    for event, element in iterparse(file, events=("start", "end"), forbid_dtd=True):
        name = local_name(element.tag)
        if event == "start":
            if name == "entry":
                href, links, block = "", [], None
            continue
        if name == "link":
            rel, to = element.get("rel", ""), element.get("href", "")
            if rel == "self":
                href = to
            links.append(to)
        elif name == "ReadingType":
            types[href] = ReadingType(
                _int(element, "uom", WH_UOM),
                _int(element, "powerOfTenMultiplier", 0),
                _int(element, "flowDirection", 1),
            )
        elif name == "IntervalReading":
            block = block or (array("q"), array("q"), array("d"))
            _take(element, block, report)
        elif name == "IntervalBlock" and block:
            blocks.append((" ".join([href, *links]), *block))
            block = None
        elif name == "MeterReading" or (name == "entry" and href and href in related):
            related[href] = list(links)
        if name in ("IntervalReading", "entry"):
            element.clear()


def _take(
    element: Element, block: tuple[array[int], array[int], array[float]], report: Report
) -> None:
    found = {local_name(e.tag): (e.text or "").strip() for e in element.iter()}
    try:
        start, duration, value = int(found["start"]), int(found["duration"]), float(found["value"])
    except (KeyError, ValueError):
        report.skip(0, "a reading without start, duration or value")
        return
    block[0].append(start)
    block[1].append(duration)
    block[2].append(value)


def _int(element: Element, name: str, otherwise: int) -> int:
    for e in element:
        if local_name(e.tag) == name and (e.text or "").strip().lstrip("-").isdigit():
            return int(e.text or "")
    return otherwise


def _type_of(
    where: str, types: dict[str, ReadingType], related: dict[str, list[str]]
) -> ReadingType | None:
    """The reading type a block belongs to, by the links of its feed; the only one when there is
    one.
    """
    if len(types) == 1:
        return next(iter(types.values()))
    for meter, links in related.items():
        if meter and meter in where:
            return next((types[to] for to in links if to in types), None)
    return None


def _joined(
    types: dict[str, ReadingType], related: dict[str, list[str]], blocks: list[Any], report: Report
) -> Raw:
    parts = []
    sold = 0
    for where, start, duration, value in blocks:
        kind = _type_of(where, types, related)
        if kind is None:
            kind = ReadingType(WH_UOM, 0, 1)
            if "No unit is named: values are taken as Wh." not in report.found:
                report.found.append("No unit is named: values are taken as Wh.")
        if kind.flow == SOLD:
            sold += len(start)
            continue
        if kind.uom not in (WH_UOM, W_UOM):
            raise Unreadable(
                f"The readings are of unit {kind.uom}; energy in Wh (72) or power in W (38) is"
                " needed."
            )
        length = np.array(duration, np.int64)
        if len(length) and int(np.median(length)) > 3600:
            raise Unreadable(
                f"Readings are {int(np.median(length)) / 3600:g} hours long. Readings of an hour or"
                f" less are needed, for at least {LEAST_DAYS} days."
            )
        wh = np.array(value) * 10.0**kind.multiplier
        parts.append(
            (np.array(start, np.int64), length, wh * length / 3600 if kind.uom == W_UOM else wh)
        )
    if report.bad:
        report.repaired.append(
            f"{report.bad} readings without start, duration or value are left out."
        )
    if sold:
        report.found.append(f"{sold} readings of what was sold are passed over.")
    if not parts:
        raise Unreadable(
            "The file holds only what was sold to the grid; what the house drew is needed."
        )
    start, length, wh = (np.concatenate(p) for p in zip(*parts, strict=True))
    return Raw(start, np.maximum(length, 0), wh)
