"""Link: ohms of a bus. What to expect wherever a meter can be put; a reading typed says what it
means, and where to measure next.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request

from gumboot.core.land.entering import Refused
from gumboot.core.link.bus import BusPlan
from gumboot.core.link.terminators import (
    NO_SENSE,
    Place,
    explained,
    meanings,
    measure_next,
    ohms,
    places,
    right,
    spoken,
)
from gumboot.core.walk.entering import read_value
from gumboot.core.walk.step import Step
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, twin
from gumboot.web.stations.link.drawing import bus_picture

router = APIRouter()
OHM = Step("ohm", "Ohms", "ohms", "", "ohm")


def place_says(b: BusPlan, p: Place) -> str:
    """A place in words."""
    at = b.stations[p.station].label
    if p.side == "whole":
        return f"at {at}, bus whole"
    end = b.stations[0 if p.side == "toward the first" else -1].label
    return f"at {at}, the lead toward {_other(b, p)} unplugged, looking toward {end}"


def _other(b: BusPlan, p: Place) -> str:
    return b.stations[p.station + (1 if p.side == "toward the first" else -1)].label


def name_of(p: Place) -> str:
    """A place as a form's field."""
    return f"r{p.station}{ {'whole': '', 'toward the first': 'a', 'toward the last': 'z'}[p.side] }"


def page(job: OpenJob, chosen: str, asked: Any) -> dict[str, Any]:
    """One bus with what was typed."""
    h = job.design.harness
    buses = [b for b in h.buses if b.line] if h else []
    bus = next((b for b in buses if b.key == chosen), buses[0] if buses else None)
    out: dict[str, Any] = {
        **job.head("link"),
        "tab": "link/ohms",
        "buses": [{"key": b.key, "name": b.name} for b in buses],
        "bus": None,
    }
    if bus is None:
        return out
    ladder = bus.ladder
    typed, faults, readings = {}, {}, {}
    for p in places(ladder):
        name = name_of(p)
        typed[name] = str(asked.get(name, ""))[:40]
        if typed[name].strip():
            try:
                readings[p] = read_value(OHM, typed[name])
            except Refused as exc:
                faults[name] = str(exc)
    sense = explained(ladder, readings)
    found = meanings(ladder, readings) if readings and sense else []
    onward = measure_next(ladder, readings) if found and found[0].likely < 0.97 else None
    whole = right(ladder)
    return out | {
        "bus": {"key": bus.key, "name": bus.name},
        "places": [
            {
                "name": name_of(p),
                "says": place_says(bus, p),
                "expects": spoken(ohms(ladder, whole, p)),
                "typed": typed[name_of(p)],
            }
            for p in places(ladder)
        ],
        "faults": faults,
        "no_sense": "" if sense else NO_SENSE,
        "meanings": [{"says": m.says, "likely": round(m.likely, 3)} for m in found],
        "sound": bool(found) and found[0].state == whole,
        "next": place_says(bus, onward) if onward else "",
        "_drawing": drawn(bus_picture(bus, job.plan.units)),
    }


@twin(router, "/jobs/{job_id}/link/ohms", "link_ohms.html")
def ohms_page(request: Request, job: Opened) -> dict[str, Any]:
    """The page; what is typed stands in the address, so that it can be sent on."""
    return page(job, request.query_params.get("bus", ""), request.query_params)
