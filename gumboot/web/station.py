"""What a station is: a tread of the job's page, its routes, and a short word on how far it is.

A station registers itself by standing in `gumboot.web.stations.STATIONS`; treads, routes, and the
walks of the tests follow from there.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from fastapi import APIRouter

if TYPE_CHECKING:
    from gumboot.web.job.opening import OpenJob


@dataclass(frozen=True)
class Station:
    """One station of the job's way.

    id: as it stands in addresses; name: on the tread; progress: a short word on how far it is, by
    version, design and log alone; routers: all its routes; pages: the addresses below the job that
    a person opens, walked by the tests of accessibility.
    """

    id: str
    name: str
    progress: Callable[[OpenJob], str]
    routers: tuple[APIRouter, ...]
    pages: tuple[str, ...]


_stations: list[Station] = []


def register(*stations: Station) -> None:
    """Put stations on the treads, in order. Raises ValueError when one is there already."""
    for s in stations:
        if any(s.id == x.id for x in _stations):
            raise ValueError(f"there is a station “{s.id}” already")
        _stations.append(s)


def stations() -> tuple[Station, ...]:
    """The stations in the order of work."""
    return tuple(_stations)
