"""What a new job of the crew begins with, asked once."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.codes.books import BOOKS
from gumboot.core.hand_over.owner import Contact
from gumboot.core.land.order import SCHOOLS
from gumboot.core.plan import Plan
from gumboot.store import shelf
from gumboot.store.models import Crew
from gumboot.web.pages.form import Choices, words
from gumboot.web.pages.frame import twin
from gumboot.web.people.visit import Visit, Visiting

router = APIRouter()
BY_PLACE = ("", "as the place has it")
CONTACT = (("phone", "Telephone"), ("email", "E-mail"), ("hours", "When somebody answers"))
PAPERS = {"a4": "A4", "letter": "letter"}  # as a page's size in CSS


def asked(visit: Visit) -> list[tuple[str, str, Choices]]:
    """(key, what is asked, choices) of every default; the first choice is what stands without."""
    stocks = shelf.today(visit.db, visit.crew_id).label_stocks
    return [
        ("code", "Code book", (BY_PLACE, *((b.code, b.name) for b in BOOKS.values()))),
        ("units", "Units", (BY_PLACE, ("us", "feet, inches, AWG"), ("si", "metres, mm²"))),
        (
            "landing",
            "Order of landing",
            (("", "the maker's, where the sheet gives one"), *words(*(s.name for s in SCHOOLS))),
        ),
        (
            "recheck",
            "A day later, where the sheet is silent",
            (("", "by kind: lugs by torque, screws by eye"), *words("torque", "look")),
        ),
        ("paper", "Paper", (("", "as the units have it"), ("a4", "A4"), ("letter", "letter"))),
        (
            "labels",
            "Label stock",
            (("", "the usual one of the units"), *((s.id, s.label) for s in stocks)),
        ),
    ]


def of_crew(visit: Visit) -> dict[str, str]:
    """The crew's defaults, those that are set."""
    crew = visit.db.get(Crew, visit.crew_id)
    kept = crew.defaults if crew else {}
    return {k: str(kept[k]) for k, _, choices in asked(visit) if kept.get(k) in dict(choices)}


def paper_of(visit: Visit, units: str) -> str:
    """The sheet that pages are printed on: the crew's own, else as the units of a job have it."""
    return of_crew(visit).get("paper") or ("letter" if units == "us" else "a4")


def accounts_of(visit: Visit) -> list[str]:
    """The makers with whom the crew has an installer's account."""
    crew = visit.db.get(Crew, visit.crew_id)
    return list(crew.defaults.get("accounts", ())) if crew else []


def contact_of(visit: Visit) -> Contact:
    """Whom owners call: the crew, and how."""
    crew = visit.db.get(Crew, visit.crew_id)
    kept = crew.defaults.get("contact", {}) if crew else {}
    return Contact(crew.name if crew else "", **{k: str(kept.get(k, "")) for k, _ in CONTACT})


def begun(plan: Plan, defaults: dict[str, str]) -> Plan:
    """A new plan with what the crew always does."""
    kept = {k: defaults[k] for k in ("landing", "recheck") if defaults.get(k)}
    return Plan.model_validate({**plan.model_dump(mode="json"), **kept}) if kept else plan


@twin(router, "/defaults", "defaults.html")
def defaults(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's defaults."""
    return {
        "chosen": of_crew(visit),
        "accounts": accounts_of(visit),
        "contact": [(k, label, getattr(contact_of(visit), k)) for k, label in CONTACT],
        "_asked": asked(visit),
        "_visit": visit,
    }


@router.post("/defaults")
def keep(visit: Visiting) -> Response:
    """Keep them; what is no choice is left as it was."""
    visit.needs("planner", "supervisor")
    crew = visit.db.get(Crew, visit.crew_id)
    assert crew is not None  # noqa: S101
    chosen: dict[str, Any] = {
        k: visit.text(k)
        for k, _, choices in asked(visit)
        if k in visit.form and visit.text(k) in dict(choices)
    }
    if "accounts" in visit.form:
        said = (x.strip()[:80] for x in visit.text("accounts").split(",")[:100])
        chosen["accounts"] = list(dict.fromkeys(m for m in said if m))
    if "contact-phone" in visit.form:
        chosen["contact"] = {k: visit.text(f"contact-{k}")[:120] for k, _ in CONTACT}
    crew.defaults = {**crew.defaults, **chosen}
    visit.tells("defaults")
    visit.db.commit()
    return RedirectResponse("/defaults", 303)
