"""The people of a crew: a supervisor invites, sets roles, takes out, sees and ends sign-ins."""

from __future__ import annotations

import re
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import delete, func, select

from gumboot.store.models import Crew, Invitation, KnownDevice, Person, SignIn
from gumboot.web.pages.frame import render, twin
from gumboot.web.people import links, second
from gumboot.web.people.account import end, sign_ins
from gumboot.web.people.mail import send
from gumboot.web.people.visit import Visit, Visiting

router = APIRouter()
ROLES = ("planner", "installer", "supervisor")
ASKED = {
    "supervisor": "supervisors",
    "everybody": "everybody",
    "nobody": "nobody",
}
MAIL = re.compile(r"[^@\s,;<>\"]{1,64}@[^@\s,;<>\"]{1,180}")


def listed(visit: Visit) -> list[dict[str, Any]]:
    """Everybody of the crew, by name."""
    seen = (
        select(SignIn.person_id, func.max(SignIn.seen_at).label("seen"), func.count().label("n"))
        .where(SignIn.second_due.is_(False))
        .group_by(SignIn.person_id)
        .subquery()
    )
    rows = visit.db.execute(
        select(Person, seen.c.seen, seen.c.n)
        .outerjoin(seen, seen.c.person_id == Person.id)
        .where(Person.crew_id == visit.crew_id, Person.left_at.is_(None))
        .order_by(func.lower(Person.name))
    )
    return [
        {
            "id": p.id,
            "name": p.name,
            "email": p.email,
            "role": p.role,
            "second": p.totp_since is not None,
            "seen": last,
            "sign_ins": count or 0,
            "me": p.id == visit.person_id,
        }
        for p, last, count in rows
    ]


def page(
    visit: Visit,
    typed: dict[str, str] | None = None,
    faults: dict[str, str] | None = None,
    **more: Any,
) -> dict[str, Any]:
    """The page of the crew's people."""
    open_ = visit.db.scalars(
        select(Invitation)
        .where(
            Invitation.crew_id == visit.crew_id,
            Invitation.used_at.is_(None),
            Invitation.ends_at > datetime.now(UTC),
        )
        .order_by(Invitation.made_at.desc())
    )
    crew = visit.db.get(Crew, visit.crew_id)
    assert crew is not None  # noqa: S101
    return {
        "crew": crew.name,
        "people": listed(visit),
        "invitations": [
            {
                "id": i.token_hash[:16],
                "name": i.name,
                "email": i.email,
                "role": i.role,
                "by": i.made_by,
                "ends": i.ends_at,
                "password": i.person_id is not None,
            }
            for i in open_
        ]
        if visit.role == "supervisor"
        else [],
        "second_asked": crew.second_asked,
        "typed": {"name": "", "email": "", "role": "installer", **(typed or {})},
        "faults": faults or {},
        "_roles": ROLES,
        "_asked": ASKED,
        "_link": "",
        "_said": "",
        "_visit": visit,
        **{f"_{k}": v for k, v in more.items()},
    }


