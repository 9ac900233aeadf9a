"""The account of a year: what a page shows and a reader takes along. Numbers by name, and series by
step.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from gumboot.core.basis.figure import Figure, given, solve
from gumboot.core.design import Design
from gumboot.core.energy.battery import TRACES, Run, Series
from gumboot.core.energy.best import best_possible
from gumboot.core.energy.outages import LONGEST_H, Outages, outages
from gumboot.core.energy.sweep import steps_of, sweep
from gumboot.core.energy.windows import propose
from gumboot.core.energy.year import (
    Inputs,
    Year,
    bank_of,
    controllers_a,
    keyed,
    live,
    other_years,
    own_number,
    rules_of,
    year_findings,
)
from gumboot.core.kit import Catalogue, Inverter
from gumboot.core.plan import Plan, Work
from gumboot.core.set.settings import without_work

ARRAYS = (0.5, 0.75, 1.0, 1.25, 1.5, 1.75, 2.0, 2.5)  # times the array as planned
MOST_PACKS = 25
LASTS = (4, 12, 24, 72)  # hours asked of an outage
YEARS = 19  # other synthetic years, beside the job's own
Said = Callable[[float, str], None]


@dataclass(frozen=True)
class Account:
    """body: numbers and texts by name, plain JSON. series: arrays of (35040,), W or Wh or money a
    kWh, and `outage_h` of (8760,).
    """

    body: dict[str, Any]
    series: dict[str, Series]


def account(
    plan: Plan,
    design: Design,
    catalogue: Catalogue,
    i: Inputs,
    said: Said = lambda share, says: None,
) -> Account:
    """The year as planned, its outages, and every count of packs with every array."""
    said(0.4, "living the year")
    year = live(i)
    said(0.6, "an outage at every hour")
    dark = _outages(plan, i, year)
    synthetic = dark is not None and plan.energy.weather_file is None
    spread = _spread(plan, catalogue, i, said) if synthetic else []
    said(0.8, "every count of packs")
    swept = _sweep(plan, design, catalogue, i)
    findings = [
        {"key": f.key, "level": f.level.value, "says": f.says, "cures": [c.text for c in f.cures]}
        for f in year_findings(plan, i, year)
    ]
    body = {
        "year": i.cal.year,
        "currency": i.currency,
        "off_grid": i.off_grid,
        "priced": bool(np.any(i.buy) or np.any(i.sell)),
        "mode": i.work.mode,
        "bills": {"nothing": year.bill_nothing, "sun": year.bill_sun, "all": year.bill_all},
        "standing": i.standing_year,
        "energy": {
            "nothing": year.nothing.totals,
            "sun": year.sun_alone.totals,
            "all": (
                year.with_all.totals
                | {"drawn": year.cycles * (i.bank.capacity_wh / 1000 if i.bank else 0.0)}
            ),
        },
        "self_use": year.self_use,
        "self_sufficiency": year.self_sufficiency,
        "cycles": year.cycles,
        "capacity_kwh": i.bank.capacity_wh / 1000 if i.bank else 0.0,
        "floor": float(i.rules.floor.min()),
        "faces": [list(f) for f in i.faces],
        "rests_on": list(i.rests_on),
        "months": months(i, year.with_all),
        "findings": findings,
        "fuel": year.with_all.totals["generator"] * (plan.energy.tariff.fuel_kwh or 0.0),
        "outages": _said_of(dark, spread) if dark else None,
        "sweep": swept,
    }
    series = {
        "sun": i.sun,
        "load": i.load,
        "buy": i.buy,
        "sell": i.sell,
        **{k: year.with_all.trace[k] for k in TRACES},
    }
    if dark:
        series["outage_h"] = dark.hours
    return Account(body, series)


def months(i: Inputs, lived: Run) -> list[dict[str, float]]:
    """kWh of each month, and what it cost."""
    out = []
    for month in range(1, 13):
        here = i.cal.month == month
        kwh = {
            k: float(v[here].sum()) / 4000
            for k, v in {
                "sun": i.sun,
                "load": i.load,
                "bought": lived.trace["bought"],
                "sold": lived.trace["sold"],
                "unserved": lived.trace["unserved"],
            }.items()
        }
        paid = (
            float(
                (
                    lived.trace["bought"][here] * i.buy[here]
                    - lived.trace["sold"][here] * i.sell[here]
                ).sum()
            )
            / 4000
        )
        out.append({"month": month, **kwh, "bill": paid + i.standing_year / 12})
    return out


def _outages(plan: Plan, i: Inputs, year: Year) -> Outages | None:
    """By sun and battery alone: a generator's fuel and hand are not counted on."""
    if i.off_grid or i.bank is None or plan.backup.loads == "nothing":
        return None
    return outages(i.sun_outage, i.outage, year.with_all.trace["stored"], i.bank, i.floor_off_grid)


