"""Label sheets and placards as HTML to print, and labels as CSV for label printers. QR codes by
segno.
"""

from __future__ import annotations

import io
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from urllib.parse import quote

import segno

from gumboot.core.kit import LabelStock
from gumboot.core.land.labels import Label
from gumboot.exports.materials import as_csv

PAPER = {"a4": (210.0, 297.0), "letter": (215.9, 279.4)}


def qr_svg(text: str) -> str:
    """A QR code (ISO/IEC 18004, level M) as an SVG that scales to its box."""
    out = io.BytesIO()
    segno.make(text, error="m", micro=False).save(
        out, kind="svg", xmldecl=False, svgns=True, omitsize=True, border=2
    )
    return out.getvalue().decode()


def link(base: str, job_id: int, key: str) -> str:
    """The address of a termination, as its QR code has it."""
    return f"{base}jobs/{job_id}/land?at={quote(key, safe='')}"


@dataclass(frozen=True, slots=True)
class Conditions:
    """One label at its place on a sheet, mm from the sheet's left upper corner."""

    x: float
    y: float
    label: Label
    qr: str


def sheets(
    labels: Sequence[Label], stock: LabelStock, base: str, job_id: int, skip: int = 0
) -> Iterator[list[Conditions]]:
    """Label by label on sheet by sheet; `skip` places of the first sheet are used up already."""
    each = stock.across * stock.down
    places: list[Conditions] = []
    for n, label in enumerate(labels, skip):
        k = n % each
        if k == 0 and places:
            yield places
            places = []
        x, y = (
            stock.left + (k % stock.across) * stock.pitch_x,
            stock.top + (k // stock.across) * stock.pitch_y,
        )
        places.append(
            Conditions(round(x, 3), round(y, 3), label, qr_svg(link(base, job_id, label.key)))
        )
    if places:
        yield places


def labels_csv(labels: Sequence[Label], base: str, job_id: int) -> str:
    """One line a label, in order: its lines and the address for a QR code."""
    return as_csv(
        ("order", "line1", "line2", "line3", "line4", "qr", "termination"),
        (
            (str(i), *(list(x.lines) + [""] * 4)[:4], link(base, job_id, x.key), x.key)
            for i, x in enumerate(labels, 1)
        ),
    )
