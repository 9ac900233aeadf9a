"""Jobs of crews' own sheets, as short as a crew begins them: every system, supply and book, through
the first answers, with whatever figures makers print.
"""

import random

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.brief.suits import SUPPLIES
from gumboot.core.codes.books import BOOKS
from gumboot.core.design import design
from gumboot.core.kit import MAINS, Catalogue, entry
from gumboot.core.new_job import KINDS, First, NoStrings, first_plan, packs_for, units_for
from gumboot.core.plan import Plan

SHELF = catalogue()
FAMILIES = (
    *("battery", "pack", "grid", "backup", "loads", "generator", "controller"),
    *("controller-pv", "generator-unit", "grid-feeder", "backup-feeder"),
)
WINDOWS = {"24": (20, 32), "48": (40, 60), "high": (150, 600)}
POWERS = {
    "24": (1500, 3000, 3600),
    "48": (3000, 5000, 6000, 8000, 12000),
    "high": (5000, 8000, 10000, 15000),
}
RATINGS = (16, 20, 25, 32, 40, 50, 63, 80, 100, 125, 160, 200, 250, 315, 400, 630)


def above(amps):
    return next(a for a in RATINGS if a >= amps)


def unit(chance, supply, topology, volts):
    power, (low, high) = chance.choice(POWERS[volts]), WINDOWS[volts]
    mains = MAINS[supply]
    amps = power / mains.between / (3**0.5 if len(mains.lines) == 3 else 1)
    sheet = {
        **{"kind": "inverter", "id": "own-u", "maker": "Ownwright", "model": "U"},
        **{"topology": topology, "supply": supply, "power_w": power},
        **{"battery_v_min": low, "battery_v_max": high},
        "charge_max_a": round(power / low * chance.choice([0.4, 0.8, 1.0])),
        "chemistries": chance.choice([["LFP"], ["LFP", "NMC", "flooded", "sealed"]]),
        "units_max": chance.choice([1, 1, 2, 3]),
    }
    more = {
        "surge_w": 2 * power,
        "ac_max_a": round(1.05 * amps, 1),
        "pass_through_a": above(1.1 * amps),
        "bond_relay": True,
        "neutral": chance.choice(["solid", "switched"]),
        "fault_a": round(1.6 * amps),
        "residual": chance.choice(["A", "B"]),
        "battery_inputs": 2,
        "generator": {"i_max_a": round(amps, 1), "protection_max_a": above(1.3 * amps)},
        "grid": {"i_max_a": round(1.1 * amps, 1), "protection_max_a": above(1.4 * amps)},
        "feeds_grid": topology != "inverter-charger",
    }
    sheet |= {k: v for k, v in more.items() if chance.random() < 0.35}
    if topology != "ac-coupled":
        sheet["backup"] = {"i_max_a": round(1.05 * amps, 1), "protection_max_a": above(1.35 * amps)}
    if topology == "hybrid":
        least, most, top = chance.choice([(60, 115, 150), (90, 430, 600), (150, 850, 1000)])
        mp = chance.choice([11, 13, 16, 26])
        sheet |= {"pv_v_max": top, "pv_power_max_w": power * chance.choice([1.0, 1.5])}
        sheet["trackers"] = [
            {"id": str(n + 1), "v_min": least, "v_max": most, "i_mp_max_a": mp}
            | {"i_sc_max_a": round(1.25 * mp, 1), "pairs": chance.choice([1, 2])}
            for n in range(chance.choice([1, 2, 3]))
        ]
    return sheet


def pack(chance, volts):
    sheet = {"kind": "pack", "id": "own-p", "maker": "Ownwright", "model": "P"}
    kind = "LFP" if volts == "high" else chance.choice(["LFP", "LFP", "NMC", "flooded", "sealed"])
    if kind in ("flooded", "sealed"):
        cells = chance.choice([1, 3, 6])
        form, top, low = "block", 2.45, 1.75
    else:
        cells = {"24": 8, "48": chance.choice([15, 16]), "high": chance.choice([16, 32])}[volts]
        cells = {8: 7, 15: 14, 16: 14}.get(cells, cells) if kind == "NMC" else cells
        form = "stack" if volts == "high" else "pack"
        top, low = (4.2, 3.2) if kind == "NMC" else (3.65, 2.7)
    most = chance.choice([30, 50] if form == "stack" else [50, 100, 200])
    sheet |= {
        **{"form": form, "chemistry": kind, "cells": cells},
        **{"capacity_ah": chance.choice([50, 100, 280]), "discharge_max_a": most},
        **{"charge_max_a": most * chance.choice([0.5, 1.0])},
        **{"bms_v_max": round(cells * top, 2), "bms_v_min": round(cells * low, 2)},
        "parallel_max": chance.choice([1, 2, 8]),
    }
    if form != "block" and chance.random() < 0.6:
        sheet |= {"breaker_a": above(1.25 * most), "link": chance.choice(["CAN", "RS-485"])}
    if form == "stack":
        sheet["series_max"] = chance.choice([5, 8])
    return sheet


