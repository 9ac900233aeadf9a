"""A new job: the few answers that decide the rest, then its first drawing. Everything else is asked
where it matters.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import ValidationError

from gumboot.core.basis import units
from gumboot.core.basis.words import listed
from gumboot.core.brief.suits import SUPPLIES, why_not
from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import Catalogue, Inverter
from gumboot.core.new_job import (
    KIND,
    KINDS,
    First,
    NoStrings,
    controllers_for,
    first_plan,
    modules_for,
    packs_for,
    units_for,
)
from gumboot.core.plan.climate import guessed_c
from gumboot.imports.places import namesakes, place, places
from gumboot.store import records
from gumboot.store import shelf as shelves
from gumboot.web.job.saving import plain_faults
from gumboot.web.pages.form import Choices, Field, convert, want, words
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.defaults import begun, of_crew
from gumboot.web.people.visit import Visit, Visiting
from gumboot.web.stations.brief.kit_form.shape import book_of

router = APIRouter()
START = {
    "name": "",
    "place": "",
    "code": next(iter(BOOKS)),
    "units": "us",
    "supply": "split-phase 120/240 V",
    "kind": "pv",
    "outage": "whole house",
    "inverter": "",
    "inverters": "1",
    "pack": "",
    "packs": "",
    "module": "",
    "modules": "",
    "array_m": "",
    "existing_w": "",
    "generator_w": "",
    "controller": "",
    "inverter_proposed": "",  # what the page itself put there
    "pack_proposed": "",
    "controller_proposed": "",
}
MOST_TOLD = 3  # packs that do not suit, by name
EXAMPLE = "latitude and longitude such as 51.5, -2.6"
RESHAPES = (
    *("place", "code", "units", "supply", "kind", "outage", "inverter", "modules"),
    *("pack", "controller"),
)


def fields(typed: dict[str, str], shelf: Catalogue) -> list[Field]:
    """What is asked of the kind of system that is chosen, in the order it is asked."""
    book, kind = book_of(typed), KIND[typed["kind"]]
    unit = shelf.inverters.get(typed["inverter"])
    offered = units_for(shelf, kind, book, typed["supply"])
    packs = packs_for(shelf, unit)
    lives = (
        ("whole house", "the whole house"),
        ("essential board", "an essential board"),
        ("nothing", "nothing"),
    )
    controllers = controllers_for(shelf, unit, typed["pack"], book) if kind.pv else []
    takes = unit is None or bool(unit.trackers) or typed["controller"] in controllers
    pv = kind.pv and takes
    lands = "its PV combiner" if typed["controller"] in controllers else "inverter"
    bare = unit is not None and unit.grid is not None and not unit.backup
    why_lives = "this unit needs a gateway for that; one is proposed" if bare else ""
    none = "" if offered else "the shelf has none for this supply and kind: choose another"
    if kind.pv and unit is not None and not takes:
        open_ = unit.topology == "hybrid"
        own = "its PV trackers are not entered yet" if open_ else "it has no PV input of its own"
        none = f"{own}: strings come once {'they are' if open_ else 'a charge controller is there'}"
    asked = [
        (
            Field("supply", "Supply", "choice", "", words(*SUPPLIES[book.american][:-1])),
            kind.grid,
        ),
        (Field("outage", "What lives in an outage", "choice", why_lives, lives), kind.grid),
        (Field("inverter", "Inverter", "choice", none, _named(shelf.inverters, offered)), True),
        (Field("inverters", "Inverters", "count", "how many in parallel"), True),
        (
            _pack_field(shelf, unit, packs),
            bool(packs) or (unit is not None and not unit.pack_inside),
        ),
        (
            Field(
                "packs",
                "Packs",
                "count",
                "left empty, as many as the inverters ask for",
                optional=True,
            ),
            bool(packs),
        ),
        (
            Field(
                "controller",
                "Charge controller",
                "choice",
                "an array of its own on the battery bus; as many as its modules ask for",
                (("", "none"), *_named(shelf.controllers, controllers)),
                True,
            ),
            bool(controllers),
        ),
        (Field("existing_w", "PV inverter that is there", "power", "its AC power"), kind.beside),
        (Field("generator_w", "Generator", "power"), kind.generator),
        (Field("module", "Module", "choice", "", _named(shelf.modules, modules_for(shelf))), pv),
        (
            Field(
                "modules",
                "Modules in all",
                "count",
                "strings are proposed; empty where the array comes later",
                optional=True,
            ),
            pv,
        ),
        (
            Field("array_m", f"Array to {lands}, one way", "length"),
            bool(pv and typed["modules"]),
        ),
    ]
    return [replace(f, reshapes=f.path in RESHAPES) for f, when in asked if when]


def _pack_field(shelf: Catalogue, unit: Inverter | None, packs: list[str]) -> Field:
    """Packs that suit a unit, and why others are not among them."""
    others = [] if unit is None else [(p, why_not(p, unit)) for p in shelf.packs.values()]
    out = [f"{p.maker} {p.model} ({why})" for p, why in others if why]
    more = f" and {len(out) - MOST_TOLD} more" if len(out) > MOST_TOLD else ""
    volts = f"{unit.battery_v_min:g} to {unit.battery_v_max:g} V" if unit else ""
    takes = f"{volts}, {listed(unit.chemistries)}" if unit else ""
    left = f"not offered: {', '.join(out[:MOST_TOLD])}{more}; the unit takes {takes}" if out else ""
    if packs:
        return Field("pack", "Pack", "choice", left, _named(shelf.packs, packs))
    why = f"enter it on the shelf; {left}" if left else "enter it on the shelf"
    return Field("pack", "Pack", "choice", why, (("", "none on the shelf that suits"),), True)


def house_fields(typed: dict[str, str]) -> list[Field]:
    """What is asked of every job: its name, where, by which book."""
    books = tuple((b.code, b.name) for b in BOOKS.values())
    systems = (("us", "ft, °F, in·lb"), ("si", "m, °C, N·m"))
    out = [
        Field("name", "Job name", "text"),
        Field("place", "Where", "text", _lies(typed["place"], typed["units"]), listed="places"),
        Field("code", "Code book", "choice", "the authority there decides", books),
        Field("units", "Units", "choice", "", systems),
    ]
    return [replace(f, reshapes=f.path in RESHAPES) for f in out]


def _named(shelf: Any, ids: Any) -> Choices:
    return tuple((k, f"{shelf[k].maker} {shelf[k].model}") for k in ids)


def _lies(typed_place: str, typed_units: str) -> str:
    """Where a place lies and how cold and hot it is taken to be."""
    found = place(typed_place)
    if found is None:
        says = "a town, a state, or latitude and longitude; it brings book, units, supply, climate"
        return (
            f"not known here: type the nearest larger town, or {EXAMPLE}" if typed_place else says
        )
    system: units.System = "si" if typed_units == "si" else "us"
    guess = {
        k: units.show_temperature(round(t), system)
        for k, t in guessed_c(found.latitude_deg, None, found.longitude_deg).items()
    }
    north, east = found.latitude_deg, found.longitude_deg
    other = "; or ".join(namesakes(typed_place))
    return (
        f"{found.name}: {abs(north):g}° {'N' if north >= 0 else 'S'},"
        f" {abs(east):g}° {'E' if east >= 0 else 'W'};"
        f" {guess['t_min_c']} to {guess['t_roof_c']} guessed from that, until Brief says better"
        f"{f'. There is also {other}: type which' if other else ''}"
    )


def followed(typed: dict[str, str], changed: str, shelf: Catalogue) -> dict[str, str]:
    """The form after one choice: a place brings book, units and supply, a book its units and a
    supply it serves; kit that no longer suits becomes what does.
    """
    out = dict(typed)
    if changed == "place" and (found := place(out["place"])):
        out |= {"code": found.book.code, "supply": SUPPLIES[found.book.american][0]}
    book = book_of(out)
    if changed in ("place", "code"):
        out["units"] = "us" if book.american else "si"
    if out["supply"] not in SUPPLIES[book.american][:-1]:
        out["supply"] = SUPPLIES[book.american][0]
    if out["kind"] not in KIND:
        out["kind"] = START["kind"]
    _propose(out, "inverter", units_for(shelf, KIND[out["kind"]], book, out["supply"]))
    _propose(out, "pack", packs_for(shelf, shelf.inverters.get(out["inverter"])))
    unit, kind = shelf.inverters.get(out["inverter"]), KIND[out["kind"]]
    controllers = controllers_for(shelf, unit, out["pack"], book) if kind.pv else []
    wanted = unit is not None and not unit.trackers and unit.topology == "inverter-charger"
    _propose(out, "controller", controllers if wanted else ["", *controllers])
    if out["module"] not in shelf.modules:
        out["module"] = next(iter(modules_for(shelf)), "")
    return out


def _propose(out: dict[str, str], what: str, offers: list[str]) -> None:
    """The likeliest, where nobody chose or what was chosen does not serve: a choice that is not the
    one proposed before is a person's.
    """
    likeliest, proposed = next(iter(offers), ""), f"{what}_proposed"
    if out[what] not in offers or out[what] == out[proposed]:
        out[what] = likeliest
    out[proposed] = likeliest


def read(typed: dict[str, str], shelf: Catalogue) -> tuple[First | None, dict[str, str]]:
    """(the answers, message by field). Empty answers that are needed are named."""
    system: units.System = "si" if typed["units"] == "si" else "us"
    found = place(typed["place"])
    said: dict[str, Any] = {}
    faults: dict[str, str] = {}
    for f in (*house_fields(typed), *fields(typed, shelf)):
        text = typed[f.path].strip()
        if not text:
            if not f.optional:
                faults[f.path] = f"type {want(f)}"
            continue
        try:
            said[f.path] = convert(text, f, system)
        except units.NotAQuantity as exc:
            faults[f.path] = str(exc)
    if typed["place"].strip() and found is None:
        faults["place"] = (
            f"“{typed['place']}” is not known here: type the nearest larger town, a state, or"
            f" {EXAMPLE}; up to 66° from the equator"
        )
    if not typed["place"].strip():
        faults["place"] = "type a town or a state, such as Leeds or Texas"
    if not typed["inverter"]:
        faults["inverter"] = "no inverter of the shelf serves this: take another supply or kind"
    if faults or found is None:
        return None, faults
    del said["place"]
    kind = KIND[typed["kind"]]
    said.setdefault("supply", typed["supply"])
    said.setdefault("outage", "whole house")
    at = {
        "latitude_deg": found.latitude_deg,
        "longitude_deg": found.longitude_deg,
        "zone": found.zone,
    }
    answers: dict[str, Any] = {"pack": "", "packs": 0, **said, **at}
    return First(kind=kind, **answers), {}


def page(
    typed: dict[str, str], faults: dict[str, str], visit: Visit, shelf: Catalogue
) -> dict[str, Any]:
    """What the template shows. held: what was typed for another kind of system."""
    house, rest = house_fields(typed), fields(typed, shelf)
    shown = {f.path for f in (*house, *rest)} | {"kind"}
    return {
        "house": house,
        "rest": rest,
        "kinds": KINDS,
        "labels": {f.path: f.label for f in (*house, *rest)},
        "places": [p.name for p in places().values()],
        "typed": typed,
        "held": {k: v for k, v in typed.items() if k not in shown},
        "faults": faults,
        "job": None,
        "_visit": visit,
    }


def for_crew(typed: dict[str, str], own: dict[str, str]) -> dict[str, str]:
    """The form with the units that the crew works in, wherever a place is."""
    return {**typed, "units": own["units"]} if own.get("units") else typed


@twin(router, "/jobs/new", "first.html")
def new(request: Request, visit: Visiting) -> dict[str, Any]:
    """The first answers, with what is proposed for the rest."""
    visit.needs("planner", "supervisor")
    shelf = shelves.today(visit.db, visit.crew_id)
    own = of_crew(visit)
    start = {**START, **{k: own[k] for k in ("code", "units") if own.get(k)}}
    return page(for_crew(followed(start, "code", shelf), own), {}, visit, shelf)


@router.post("/jobs/new")
def create(request: Request, visit: Visiting) -> Response:
    """A new job from its first answers."""
    visit.needs("planner", "supervisor")
    typed = {k: visit.text(k) or (v if k in ("kind", "code") else "") for k, v in START.items()}
    shelf = shelves.today(visit.db, visit.crew_id)
    if visit.text("more"):
        changed = request.headers.get("HX-Trigger-Name", "")
        after = followed(typed, changed, shelf)
        if changed in ("place", "code"):
            after = for_crew(after, of_crew(visit))
        return render(request, "first.html", page(after, {}, visit, shelf))
    typed = followed(typed, "", shelf)
    first, faults = read(typed, shelf)
    plan = None
    if first:
        try:
            plan = first_plan(first, shelf)
        except NoStrings as exc:
            faults = {"modules": str(exc)}
        except ValidationError as exc:
            faults = {_field(path): said for path, said in plain_faults(exc)}
    if plan is None:
        return render(request, "first.html", page(typed, faults, visit, shelf), 422)
    at = shelves.Shelf(shelves.head(visit.db)).document
    plan = begun(plan, of_crew(visit))
    job = records.create_job(visit.db, visit.crew_id, plan, visit.who, shelf=at)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.id}/size", 303)


def _field(path: str) -> str:
    """The field of these that a path of the plan was typed in."""
    named = {
        "length_m": "array_m",
        "inverters": "inverters",
        "packs": "packs",
        "existing_pv": "existing_w",
        "generator": "generator_w",
    }
    return next((named[x] for x in reversed(path.split("/")) if x in named), "name")
