"""Places of the world by name: where they lie, whose clock they keep, which book and supply houses
there go by.

Cities are those of the IANA time zone database (public domain), with its coordinates; the United
States by state, at its middle to a degree (from memory); any other town of 15,000 people or more
from GeoNames (CC BY 4.0), or two numbers, which take clock and land of the nearest town. A job's
own latitude replaces them.
"""

from __future__ import annotations

import csv
import gzip
import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from math import cos, hypot, radians

from gumboot.core.codes.book import Book
from gumboot.core.codes.books import book_for

FAR_N_DEG = 66.0  # the sun's year is not worked out beyond
NUMBERS = re.compile(r"([+-]?\d+(?:\.\d+)?) ?°? ?([ns])?[ ,;]+([+-]?\d+(?:\.\d+)?) ?°? ?([ew])?")
SAINTS = ("saint", "sankt", "sint", "san", "st.")
PLAINER = str.maketrans(
    {"ß": "ss", "ø": "o", "æ": "ae", "œ": "oe", "ł": "l", "đ": "d", "ð": "d", "þ": "th", "ı": "i"}
)
ALSO_CALLED = {"united kingdom": "gb", "uk": "gb", "england": "gb", "scotland": "gb", "wales": "gb"}
ALSO_CALLED |= {"usa": "us", "u.s.": "us", "holland": "nl", "korea": "kr", "czech republic": "cz"}


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
    data, lands = files("tzdata") / "zoneinfo", _lands()
    found = [
        Place(f"{_city(zone)}, {lands[land]}", *_degrees(at), zone, land)
        for land, at, zone, *_ in _rows((data / "zone.tab").read_text())
        if land != "US"
    ]
    for r in _states():
        at = float(r["latitude_deg"]), float(r["longitude_deg"])
        found.append(Place(f"{r['name']}, United States", *at, r["zone"], "US"))
    near = [p for p in found if abs(p.latitude_deg) <= FAR_N_DEG]
    return {_plain(p.name): p for p in sorted(near, key=lambda p: p.name)}


@lru_cache(maxsize=1)
def towns() -> dict[str, list[str]]:
    """Rows of towns by each of their names in small letters, of one name the largest first."""
    text = gzip.decompress((files("gumboot.imports") / "towns.tsv.gz").read_bytes()).decode()
    found: dict[str, list[str]] = {}
    for row in text.splitlines():
        for name in {_folded(x) for x in row.partition("\t")[0].split("|")}:
            found.setdefault(name, []).append(row)
    return found


def _town(row: str) -> Place:
    _, name, region, land, north, east, zone = row.split("\t")
    lies = ", ".join(x for x in (name, region, _lands().get(land, land)) if x)
    return Place(lies, float(north), float(east), zone, land)


def place(typed: str) -> Place | None:
    """The place a text names: in full, or the one whose name before the comma it is; a town, the
    largest of its name unless its land or state stands behind it; latitude and longitude.
    """
    text = " ".join(_plain(typed).split())
    whole = places().get(text)
    if whole or not text:
        return whole
    if numbers := NUMBERS.fullmatch(text):
        return _at(*numbers.groups())
    starts = [p for k, p in places().items() if k.split(",")[0] == text]
    return starts[0] if len(starts) == 1 else next(iter(_named(text)), None)


def namesakes(typed: str, most: int = 3) -> tuple[str, ...]:
    """Other towns that the same text might mean, the larger first."""
    text, found = " ".join(_plain(typed).split()), place(typed)
    own = (p for p in _named(text) if _plain(p.name).startswith(text.split(",")[0]))
    return tuple(p.name for p in own if found and _far(p, found))[:most]


def _named(text: str) -> tuple[Place, ...]:
    name, _, land = (x.strip() for x in text.partition(","))
    land = ALSO_CALLED.get(land, land)
    begins = next((x for x in ("st. ", "st ") if name.startswith(x)), "")
    saints = [f"{x} {name.removeprefix(begins)}" for x in SAINTS] if begins else []
    found = (_town(row) for x in (name, *saints) for row in towns().get(x, ()))
    return tuple(p for p in found if not land or _lies_in(p, land))


def _lies_in(p: Place, land: str) -> bool:
    """Whether a text names a place's state or land: by a part of its name, or its two letters."""
    parts = [_plain(x).strip() for x in p.name.split(",")[1:]]
    letters = {p.country, *(r["short"] for r in _states() if r["name"].lower() == parts[0])}
    return land.upper() in letters or land in parts or any(land in x.split() for x in parts)


def _far(a: Place, b: Place) -> bool:
    return abs(a.latitude_deg - b.latitude_deg) + abs(a.longitude_deg - b.longitude_deg) > 1


def _at(north: str, n_s: str | None, east: str, e_w: str | None) -> Place | None:
    """Two numbers, with clock and land of the nearest town; None where the sun is not known."""
    lat = float(north) * (-1 if n_s == "s" else 1)
    lon = float(east) * (-1 if e_w == "w" else 1)
    if abs(lat) > FAR_N_DEG or abs(lon) > 180:
        return None

    def off(row: str) -> float:
        there, along = (float(x) for x in row.split("\t")[4:6])
        turned = (along - lon + 180) % 360 - 180
        return hypot(there - lat, turned * cos(radians(lat)))

    near = _town(min((row for rows in towns().values() for row in rows), key=off))
    return Place(f"{lat:g}, {lon:g}, near {near.name}", lat, lon, near.zone, near.country)


@lru_cache(maxsize=1)
def _states() -> tuple[dict[str, str], ...]:
    rows = (files("gumboot.imports") / "us_states.csv").read_text().splitlines()
    return tuple(csv.DictReader(rows))


@lru_cache(maxsize=1)
def _lands() -> dict[str, str]:
    return dict(_rows((files("tzdata") / "zoneinfo" / "iso3166.tab").read_text()))


def _plain(text: str) -> str:
    """In small letters without accents, as the database writes its cities: "são paulo"."""
    apart = unicodedata.normalize("NFKD", text.lower())
    return _folded("".join(c for c in apart if not unicodedata.combining(c)))


def _folded(text: str) -> str:
    """Letters that no accent can be taken from, as keyboards without them write them."""
    return text.translate(PLAINER)


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