@twin(router, "/people", "people.html")
def people(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's people."""
    return page(visit, mails=bool(request.app.state.config.smtp))


def again(request: Request, visit: Visit, status: int = 422, **kwargs: Any) -> Response:
    """The page once more, with what is to be said."""
    mails = bool(request.app.state.config.smtp)
    return render(request, "people.html", page(visit, mails=mails, **kwargs), status)


@router.post("/people/invite")
def invite(request: Request, visit: Visiting) -> Response:
    """A link for a new person, shown once; by mail too where that is wished."""
    visit.needs("supervisor")
    typed = {k: visit.text(k)[:200] for k in ("name", "email", "role")}
    typed["email"] = typed["email"].lower()
    faults = {}
    if not typed["name"] or len(typed["name"]) > 80:
        faults["name"] = "type the name, as it shall stand in the logs"
    if typed["email"] and not MAIL.fullmatch(typed["email"]):
        faults["email"] = "type an e-mail address such as bo@crew.example, or leave it empty"
    elif typed["email"] and visit.db.scalar(
        select(Person.id).where(Person.email == typed["email"], Person.left_at.is_(None))
    ):
        faults["email"] = "this person is in the crew already"
    by_mail = visit.text("mail") == "yes"
    if by_mail and not typed["email"] and "email" not in faults:
        faults["email"] = "type the address that the link shall go to"
    if typed["role"] not in ROLES:
        faults["role"] = "choose a role"
    if faults:
        return again(request, visit, typed=typed, faults=faults)
    token = links.make(visit, typed["name"], typed["email"], typed["role"])
    by = f", {typed['email']}" if typed["email"] else ""
    visit.tells("invited", name=typed["name"], role=typed["role"], by=by)
    return _handed(request, visit, token, typed["name"], typed["email"] if by_mail else "", "join")


@router.post("/people/{person_id}/password")
def password_link(request: Request, visit: Visiting, person_id: int) -> Response:
    """A link with which a person sets a new password."""
    visit.needs("supervisor")
    person = of_crew(visit, person_id)
    if person is None:
        return RedirectResponse("/people", 303)
    token = links.make(visit, person.name, person.email, person.role, person)
    visit.tells("password link", name=person.name)
    to = person.email if visit.text("mail") == "yes" else ""
    return _handed(request, visit, token, person.name, to, "password")


def _handed(request: Request, visit: Visit, token: str, name: str, to: str, what: str) -> Response:
    """The page with a new link; it stands there once and nowhere else."""
    link, said = links.address(request, token), ""
    visit.db.flush()
    shown = page(visit, mails=bool(request.app.state.config.smtp))
    visit.db.commit()
    config = request.app.state.config
    if to and config.smtp and config.site:
        text = (
            f"{visit.who} invites you to the crew {shown['crew']} on Gumboot."
            if what == "join"
            else f"{visit.who} made this link for you to set a new password on Gumboot."
        )
        fault = send(
            config.smtp,
            config.mail_from,
            to,
            f"Gumboot: {shown['crew']}",
            f"{name},\n\n{text}\n\n{link}\n\nIt is good once, and for three days.\n",
        )
        said = f"Mail to {to}: {fault}. Hand the link over yourself." if fault else f"Sent to {to}."
    return render(request, "people.html", {**shown, "_link": link, "_for": name, "_said": said})


@router.post("/people/invitations/withdraw")
def withdraw(request: Request, visit: Visiting) -> Response:
    """Take an invitation back; its link is worth nothing from now on."""
    visit.needs("supervisor")
    which = visit.text("which")[:16]
    row = (
        visit.db.scalar(
            select(Invitation).where(
                Invitation.crew_id == visit.crew_id,
                Invitation.used_at.is_(None),
                Invitation.token_hash.startswith(which, autoescape=True),
            )
        )
        if len(which) == 16
        else None
    )
    if row:
        visit.db.delete(row)
        visit.tells("invitation taken back", name=row.name)
        visit.db.commit()
    return RedirectResponse("/people", 303)


def of_crew(visit: Visit, person_id: int) -> Person | None:
    """Somebody of the own crew who has not left."""
    if not 0 < person_id < 2**31:
        return None
    return visit.db.scalar(
        select(Person)
        .where(Person.id == person_id, Person.crew_id == visit.crew_id, Person.left_at.is_(None))
        .with_for_update()
    )


def last_supervisor(visit: Visit, person: Person) -> bool:
    """Whether the crew would be without a supervisor. Locks the crew, so that two who take each
    other out come one after the other.
    """
    visit.db.execute(select(Crew.id).where(Crew.id == visit.crew_id).with_for_update())
    others = visit.db.scalar(
        select(func.count())
        .select_from(Person)
        .where(
            Person.crew_id == visit.crew_id,
            Person.role == "supervisor",
            Person.left_at.is_(None),
            Person.id != person.id,
        )
    )
    return not others


def still_one(visit: Visit) -> bool:
    """Whether who asks is still a supervisor, now that the crew is locked."""
    return bool(
        visit.db.scalar(
            select(Person.id).where(
                Person.id == visit.person_id,
                Person.role == "supervisor",
                Person.left_at.is_(None),
            )
        )
    )


LAST = (
    "This is the crew's last supervisor. Make somebody else a supervisor first; without one nobody"
    " could accept checks, sign, or invite."
)


@router.post("/people/{person_id}/role")
def role(request: Request, visit: Visiting, person_id: int) -> Response:
    """Another role, in force at once."""
    visit.needs("supervisor")
    wanted = visit.text("role")
    visit.db.execute(select(Crew.id).where(Crew.id == visit.crew_id).with_for_update())
    person = of_crew(visit, person_id)
    if person is None or wanted not in ROLES or not still_one(visit):
        return RedirectResponse("/people", 303)
    if wanted != person.role:
        if person.role == "supervisor" and last_supervisor(visit, person):
            return again(request, visit, 409, said=LAST)
        before, person.role = person.role, wanted
        visit.tells("role", name=person.name, role=wanted, before=before)
        visit.db.commit()
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/take-out")
def take_out(request: Request, visit: Visiting, person_id: int) -> Response:
    """Somebody leaves the crew: signed out everywhere at once, the name stays in the logs."""
    visit.needs("supervisor")
    visit.db.execute(select(Crew.id).where(Crew.id == visit.crew_id).with_for_update())
    person = of_crew(visit, person_id)
    if person is None or not still_one(visit):
        return RedirectResponse("/people", 303)
    if person.role == "supervisor" and last_supervisor(visit, person):
        return again(request, visit, 409, said=LAST)
    person.left_at = datetime.now(UTC)
    second.take_off(visit.db, person)
    end(visit.db, person.id)
    visit.db.execute(delete(KnownDevice).where(KnownDevice.person_id == person.id))
    visit.db.execute(
        delete(Invitation).where(Invitation.person_id == person.id, Invitation.used_at.is_(None))
    )
    visit.tells("taken out", name=person.name)
    visit.db.commit()
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/sign-ins/end")
def end_theirs(request: Request, visit: Visiting, person_id: int) -> Response:
    """End every sign-in of somebody, or one."""
    visit.needs("supervisor")
    person = of_crew(visit, person_id)
    if person:
        count = end(visit.db, person.id, visit.text("which")[:16])
        if count:
            visit.tells("sessions ended", name=person.name, count=count)
        visit.db.commit()
    return RedirectResponse(f"/people/{person_id}", 303)


@router.post("/people/{person_id}/second/off")
def second_off(request: Request, visit: Visiting, person_id: int) -> Response:
    """Take off the second factor of somebody who lost phone and codes."""
    visit.needs("supervisor")
    person = of_crew(visit, person_id)
    if person and person.totp_since:
        second.take_off(visit.db, person)
        end(visit.db, person.id)
        visit.tells("second factor off", name=person.name)
        visit.db.commit()
    return RedirectResponse(f"/people/{person_id}", 303)


@router.post("/people/second")
def who_is_asked(request: Request, visit: Visiting) -> Response:
    """Of whom a second factor is asked."""
    visit.needs("supervisor")
    crew, whom = visit.db.get(Crew, visit.crew_id), visit.text("whom")
    if crew and whom in ASKED and whom != crew.second_asked:
        crew.second_asked = whom
        visit.tells("asked of", whom=ASKED[whom])
        visit.db.commit()
    return RedirectResponse("/people", 303)


@twin(router, "/people/{person_id}", "person.html")
def person(request: Request, visit: Visiting, person_id: int) -> dict[str, Any] | Response:
    """One person, with sign-ins, for a supervisor."""
    visit.needs("supervisor")
    found = of_crew(visit, person_id)
    if found is None:
        return render(
            request,
            "message.html",
            {
                "title": "No such person",
                "message": "Your crew has nobody of this number.",
                "back": "/people",
                "_visit": visit,
            },
            404,
        )
    return {
        "person": {
            "id": found.id,
            "name": found.name,
            "email": found.email,
            "role": found.role,
            "second_since": found.totp_since,
            "since": found.made_at,
            "me": found.id == visit.person_id,
        },
        "sign_ins": sign_ins(visit.db, found.id, visit.key),
        "_roles": ROLES,
        "_mails": bool(request.app.state.config.smtp),
        "_visit": visit,
    }
