"""The second factor: a code that a phone shows anew every 30 s (TOTP, RFC 6238), and ten recovery
codes for the day the phone is gone.
"""

from __future__ import annotations

import hmac
import io
import secrets
from datetime import UTC, datetime
from typing import Any

import pyotp
import segno
from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from gumboot.store import office
from gumboot.store.models import Crew, Person, RecoveryCode
from gumboot.web.pages.frame import drawn, render
from gumboot.web.people.passwords import Busy, right
from gumboot.web.people.visit import Visit, Visiting, token_hash

router = APIRouter()
STEP_S = 30
CODES = 10
LETTERS = "ABCDEFGHJKLMNPQRSTUVWXYZ23456789"  # none that is read as another


def asked_of(whom: str, role: str) -> bool:
    """Whether a crew asks a role for a second factor."""
    return whom == "everybody" or (whom == "supervisor" and role == "supervisor")


def check(db: Session, person: Person, code: str) -> str:
    """How a code is right: "code", "recovery code", or "" when it is not. Each is taken once."""
    typed = "".join(c for c in code.upper() if c.isalnum())
    if person.totp_secret and typed.isascii() and typed.isdigit() and len(typed) == 6:
        totp, now = pyotp.TOTP(person.totp_secret), int(datetime.now(UTC).timestamp()) // STEP_S
        for step in (now, now - 1, now + 1):
            taken = person.totp_step - 2 <= step <= person.totp_step
            if not taken and hmac.compare_digest(totp.generate_otp(step), typed):
                person.totp_step = step
                return "code"
        return ""
    gone = db.scalar(
        delete(RecoveryCode)
        .where(RecoveryCode.code_hash == token_hash(typed), RecoveryCode.person_id == person.id)
        .returning(RecoveryCode.code_hash)
    )
    if gone is None:
        return ""
    left = {"left": left_of(db, person.id)}
    office.append(db, person.crew_id, "recovery code", person.name, person.role, left)
    return "recovery code"


def left_of(db: Session, person_id: int) -> int:
    """How many recovery codes a person has left."""
    asked = (
        select(func.count()).select_from(RecoveryCode).where(RecoveryCode.person_id == person_id)
    )
    return db.scalar(asked) or 0


def new_codes(db: Session, person_id: int) -> list[str]:
    """Ten new recovery codes; the old ones are worth nothing from now on."""
    db.execute(delete(RecoveryCode).where(RecoveryCode.person_id == person_id))
    codes = ["".join(secrets.choice(LETTERS) for _ in range(16)) for _ in range(CODES)]
    db.add_all(RecoveryCode(code_hash=token_hash(c), person_id=person_id) for c in codes)
    db.flush()
    return ["-".join(c[i : i + 4] for i in range(0, 16, 4)) for c in codes]


def take_off(db: Session, person: Person) -> None:
    """No second factor any more, nor its recovery codes."""
    person.totp_secret, person.totp_since, person.totp_step = None, None, 0
    db.execute(delete(RecoveryCode).where(RecoveryCode.person_id == person.id))


def me(visit: Visit) -> Person:
    """Who is asking, as the database has it."""
    person = visit.db.get(Person, visit.person_id, with_for_update=True)
    assert person is not None  # noqa: S101 - a session has its person
    return person


def page(visit: Visit, fault: str = "", asked: bool = False, codes: list[str] | None = None) -> Any:
    """What the page of the second factor shows."""
    person = me(visit)
    if person.totp_since is None and not person.totp_secret:
        person.totp_secret = pyotp.random_base32()
    crew = visit.db.get(Crew, visit.crew_id)
    uri, svg = "", io.BytesIO()
    if person.totp_since is None and person.totp_secret:
        uri = pyotp.TOTP(person.totp_secret).provisioning_uri(
            name=person.email, issuer_name="Gumboot"
        )
        segno.make(uri, error="m").save(
            svg, kind="svg", scale=4, border=4, xmldecl=False, svgclass="qr", lineclass=None
        )
    data = {
        "on": person.totp_since,
        "left": left_of(visit.db, person.id),
        "must": crew is not None and asked_of(crew.second_asked, visit.role),
        "asked": asked,
        "fault": fault,
        "_secret": person.totp_secret if person.totp_since is None else "",
        "_uri": uri,
        "_qr": drawn(svg.getvalue().decode()),
        "_codes": codes or [],
        "_visit": visit,
    }
    return data


@router.get("/account/second")
def second(request: Request, visit: Visiting) -> Response:
    """Set up the second factor, or see that it is."""
    answer = render(request, "second.html", page(visit, asked="asked" in request.query_params))
    visit.db.commit()
    return answer


@router.post("/account/second")
def switch_on(request: Request, visit: Visiting) -> Response:
    """The first code typed: the second factor is on, and the recovery codes are shown once."""
    person = me(visit)
    if person.totp_since is not None:
        return RedirectResponse("/account/second", 303)
    if check(visit.db, person, visit.text("code")) != "code":
        says = (
            "The code does not match. Type the six figures the phone shows now; if they never"
            " match,"
            " set the phone's clock by the network."
        )
        return render(request, "second.html", page(visit, says), 422)
    person.totp_since = datetime.now(UTC)
    codes = new_codes(visit.db, person.id)
    visit.tells("second factor on")
    answer = render(request, "second.html", page(visit, codes=codes))
    visit.db.commit()
    return answer


@router.post("/account/second/codes")
def codes_anew(request: Request, visit: Visiting) -> Response:
    """Ten new recovery codes, shown once, for the right password."""
    return _by_password(request, visit, off=False)


@router.post("/account/second/off")
def switch_off(request: Request, visit: Visiting) -> Response:
    """No second factor any more, for the right password."""
    return _by_password(request, visit, off=True)


def _by_password(request: Request, visit: Visit, *, off: bool) -> Response:
    person = me(visit)
    if person.totp_since is None:
        return RedirectResponse("/account/second", 303)
    try:
        good = right(person.password_hash, visit.text("password"))
    except Busy:
        return render(
            request, "second.html", page(visit, "Wait a few seconds, then try again."), 503
        )
    if not good:
        return render(request, "second.html", page(visit, "Type your present password."), 422)
    if off:
        take_off(visit.db, person)
        visit.tells("second factor off", name=person.name)
        visit.db.commit()
        return RedirectResponse("/account", 303)
    codes = new_codes(visit.db, person.id)
    visit.tells("recovery codes")
    answer = render(request, "second.html", page(visit, codes=codes))
    visit.db.commit()
    return answer
