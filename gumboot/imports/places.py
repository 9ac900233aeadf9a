"""Places of the world by name: where they lie, whose clock they keep, which book and supply houses
there go by.

Cities are those of the IANA time zone database (public domain), with its coordinates; the United
States by state, at its middle to a degree (from memory). A job's own latitude replaces them.
"""

from __future__ import annotations

import csv
import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files

from gumboot.core.codes.book import Book
from gumboot.core.codes.books import book_for

FAR_N_DEG = 66.0  # the sun's year is not worked out beyond


@dataclass(frozen=True, slots=True)
class Place:
    """A place: degrees north and east, IANA zone, two letters of its country."""

    name: str
    latitude_deg: float
    longitude_deg: float
    zone: str
    country: str

    @property
    def book(self) -> Book:
        """The code book that is proposed."""
        return book_for(self.country)


@lru_cache(maxsize=1)
def places() -> dict[str, Place]:
    """Every place by its name in small letters, in the order of the alphabet."""
    data = files("tzdata") / "zoneinfo"
    lands = dict(_rows((data / "iso3166.tab").read_text()))
    found = [
        Place(f"{_city(zone)}, {lands[land]}", *_degrees(at), zone, land)
        for land, at, zone, *_ in _rows((data / "zone.tab").read_text())
        if land != "US"
    ]
    states = (files("gumboot.imports") / "us_states.csv").read_text().splitlines()
    for r in csv.DictReader(states):
        at = float(r["latitude_deg"]), float(r["longitude_deg"])
        found.append(Place(f"{r['name']}, United States", *at, r["zone"], "US"))
    near = [p for p in found if abs(p.latitude_deg) <= FAR_N_DEG]
    return {_plain(p.name): p for p in sorted(near, key=lambda p: p.name)}


def place(typed: str) -> Place | None:
    """The place a text names: in full, or the one whose name before the comma it is."""
    text = " ".join(_plain(typed).split())
    whole = places().get(text)
    if whole or not text:
        return whole
    starts = [p for k, p in places().items() if k.split(",")[0] == text]
    return starts[0] if len(starts) == 1 else None


def _plain(text: str) -> str:
    """In small letters without accents, as the database writes its cities: "são paulo"."""
    apart = unicodedata.normalize("NFKD", text.lower())
    return "".join(c for c in apart if not unicodedata.combining(c))


def _rows(text: str) -> list[list[str]]:
    return [r.split("\t") for r in text.splitlines() if r and not r.startswith("#")]


def _city(zone: str) -> str:
    return zone.rsplit("/", 1)[1].replace("_", " ")


def _degrees(text: str) -> tuple[float, float]:
    """ISO 6709 as the database writes it: ±DDMM±DDDMM, or with seconds."""
    north, east = re.findall(r"[+-]\d+", text)
    return _angle(north, 2), _angle(east, 3)


def _angle(text: str, wide: int) -> float:
    sign, digits = (-1 if text[0] == "-" else 1), text[1:]
    parts = [digits[:wide], digits[wide : wide + 2], digits[wide + 2 :] or "0"]
    d, m, s = (int(x) for x in parts)
    return round(sign * (d + m / 60 + s / 3600), 2)
