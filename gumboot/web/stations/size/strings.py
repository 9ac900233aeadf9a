"""Strings: every legal way to string the roof, and the meter card for the day they are plugged in.
Part of the Size station.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.plan import Plan
from gumboot.core.size import meter_card
from gumboot.core.size.finder import Arrangement, Face, Found, Lot, find
from gumboot.core.size.meter_card import Weather
from gumboot.core.size.strings.rows import LETTERS
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.job.saving import checked, save
from gumboot.web.pages.frame import twin

router = APIRouter()
FACES = 6
FULL_SUN = 1000.0  # W/m²


@dataclass(frozen=True)
class Asked:
    """What was typed about the faces: texts by field, faults by field, and the faces when all is
    well.
    """

    typed: dict[str, str]
    faults: dict[str, str]
    faces: list[Face]


def faces_of(plan: Plan) -> list[Face]:
    """The faces of the strings that may be strung anew."""
    counts: dict[tuple[float, float, str], int] = {}
    for s in (x for x in plan.strings if not x.stays):
        key = (s.tilt_deg, s.azimuth_deg, s.mounting)
        counts[key] = counts.get(key, 0) + s.count
    return [Face(n, *key) for key, n in counts.items()]


def read_faces(sent: Mapping[str, str], plan: Plan) -> Asked:
    """Typed faces; those of the plan when nothing was sent."""
    if not any(k.startswith("face") for k in sent):
        faces = faces_of(plan)[:FACES]
        typed: dict[str, str] = {}
        for i, f in enumerate(faces):
            typed |= {
                f"face{i}-modules": str(f.modules),
                f"face{i}-tilt": f"{f.tilt_deg:g}°",
                f"face{i}-azimuth": f"{f.azimuth_deg:g}°",
                f"face{i}-mounting": f.mounting,
            }
        return Asked(typed, {}, faces)
    typed = {k: v.strip() for k, v in sent.items() if k.startswith("face")}
    faults: dict[str, str] = {}
    faces = []
    for i in range(FACES):
        count = typed.get(f"face{i}-modules", "")
        if not count:
            continue
        if not count.isdecimal() or not 1 <= int(count[:5]) <= 400:
            faults[f"face{i}-modules"] = (
                f"“{count}” is not a number of modules: type one from 1 to 400"
            )
            continue
        angles = {}
        for name, top in (("tilt", 90.0), ("azimuth", 359.999)):
            key = f"face{i}-{name}"
            try:
                angles[name] = parse(typed.get(key) or ("30" if name == "tilt" else "180"), "angle")
                if not 0 <= angles[name] <= top:
                    faults[key] = f"type an angle from 0 to {top:.0f}°"
            except NotAQuantity as exc:
                faults[key] = str(exc)
        if not faults:
            mounting = typed.get(f"face{i}-mounting", "roof")
            faces.append(
                Face(
                    int(count),
                    angles["tilt"],
                    angles["azimuth"],
                    mounting if mounting in ("roof", "rack") else "roof",
                )
            )
    return Asked(typed, faults, faces)


def found_for(job: OpenJob, asked: Asked) -> Found | None:
    """What the finder finds; None when there is nothing to look with."""
    shelf = job.design.catalogue
    module = shelf.modules.get(job.plan.kit.module or "")
    takers = [u for u in job.design.takers if u.trackers]
    if module is None or not takers or not asked.faces or asked.faults:
        return None
    units = [left for u in takers if (left := u.left(job.plan, shelf)).trackers]
    if not units:
        return Found((), 0, True, "Every tracker is taken by a string that stays as it is.")
    return find(job.plan, units, module, asked.faces)


def rows_of(found: Found, faces: list[Face], job: OpenJob) -> list[dict[str, Any]]:
    """The found arrangements as the page lists them."""
    total = sum(f.modules for f in faces)
    return [
        {
            "used": a.used,
            "total": total,
            "margin_pct": round(100 * a.margin, 1),
            "clips": a.clips,
            "code": code_of(a),
            "lots": [
                {
                    "on": named(x, job),
                    "inverter": x.inverter,
                    "controller": x.controller,
                    "tracker": x.tracker,
                    "strings": x.strings,
                    "modules": x.modules,
                    "face": x.face + 1,
                }
                for x in a.lots
            ],
        }
        for a in found.best
    ]


def named(x: Lot, job: OpenJob) -> str:
    """What a lot lands on, in few words: "1.T2"; "C1" is a charge controller."""
    kit, mark = job.plan.kit, f"T{x.tracker}"
    if x.controller:
        own = job.design.controller
        several = own is not None and len(own.trackers) > 1
        return f"C{x.controller}{f'.{mark}' if several else ''}"
    return f"{x.inverter}.{mark}" if kit.inverters > 1 else mark


def code_of(a: Arrangement) -> str:
    """An arrangement in one text, to send back: "1.2:1x9@0;…"."""
    return ";".join(
        f"{'c' if x.controller else ''}{x.controller or x.inverter}.{x.tracker}:"
        f"{x.strings}x{x.modules}@{x.face}"
        for x in a.lots
    )


@twin(router, "/jobs/{job_id}/strings", "strings.html")
def strings(request: Request, job: Opened) -> dict[str, Any]:
    """The finder and the meter card."""
    sent = dict(request.query_params)
    asked = read_faces(sent, job.plan)
    found = found_for(job, asked)
    card = card_of(job, sent)
    return {
        **job.head("size"),
        "asked": asked.typed,
        "faults": asked.faults,
        "faces": FACES,
        "shown": max(
            (
                int(k[4]) + 1
                for k, v in asked.typed.items()
                if k.endswith("-modules") and v and k[4].isdecimal()
            ),
            default=0,
        ),
        "inverters": job.plan.kit.inverters,
        "count": found.count if found else 0,
        "complete": found.complete if found else True,
        "reason": found.reason if found else "",
        "arrangements": rows_of(found, asked.faces, job) if found else [],
        "takes": bool(any(u.trackers for u in job.design.takers) and job.plan.kit.module),
        "stay": [s.letter for s in job.plan.strings if s.stays],
        "card": {k: v for k, v in card.items() if not k.startswith("_")},
        "_card_figures": card["_figures"],
    }


@router.post("/jobs/{job_id}/strings")
def use(request: Request, job: Opened) -> Response:
    """String the job as one found arrangement says, beside the strings that stay as they are. Runs
    of strings that keep their letter are kept.
    """
    visit = job.visit
    visit.needs("planner", "supervisor")
    asked = read_faces({k: str(v) for k, v in visit.form.items() if isinstance(v, str)}, job.plan)
    found = found_for(job, asked)
    chosen = (
        next((a for a in found.best if code_of(a) == visit.text("use")), None) if found else None
    )
    if chosen is None:
        return RedirectResponse(f"/jobs/{job.record.id}/strings", 303)
    document = job.plan.model_dump(mode="json")
    old = {s["letter"]: s for s in document["strings"]}
    run = (
        next(iter(old.values()))["run"]
        if old
        else {"length_m": 20, "method": job.plan.book.method_first_pv}
    )
    stay = [s.model_dump(mode="json") for s in job.plan.strings if s.stays]
    letters = iter(sorted(set(LETTERS) - {s["letter"] for s in stay}))
    document["strings"] = stay + [
        {
            "letter": letter,
            "inverter": x.inverter,
            "controller": x.controller,
            "tracker": x.tracker,
            "modules": x.modules,
            "mounting": asked.faces[x.face].mounting,
            "tilt_deg": asked.faces[x.face].tilt_deg,
            "azimuth_deg": asked.faces[x.face].azimuth_deg,
            "run": old.get(letter, {}).get("run", run),
        }
        for x in chosen.lots
        for _ in range(x.strings)
        for letter in [next(letters, "")]
    ]
    plan, _faults = checked(document)
    if plan is None:
        return RedirectResponse(f"/jobs/{job.record.id}/strings", 303)
    return save(request, job, plan, f"/jobs/{job.record.id}/size")


def _whole(volts: float) -> float:
    """Volts as they are read: whole ones, tenths of the few that optimizers show."""
    return round(volts) if volts >= 100 else round(volts, 1)


def card_of(job: OpenJob, sent: Mapping[str, str]) -> dict[str, Any]:
    """The meter card: expected voltages under the weather typed, and a verdict on every reading."""
    modules = {s.letter: s.module for s in job.design.strings}
    typed = {
        k: sent.get(k, "").strip()
        for k in ("light", "air", "cell", *(f"read-{s.letter}" for s in job.plan.strings))
    }
    faults: dict[str, str] = {}

    def value(key: str, kind: str) -> float | None:
        try:
            return (
                parse(typed[key], kind, job.plan.units, bare="w/m²" if kind == "irradiance" else "")
                if typed[key]
                else None
            )
        except NotAQuantity as exc:
            faults[key] = str(exc)
            return None

    light, air, cell = (
        value("light", "irradiance"),
        value("air", "temperature"),
        value("cell", "temperature"),
    )
    readings = {
        s.letter: v
        for s in job.plan.strings
        if (v := value(f"read-{s.letter}", "voltage")) is not None
    }
    if light is not None and not 1 <= light <= 1500:
        faults["light"] = "type the light in the array's plane, from 1 to 1500 W/m²"
    for key, t in (("air", air), ("cell", cell)):
        if t is not None and not -60 <= t <= 110:
            faults[key] = "type a temperature that can be: -20 C, 85 F"
    if typed["light"] and not typed["air"] and not typed["cell"]:
        faults["air"] = "type the air's temperature, or the cells' if you measured it"
    own = bool(modules) and all(m.optimizer for m in modules.values())  # the same in any light
    read = light is not None and (air is not None or cell is not None)
    rows: list[dict[str, Any]] = []
    card: dict[str, meter_card.Expected] = {}
    if modules and (own or read) and not faults:
        weather = Weather(light or FULL_SUN, air if air is not None else 0.0, cell)
        light = weather.irradiance_w_m2
        card = {
            s.letter: meter_card.expected(
                s.letter, s.modules, s.mounting, modules[s.letter], weather
            )
            for s in job.plan.strings
            if s.letter in modules
        }
        said = {v.letter: v for v in meter_card.judge(card, readings, light)}
        rows = [
            {
                "letter": e.letter,
                "modules": e.modules,
                "expected_v": round(e.v_now.n, 1),
                "low_v": _whole(e.low),
                "high_v": _whole(e.high),
                "band_pct": round(100 * e.band),
                "said": said[e.letter].said if e.letter in said else "",
                "why": said[e.letter].why if e.letter in said else "",
            }
            for e in card.values()
        ]
    figures = {e.letter: e.v_now for e in card.values()}
    return {
        "typed": typed,
        "faults": faults,
        "rows": rows,
        "_figures": figures,
        "letters": [(s.letter, s.modules) for s in job.plan.strings],
    }