def controller(chance, volts):
    low, high = WINDOWS[volts]
    top = chance.choice([100, 150, 250])
    sheet = {
        **{"kind": "controller", "id": "own-c", "maker": "Ownwright", "model": "C"},
        **{"charge_max_a": chance.choice([30, 60, 85, 100]), "pv_v_max": top},
        **{"battery_v_min": low, "battery_v_max": high},
        "chemistries": ["LFP", "NMC", "flooded", "sealed"],
    }
    more = {"pv_i_sc_max_a": 60, "pv_v_min": high, "earth_fault": True, "units_max": 3}
    return sheet | {k: v for k, v in more.items() if chance.random() < 0.4}


def job(seed):
    """A job of such sheets, its runs typed; None where nobody would plan it."""
    chance = random.Random(seed)
    book, kind = BOOKS[chance.choice(sorted(BOOKS))], chance.choice(KINDS)
    *supplies, _ = SUPPLIES[book.american]
    supply, volts = chance.choice(supplies), chance.choice(["24", "48", "48", "high"])
    own = supply if chance.random() < 0.8 else chance.choice(supplies)
    topology = "hybrid" if kind.pv else chance.choice(["ac-coupled", "hybrid", "inverter-charger"])
    if kind.pv and volts != "high" and chance.random() < 0.4:
        topology = "inverter-charger"
    first = unit(chance, own, topology, volts)
    sheets = [
        entry.validate_python(x) for x in (first, pack(chance, volts), controller(chance, volts))
    ]
    shelf = Catalogue([*SHELF.entries.values(), *sheets], {x.id for x in sheets})
    fits = "own-p" in packs_for(shelf, sheets[0])
    if not fits or "own-u" not in units_for(shelf, kind, book, supply):
        return None
    controllers = ["own-c", *(k for k, c in SHELF.controllers.items() if c.book == book.code)]
    answers = First(
        name="Turnstone Rise",
        code=book.code,
        units="us" if book.american else "si",
        kind=kind,
        supply=supply,
        latitude_deg=44.0,
        longitude_deg=-90.0 if book.american else 5.0,
        zone="",
        outage=chance.choice(["whole house", "essential board", "nothing"]),
        inverter="own-u",
        inverters=chance.randint(1, sheets[0].units_max),
        pack="own-p",
        packs=chance.choice([0, 0, 1, 2, 4]),
        module="reedbed-430",
        modules=chance.choice([0, 8, 12, 20]),
        array_m=9.0,
        existing_w=3000.0,
        generator_w=16000.0,
        controller=chance.choice(controllers) if kind.pv and not sheets[0].trackers else "",
    )
    try:
        document = first_plan(answers, shelf).model_dump(mode="json")
    except NoStrings as exc:
        assert str(exc), "why no string fits is said"
        return None
    method = "raceway" if book.american else "C"
    document["runs"] = {k: {"length_m": 2.0, "method": method} for k in FAMILIES}
    return Plan.model_validate(document), shelf


def a_job(number):
    """The first job that somebody would plan, of the seeds of a number."""
    return next(made for seed in range(20) if (made := job(100 * number + seed)))


def clicked(plan, shelf):
    """A plan after every click that its stops offer, each once."""
    done = set()
    for _ in range(20):
        offers = [
            (f.key, c)
            for f in design(plan, shelf).findings
            if f.level == "stop"
            for c in f.cures
            if c.changes and (f.key, c.text) not in done
        ]
        if not offers:
            return plan
        key, cure = offers[0]
        done.add((key, cure.text))
        plan = Plan.model_validate(apply(plan.model_dump(mode="json"), cure.changes))
    return plan
