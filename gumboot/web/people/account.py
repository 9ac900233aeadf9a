"""What everybody does for themselves: a new password, the own sign-ins seen and ended."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from gumboot.store.models import SignIn
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.passwords import Busy, hashed, right, weak
from gumboot.web.people.second import left_of, me
from gumboot.web.people.visit import Visit, Visiting

router = APIRouter()


def sign_ins(db: Session, person_id: int, here: str = "") -> list[dict[str, Any]]:
    """The sign-ins of a person, the latest used first; `id` names one without giving its key."""
    rows = db.scalars(
        select(SignIn)
        .where(SignIn.person_id == person_id, SignIn.second_due.is_(False))
        .order_by(SignIn.seen_at.desc())
    )
    return [
        {
            "id": r.token_hash[:16],
            "device": r.device or "not known",
            "address": r.address,
            "since": r.made_at,
            "seen": r.seen_at,
            "here": r.token_hash == here,
        }
        for r in rows
    ]


def end(db: Session, person_id: int, which: str = "", but: str = "") -> int:
    """End one sign-in of a person, or all of them but one; how many ended."""
    asked = delete(SignIn).where(SignIn.person_id == person_id, SignIn.token_hash != but)
    if which:
        asked = asked.where(SignIn.token_hash.startswith(which, autoescape=True))
    return len(db.execute(asked.returning(SignIn.token_hash)).all())


def page(visit: Visit, faults: dict[str, str], done: str = "") -> dict[str, Any]:
    """The page of the own account."""
    person = me(visit)
    return {
        "name": person.name,
        "email": person.email,
        "role": person.role,
        "second_since": person.totp_since,
        "recovery_codes": left_of(visit.db, person.id),
        "sign_ins": sign_ins(visit.db, person.id, visit.key),
        "faults": faults,
        "done": done,
        "_visit": visit,
    }


@twin(router, "/account", "account.html")
def account(request: Request, visit: Visiting) -> dict[str, Any]:
    """The own account."""
    done = {"password": "The new password holds. Every other sign-in of yours has ended."}
    return page(visit, {}, done.get(request.query_params.get("done", ""), ""))


@router.post("/account/password")
def password(request: Request, visit: Visiting) -> Response:
    """A new password for the right old one; every other sign-in of this person ends."""
    person, new = me(visit), visit.text("new_password")
    faults: dict[str, str] = {}
    try:
        if not right(person.password_hash, visit.text("old_password")):
            faults["old_password"] = "type your present password"  # noqa: S105
        elif says := weak(new, (person.name, person.email)):
            faults["new_password"] = says
        elif new != visit.text("again_password"):
            faults["again_password"] = "type the new password the same way twice"  # noqa: S105
        else:
            person.password_hash = hashed(new)
    except Busy:
        faults["old_password"] = "wait a few seconds, then send it again"  # noqa: S105
    if faults:
        return render(request, "account.html", page(visit, faults), 422)
    end(visit.db, person.id, but=visit.key)
    visit.tells("password")
    visit.db.commit()
    return RedirectResponse("/account?done=password", 303)


@router.post("/account/sign-ins/end")
def end_sign_in(request: Request, visit: Visiting) -> Response:
    """End one of the own sign-ins, or every other."""
    which = visit.text("which")[:16]
    count = end(visit.db, visit.person_id, which, "" if which else visit.key)
    if count:
        visit.tells("sessions ended", name=visit.who, count=count)
    visit.db.commit()
    return RedirectResponse("/account", 303)
