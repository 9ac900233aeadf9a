"""A link is opened: somebody joins a crew, or sets a new password. Nobody is signed in yet."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import select
from sqlalchemy.exc import IntegrityError

from gumboot.store import office
from gumboot.store.database import see_crew
from gumboot.store.models import Crew, Invitation, Person
from gumboot.web.pages.frame import render
from gumboot.web.people import links
from gumboot.web.people.account import end
from gumboot.web.people.passwords import Busy, hashed, weak
from gumboot.web.people.people import MAIL
from gumboot.web.people.sign_in import Sent, enter

router = APIRouter()
GONE = (
    "This link was used, taken back, or is more than three days old. Ask your supervisor for a new"
    " one."
)


def page(
    request: Request,
    row: Invitation,
    crew: str,
    typed: dict[str, str],
    faults: dict[str, str],
    status: int = 200,
) -> Response:
    """The page of a link."""
    context: dict[str, Any] = {
        "crew": crew,
        "role": row.role,
        "by": row.made_by,
        "fixed": row.email,
        "password_only": row.person_id is not None,
        "typed": {"name": row.name, "email": row.email, **typed},
        "faults": faults,
        "_visit": None,
    }
    return render(request, "join.html", context, status)


def gone(request: Request) -> Response:
    """What a link shows that is worth nothing any more."""
    return render(
        request,
        "message.html",
        {"title": "This link is gone", "message": GONE, "back": "/sign-in", "_visit": None},
        410,
    )


@router.get("/join/{token}")
def opened(request: Request, token: str) -> Response:
    """Who invites, and what is asked. To look at it uses nothing up."""
    with request.app.state.sessions() as db:
        row = links.found(db, token)
        crew = db.get(Crew, row.crew_id) if row else None
        return page(request, row, crew.name, {}, {}) if row and crew else gone(request)


@router.post("/join/{token}")
def join(request: Request, token: str, form: Sent) -> Response:
    """Join, or set the new password; the link is used up, and the person signed in."""
    typed = {
        k: str(form.get(k, "")).replace("\x00", "").strip()[:200]
        for k in ("name", "email", "password", "again_password")
    }
    typed["email"] = typed["email"].lower()
    try:
        with request.app.state.sessions.begin() as db:
            row = links.found(db, token, lock=True)
            crew = db.get(Crew, row.crew_id) if row else None
            if row is None or crew is None:
                return gone(request)
            typed["email"] = row.email or typed["email"]
            typed["name"] = row.name if row.person_id else typed["name"]
            shown = {k: typed[k] for k in ("name", "email")}
            faults = {}
            if not 0 < len(typed["name"]) <= 80:
                faults["name"] = "type your name, as it shall stand in the logs"
            if not MAIL.fullmatch(typed["email"]):
                faults["email"] = "type an e-mail address such as bo@crew.example"
            elif row.person_id is None and db.scalar(
                select(Person.id).where(Person.email == typed["email"], Person.left_at.is_(None))
            ):
                faults["email"] = (
                    "somebody signs in with this address already: type another one of yours"
                )
            if says := weak(typed["password"], (typed["name"], typed["email"], crew.name)):
                faults["password"] = says
            elif typed["password"] != typed["again_password"]:
                faults["again_password"] = "type the password the same way twice"  # noqa: S105
            if faults:
                return page(request, row, crew.name, shown, faults, 422)
            secret = hashed(typed["password"])
            see_crew(db, crew.id)
            if row.person_id:
                person = db.get(Person, row.person_id)
                if person is None or person.left_at is not None:
                    return gone(request)
                person.password_hash = secret
                end(db, person.id)
                office.append(db, crew.id, "password", person.name, person.role, {})
            else:
                person = Person(
                    crew_id=crew.id,
                    name=typed["name"],
                    email=typed["email"],
                    role=row.role,
                    password_hash=secret,
                )
                db.add(person)
                db.flush()
                said = {"role": row.role, "by": row.made_by}
                office.append(db, crew.id, "joined", person.name, person.role, said)
            row.used_at = datetime.now(UTC)
            if person.totp_since is not None:  # a new password does not stand in for the phone
                return RedirectResponse("/sign-in", 303)
            answer = RedirectResponse("/jobs", 303)
            enter(request, db, person, answer)
            return answer
    except Busy:
        return render(
            request,
            "message.html",
            {
                "title": "Busy",
                "message": "Many people are signing in. Go back, and send it again.",
                "back": f"/join/{token}",
                "_visit": None,
            },
            503,
        )
    except IntegrityError:
        return gone(request)