def _spread(plan: Plan, catalogue: Catalogue, i: Inputs, said: Said) -> list[Outages]:
    """The outages of other synthetic years, each lived on grid first."""
    out = []
    for n, other in enumerate(other_years(plan, catalogue, i, YEARS)):
        said(0.6 + 0.2 * n / YEARS, "outages in other years")
        found = _outages(plan, other, live(other))
        out += [found] if found else []
    return out


def _said_of(dark: Outages, others: list[Outages]) -> dict[str, Any]:
    """What is told of outages. range: for each length the least and the most share of hours over
    the years. years_lasting: for each length the share of years, this one and the
    others, in which it is covered whenever it begins.
    """
    every = [dark, *others]
    return {
        "worst_h": dark.worst_h,
        "worst_at": dark.worst_at,
        "median_h": float(np.median(dark.hours)),
        "longest_h": LONGEST_H,
        "lasting": [[h, dark.share_lasting(h)] for h in LASTS],
        "years": len(every),
        "range": [
            [h, min(o.share_lasting(h) for o in every), max(o.share_lasting(h) for o in every)]
            for h in LASTS
        ],
        "years_lasting": [[h, sum(o.worst_h >= h for o in every) / len(every)] for h in LASTS],
    }


def _sweep(plan: Plan, design: Design, catalogue: Catalogue, i: Inputs) -> dict[str, Any] | None:
    """Packs from none to twice the plan and more, with every array; None where there is no bank to
    vary.
    """
    if design.inverter is None or design.pack is None or design.bank is None:
        return None
    now = design.bank.total
    most = min(MOST_PACKS, max(2 * now + 2, 8))
    charge_a = own_number(
        design.settings, "charge"
    )  # what Gumboot proposes follows from the packs, and is proposed anew for each count
    by_controllers = controllers_a(design)
    banks = [
        (n, bank_of(plan, design.inverter, design.pack, n, charge_a, by_controllers))
        for n in range(most + 1)
    ]
    arrays = ARRAYS if i.sun.any() else (1.0,)
    swept = sweep(i, banks, arrays, now)
    here = [c for c in swept.candidates if c.array == 1.0]
    return {
        "now": now,
        "knee": swept.knee,
        "packs": list(swept.packs),
        "arrays": list(arrays),
        "candidates": [asdict(c) for c in swept.candidates],
        "steps": steps_of(here, i),
    }


def neutral(plan: Plan, unit: Inverter | None) -> Plan:
    """The plan with nothing said of how the battery works: what the best possible year and the
    proposal follow from. unit: whose menu its settings are of.
    """
    return plan.model_copy(
        update={
            "energy": plan.energy.model_copy(update={"work": Work()}),
            "settings": without_work(plan.settings, unit.menu if unit else ()),
        }
    )


