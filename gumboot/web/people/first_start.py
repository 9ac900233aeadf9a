"""The first start: an empty database takes the one-time code that the server printed, and makes a
crew and its first supervisor.
"""

from __future__ import annotations

import secrets

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import delete, select, text
from sqlalchemy.orm import Session, sessionmaker

from gumboot.store import office
from gumboot.store.database import see_crew
from gumboot.store.models import Crew, FirstCode, Person
from gumboot.web.pages.frame import render
from gumboot.web.people.passwords import Busy, hashed, weak
from gumboot.web.people.people import MAIL
from gumboot.web.people.sign_in import Sent, address_of, enter
from gumboot.web.people.slowing import forgive, try_once
from gumboot.web.people.visit import token_hash

router = APIRouter()


def new_code(make: sessionmaker[Session]) -> str:
    """A one-time code for an empty database, in place of any before; "" when a crew is there."""
    with make.begin() as db:
        db.execute(text("select pg_advisory_xact_lock(7363)"))
        if db.scalar(select(Crew.id).limit(1)) is not None:
            return ""
        code = "-".join(secrets.token_hex(2) for _ in range(4))
        db.execute(delete(FirstCode))
        db.add(FirstCode(code_hash=token_hash(code)))
        return code


def empty(db: Session) -> bool:
    """Whether there is no crew yet."""
    return db.scalar(select(Crew.id).limit(1)) is None


FIELDS = ("code", "crew", "name", "email")


@router.get("/first-start")
def first(request: Request) -> Response:
    """What the first person of all is asked."""
    with request.app.state.sessions() as db:
        if not empty(db):
            return RedirectResponse("/sign-in", 303)
    typed = dict.fromkeys(FIELDS, "")
    return render(request, "first_start.html", {"typed": typed, "faults": {}, "_visit": None})


@router.post("/first-start")
def make_crew(request: Request, form: Sent) -> Response:
    """Make the crew and its first supervisor, for the right code."""
    typed = {k: str(form.get(k, "")).replace("\x00", "").strip()[:200] for k in FIELDS}
    typed["email"] = typed["email"].lower()
    password, again = (str(form.get(k, ""))[:400] for k in ("password", "again_password"))
    faults = {}
    if not 0 < len(typed["crew"]) <= 80:
        faults["crew"] = "type the crew's name, as it shall head its papers"
    if not 0 < len(typed["name"]) <= 80:
        faults["name"] = "type your name, as it shall stand in the logs"
    if not MAIL.fullmatch(typed["email"]):
        faults["email"] = "type an e-mail address such as bo@crew.example"
    if says := weak(password, (typed["crew"], typed["name"], typed["email"])):
        faults["password"] = says
    elif password != again:
        faults["again_password"] = "type the password the same way twice"  # noqa: S105
    make = request.app.state.sessions
    with make.begin() as db:
        if not empty(db):
            return RedirectResponse("/sign-in", 303)
        wait, number = try_once(db, "first start", address_of(request), "")
        code = db.get(FirstCode, token_hash(typed["code"].lower()))
        if wait:
            faults["code"] = f"too many tries: wait {wait} seconds"
        elif code is None:
            faults["code"] = "type the code that the server printed when it started"
        else:
            forgive(db, "first start", "", number)
    if not faults:
        try:
            secret = hashed(password)
        except Busy:
            faults["password"] = "wait a few seconds, then send it again"  # noqa: S105
    if faults:
        context = {"typed": typed, "faults": faults, "_visit": None}
        return render(request, "first_start.html", context, 422)
    with make.begin() as db:
        db.execute(text("select pg_advisory_xact_lock(7363)"))
        if not empty(db):
            return RedirectResponse("/sign-in", 303)
        db.execute(delete(FirstCode))
        crew = Crew(name=typed["crew"])
        db.add(crew)
        db.flush()
        db.refresh(crew)
        see_crew(db, crew.id)
        person = Person(
            crew_id=crew.id,
            name=typed["name"],
            email=typed["email"],
            role="supervisor",
            password_hash=secret,
        )
        db.add(person)
        db.flush()
        office.append(db, crew.id, "crew made", person.name, person.role, {"crew": crew.name})
        answer = RedirectResponse("/account/second?asked=1", 303)
        enter(request, db, person, answer)
        return answer
