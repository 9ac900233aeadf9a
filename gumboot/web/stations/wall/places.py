"""Places of boxes as typed."""

from __future__ import annotations

from typing import Any

from gumboot.core.basis.finding import Change
from gumboot.core.basis.patch import apply
from gumboot.core.basis.units import NotAQuantity, parse_place, show_place
from gumboot.core.plan import Plan, Spot
from gumboot.web.job.opening import OpenJob


def places_in(job: OpenJob, index: int) -> tuple[dict[str, Spot], dict[str, str], dict[str, str]]:
    """(places as typed, message by field, the typed texts). A box whose fields are empty has no
    place.
    """
    visit, units = job.visit, job.plan.units
    placed: dict[str, Spot] = {}
    faults: dict[str, str] = {}
    typed: dict[str, str] = {}
    known = {b.id for b in job.design.boxes}
    for id in sorted(known):
        if f"x.{id}" not in visit.form:
            if id in job.plan.walls[index].placed:
                placed[id] = job.plan.walls[index].placed[id]
            continue
        at_mm: list[float] = []
        texts = [visit.text(f"{axis}.{id}") for axis in "xy"]
        for axis, text in zip("xy", texts, strict=True):
            typed[f"{axis}.{id}"] = text
            if not text:
                if any(texts):
                    faults[f"{axis}.{id}"] = (
                        "type both places, or empty both to take it off the wall"
                    )
                continue
            try:
                at_mm.append(exact(text, visit.text(f"{axis}mm.{id}"), units))
            except NotAQuantity as exc:
                faults[f"{axis}.{id}"] = str(exc)
        if len(at_mm) == 2:
            if max(abs(v) for v in at_mm) > 20_000:
                faults[f"x.{id}"] = "that is beyond any wall: type a place within 20 m"
            else:
                placed[id] = Spot(x_mm=at_mm[0], y_mm=at_mm[1])
    return placed, faults, typed


def exact(text: str, kept: str, units: Any) -> float:
    """A typed place in mm; where the text still says what was kept, the kept number without its
    rounding.
    """
    try:
        number = float(kept)
    except ValueError:
        return parse_place(text, units)
    return (
        round(number, 2)
        if abs(number) < 20_000 and show_place(number, units) == text
        else parse_place(text, units)
    )


def with_places(
    plan: Plan, index: int, placed: dict[str, Spot], backing: list[dict[str, Any]] | None = None
) -> Plan:
    """The plan with a wall's boxes at other places."""
    changes = [Change(f"/walls/{index}/placed", {k: v.model_dump() for k, v in placed.items()})]
    if backing is not None:
        changes.append(Change(f"/walls/{index}/backing", backing))
    return Plan.model_validate(apply(plan.model_dump(mode="json"), changes))
