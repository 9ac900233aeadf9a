"""No text of a one-line drawing lies on a line, a symbol, the edge of a box or another text:
checked
by geometry, with the metrics of the fonts that ship.
"""

import itertools
import re
import xml.etree.ElementTree as ET
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import pytest
from fontTools.ttLib import TTFont

import gumboot
from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from gumboot.drawings.one_line import one_line
from tests.designs import design
from tests.shapes import SHAPES

FONTS = Path(gumboot.__file__).parent / "web" / "static" / "fonts"
DEMO = {
    p["site"]["name"]: p
    for p in (HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW)
}
SIZES = {"tiny": 9.5, "badge-text": 9.5, "mono": 11, "small": 10.5}  # as drawing.css has them
HAIR = 0.5  # px that glyphs may touch


class Area(NamedTuple):
    """A rectangle in px, what stands there, and its classes."""

    left: float
    top: float
    right: float
    bottom: float
    what: str
    classes: tuple[str, ...] = ()

    def meets(self, other, by=HAIR):
        across = self.left < other.right - by and other.left < self.right - by
        return across and self.top < other.bottom - by and other.top < self.bottom - by

    def within(self, other):
        across = other.left <= self.left + HAIR and self.right <= other.right + HAIR
        return across and other.top <= self.top + HAIR and self.bottom <= other.bottom + 1.5


@lru_cache
def font(name):
    found = TTFont(FONTS / name)
    return found.getBestCmap(), found["hmtx"].metrics, found["head"].unitsPerEm


def width(words, classes, size):
    family = "mono-" if "mono" in classes else ""
    weight = 700 if {"strong", "badge-text"} & set(classes) else 400
    cmap, metrics, em = font(f"atkinson-hyperlegible-{family}latin-{weight}-normal.woff2")
    glyphs = (metrics.get(cmap.get(ord(c), ".notdef"), (em // 2, 0))[0] for c in words)
    return sum(glyphs) / em * size


def text_area(e, classes):
    size = next((v for k, v in SIZES.items() if k in classes), 12)
    words = e.text or ""
    wide, x, y = width(words, classes, size), float(e.get("x")), float(e.get("y"))
    left = x - wide * {"middle": 0.5, "end": 1.0}.get(e.get("text-anchor"), 0.0)
    return Area(left, y - 0.72 * size, left + wide, y + 0.2 * size, words, classes)


def lines_of(e, classes):
    thick = 5 if "bar" in classes else 1 if "slash" in classes else 3
    points = [tuple(map(float, p.split())) for p in e.get("d")[1:].split(" L")]
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        half = thick / 2
        yield Area(
            min(x0, x1) - half,
            min(y0, y1) - half,
            max(x0, x1) + half,
            max(y0, y1) + half,
            classes[0],
        )


def faults(svg):
    """What lies on what, in words."""
    texts, lines, boxes, cleared = [], [], [], []
    for e in ET.fromstring(re.sub(r' xmlns="[^"]+"', "", svg)).iter():
        classes = tuple((e.get("class") or "").split())
        if e.tag == "text":
            texts.append(text_area(e, classes))
        elif e.tag == "path" and {"run", "bar", "feed", "link", "slash", "ct"} & set(classes):
            lines += lines_of(e, classes)
        elif e.tag == "rect":
            x, y, w, h = (float(e.get(k)) for k in ("x", "y", "width", "height"))
            area = Area(x, y, x + w, y + h, " ".join(classes))
            if "ground" in classes or "badge" in area.what:
                cleared.append(area)  # drawn over the links, under its words
            elif {"body", "house", "device"} & set(classes):
                boxes.append(area)
    for i, t in enumerate(texts):
        free = any(t.within(g) for g in cleared)
        yield from (
            f"“{t.what}” on a {x.what}"
            for x in lines
            if t.meets(x) and not (free and x.what == "link")
        )
        yield from (f"“{t.what}” on “{u.what}”" for u in texts[i + 1 :] if t.meets(u, 0.8))
        yield from (
            f"“{t.what}” on the edge of a {r.what}" for r in boxes if t.meets(r) and not t.within(r)
        )


@pytest.mark.parametrize("name", [*SHAPES, *DEMO])
def test_nothing_is_written_over(name):
    plan = Plan.model_validate({**SHAPES, **DEMO}[name])
    assert list(faults(one_line(design(plan, catalogue()), standalone=True))) == []


def test_the_check_can_fail():
    svg = '<svg><path class="run" d="M0 10 L90 10"/><text x="5" y="13" class="mono">C1</text></svg>'
    assert list(faults(svg)) == ["“C1” on a run"]