def best_account(
    plan: Plan, design: Design, i: Inputs, said: Said = lambda share, says: None
) -> Account:
    """The least bill there could be, and the windows proposed with the bill they come to. `plan` is
    a neutral one.

    Raises ValueError for a plan without a battery on the grid.
    """
    bank = i.bank
    if bank is None or i.off_grid:
        raise ValueError("Best possible is for a battery on the grid.")
    year = live(i)
    start = min(1.0, float(year.with_all.trace["stored"][-1]) / bank.capacity_wh)
    found = best_possible(
        i,
        bank,
        start,
        lambda share: said(0.1 + 0.7 * share, "the best possible year, week by week"),
    )
    depth = 1 - design.pack.depth if design.pack else 0.0
    floor, reserve = (
        max(keyed(design.settings, id, usual), depth)
        for id, usual in (("floor_on_grid", 20), ("reserve_soc", 30))
    )
    proposal = propose(
        i,
        bank,
        plan.energy.tariff,
        floor,
        reserve,
        lambda share: said(0.8 + 0.2 * share, "windows for the menu"),
    )
    rules = replace(
        rules_of(proposal.work, i.cal, floor, reserve),
        import_w=i.rules.import_w,
        export_w=i.rules.export_w,
    )
    proposed = live(replace(i, rules=rules)).bill_all
    kept = rules_of(Work(mode="reserve for outage"), i.cal, floor, reserve)
    reserved = live(
        replace(i, rules=replace(kept, import_w=i.rules.import_w, export_w=i.rules.export_w))
    ).bill_all
    body = {
        "bill_reserve": reserved,
        "currency": i.currency,
        "bill_sun": year.bill_sun,
        "bill_self_use": year.bill_all,
        "bill_best": found.bill,
        "bill_proposed": proposed,
        "work": proposal.work.model_dump(mode="json"),
        "tried": proposal.tried,
    }
    return Account(body, {"charged": found.charged, "given": found.given, "stored": found.stored})


def figures(body: dict[str, Any]) -> dict[str, Figure]:
    """The year's sums with their working, from an account's body."""
    money, of = body["currency"], body["energy"]["all"]
    kwh = {
        k: given(s, of[k], "kWh", name, "the year's run")
        for k, s, name in (
            ("sun", "E_sun", "Sun"),
            ("load", "E_load", "House"),
            ("bought", "E_buy", "Bought"),
            ("sold", "E_sell", "Sold"),
            ("curtailed", "E_cut", "Sun curtailed"),
            ("unserved", "E_un", "Gone without"),
            ("generator", "E_gen", "From the generator"),
            ("drawn", "E_out", "Drawn from the cells"),
        )
    }
    out: dict[str, Figure] = {}
    if body["priced"] and not body["off_grid"]:
        standing = given("B_st", body["standing"], money, "Standing charge, a year", "tariff")
        for k, name in (
            ("nothing", "Bill without any of it"),
            ("sun", "Bill with the sun alone"),
            ("all", "Bill with sun and battery"),
        ):
            paid = given(
                "B_buy",
                body["energy"][k]["paid"],
                money,
                "Paid for what is bought, step by step",
                "the year's run",
            )
            earned = given(
                "B_sell",
                body["energy"][k]["earned"],
                money,
                "Earned by what is sold, step by step",
                "the year's run",
            )
            out[f"bill_{k}"] = solve(
                "B", money, name, "B_buy - B_sell + B_st", paid, earned, standing, source="tariff"
            )
    if of["sun"] > 0:
        out["self_use"] = solve(
            "u",
            "",
            "Sun used at home",
            "(E_sun - E_sell - E_cut) / E_sun",
            *(kwh[k] for k in ("sun", "sold", "curtailed")),
            source="definition",
        )
    if of["load"] > 0:
        parts = [kwh[k] for k in ("load", "bought", "unserved", "generator")]
        out["self_sufficiency"] = solve(
            "s",
            "",
            "Self-sufficiency",
            "max(0, 1 - (E_buy + E_un + E_gen) / E_load)",
            *parts,
            source="definition",
        )
    if body["capacity_kwh"] > 0:
        full = given(
            "E_full", body["capacity_kwh"], "kWh", "The bank from empty to full", "pack sheet"
        )
        out["cycles"] = solve(
            "n_cy",
            "",
            "Cycles of the battery, a year",
            "E_out / E_full",
            kwh["drawn"],
            full,
            source="definition",
        )
    return out


def reach(bill: float, body: dict[str, Any]) -> float | None:
    """The share of the best possible saving that a bill comes to; None where a battery can save
    nothing.
    """
    saving = body["bill_sun"] - body["bill_best"]
    return (body["bill_sun"] - bill) / saving if saving > 0.005 else None
