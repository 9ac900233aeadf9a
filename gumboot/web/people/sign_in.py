"""Signing in and out: the password, the second factor where one is set up, and what was typed
before a session ran out carried on.
"""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import delete, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, sessionmaker
from starlette.datastructures import FormData

from gumboot.store import office
from gumboot.store.database import see_crew
from gumboot.store.models import Crew, FailedSignIn, KnownDevice, Person, SignIn
from gumboot.web.pages.frame import render
from gumboot.web.people import second
from gumboot.web.people.mask import is_of, masked
from gumboot.web.people.passwords import Busy, nobody, right
from gumboot.web.people.slowing import forgive, lane_of, try_once
from gumboot.web.people.visit import COOKIE, Visiting, local, sent_form, token_hash

router = APIRouter()
DEVICE = "gumboot-device"
SECOND_MINUTES = 10
CARRIED = 100_000  # characters of an interrupted form that a sign-in page carries on
Sent = Annotated[FormData, Depends(sent_form)]


def pending_of(request: Request) -> dict[str, object] | None:
    """What an interrupted change was about to send: its path and typed fields, files and secrets
    left out.
    """
    form: FormData | None = getattr(request.state, "form", None)
    if request.method != "POST" or form is None or request.url.path.startswith("/account"):
        return None  # secrets are not carried on
    fields = [
        (k, v)
        for k, v in form.multi_items()
        if isinstance(v, str) and k != "csrf" and "password" not in k
    ]
    if sum(len(v) for _, v in fields) > CARRIED:
        return None
    return {"path": request.url.path, "fields": fields}


def sign_in_page(
    request: Request,
    status: int = 200,
    *,
    error: str = "",
    email: str = "",
    pending: Mapping[str, object] | None = None,
    next_path: str = "/jobs",
    second_csrf: str = "",
) -> Response:
    """The sign-in page, carrying on what was typed before the session ran out; with second_csrf it
    asks for the second factor.
    """
    return render(
        request,
        "sign_in.html",
        {
            "error": error,
            "email": email,
            "pending": pending,
            "next": next_path,
            "second_csrf": second_csrf,
        },
        status=status,
    )


def address_of(request: Request) -> str:
    """Where a request comes from, as the server or a proxy it trusts says."""
    return request.client.host if request.client else ""


def carried(form: FormData) -> tuple[dict[str, object] | None, str]:
    """(what waits to be sent, where to go then) as a sign-in page carries it on."""
    path = form.get("pending_path", "")
    fields = [
        (k.removeprefix("pending."), v)
        for k, v in form.multi_items()
        if k.startswith("pending.") and isinstance(v, str)
    ]
    pending: dict[str, object] | None = (
        {"path": local(path), "fields": fields} if isinstance(path, str) and path else None
    )
    return pending, local(str(form.get("next", "/jobs")))


@router.get("/sign-in")
def ask(request: Request) -> Response:
    """The sign-in page; of an empty database the first start."""
    with request.app.state.sessions() as db:
        if db.scalar(select(Crew.id).limit(1)) is None:
            return RedirectResponse("/first-start", 303)
    return sign_in_page(request, next_path=local(request.query_params.get("next", "/jobs")))


@router.post("/sign-in")
def sign_in(request: Request, form: Sent) -> Response:
    """Check the password; then go on, ask for the second factor, or offer to send what had been
    typed. Attempts are slowed.
    """
    texts = {k: v.replace("\x00", "") for k, v in form.multi_items() if isinstance(v, str)}
    email, password = texts.get("email", "").strip().lower()[:200], texts.get("password", "")
    pending, next_path = carried(form)
    address, device = address_of(request), token_hash(request.cookies.get(DEVICE, ""))

    def again(status: int, error: str) -> Response:
        return sign_in_page(
            request, status, error=error, email=email, pending=pending, next_path=next_path
        )

    make = request.app.state.sessions
    with make.begin() as db:
        lane = lane_of(db, email, device)
        wait, number = try_once(db, email, address, lane)
        person = db.scalar(select(Person).where(Person.email == email, Person.left_at.is_(None)))
    if wait:
        return again(429, f"Too many tries. Wait {wait} seconds, then try again.")
    try:
        good = right(person.password_hash if person else nobody(), password)
    except Busy:
        with make.begin() as db:
            db.execute(delete(FailedSignIn).where(FailedSignIn.id == number))
        return again(503, "Many people are signing in. Wait a few seconds, then try again.")
    if person is None or not good:
        if person is not None:
            _told(
                make,
                person.crew_id,
                "sign-in failed",
                what="password",
                email=email,
                address=address,
            )
        return again(401, "E-mail and password do not match. Type both again.")
    with make.begin() as db:
        if person.totp_since is None:
            forgive(db, email, lane, number)
            return _in(request, db, person, pending, next_path)
        token, csrf = _session(request, db, person, second_due=True)
        forgive(db, email, lane, number)
    answer = sign_in_page(
        request, email=email, pending=pending, next_path=next_path, second_csrf=masked(csrf)
    )
    _cookie(request, answer, token)
    return answer


@router.post("/sign-in/second")
def sign_in_second(request: Request, form: Sent) -> Response:
    """Check the code of the second factor, or a recovery code; attempts are slowed as passwords
    are.
    """
    pending, next_path = carried(form)
    address, key = address_of(request), token_hash(request.cookies.get(COOKIE, ""))
    code = str(form.get("code", "")).replace("\x00", "")[:60]
    with request.app.state.sessions.begin() as db:
        row = db.scalar(
            select(SignIn).where(
                SignIn.token_hash == key,
                SignIn.second_due.is_(True),
                SignIn.expires_at > datetime.now(UTC),
            )
        )
        person = db.get(Person, row.person_id, with_for_update=True) if row else None
        if row is None or person is None or person.left_at is not None:
            late = "That took too long. Type e-mail and password again."
            return sign_in_page(request, 401, error=late, pending=pending, next_path=next_path)
        lane = f"second {person.id}"
        see_crew(db, person.crew_id)

        def again(status: int, error: str) -> Response:
            return sign_in_page(
                request,
                status,
                error=error,
                email=person.email,
                pending=pending,
                next_path=next_path,
                second_csrf=masked(row.csrf),
            )

        if not is_of(str(form.get("csrf", "")), row.csrf):
            return again(
                403, "This page was not made by your present sign-in. Type the code again."
            )
        wait, number = try_once(db, person.email, address, lane)
        if wait:
            return again(429, f"Too many tries. Wait {wait} seconds, then try again.")
        how = second.check(db, person, code)
        if not how:
            body = {"what": "code", "email": person.email, "address": address}
            office.append(db, person.crew_id, "sign-in failed", person.name, person.role, body)
            return again(
                401,
                "The code does not match. Type the six figures your phone shows now, or one of your"
                " recovery codes that you have not used.",
            )
        forgive(db, person.email, lane, number)
        db.delete(row)
        db.flush()
        return _in(request, db, person, pending, next_path, how)


def _session(
    request: Request, db: Session, person: Person, *, second_due: bool = False
) -> tuple[str, str]:
    """(token, CSRF token) of a new session; the one this browser had ends."""
    now = datetime.now(UTC)
    db.execute(
        delete(SignIn).where(
            (SignIn.expires_at < now)
            | (SignIn.token_hash == token_hash(request.cookies.get(COOKIE, "")))
        )
    )
    token, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
    minutes = SECOND_MINUTES if second_due else request.app.state.config.session_minutes
    db.add(
        SignIn(
            token_hash=token_hash(token),
            person_id=person.id,
            csrf=csrf,
            expires_at=now + timedelta(minutes=minutes),
            address=address_of(request),
            device=browser_of(request.headers.get("user-agent", "")),
            second_due=second_due,
        )
    )
    return token, csrf


def enter(request: Request, db: Session, person: Person, answer: Response, how: str = "") -> str:
    """Begin a session in an answer: its cookie, this browser known from now on, a line in the
    office log. Returns the CSRF token.
    """
    token, csrf = _session(request, db, person)
    device = request.cookies.get(DEVICE, "")
    if not 20 <= len(device) <= 60:
        device = secrets.token_urlsafe(24)
    see_crew(db, person.crew_id)
    row = insert(KnownDevice).values(token_hash=token_hash(device), person_id=person.id)
    db.execute(row.on_conflict_do_nothing())
    address = address_of(request)
    said = {"code": ", with a code", "recovery code": ", with a recovery code"}.get(how, "")
    body = {"address": address, "second": said}
    office.append(db, person.crew_id, "signed in", person.name, person.role, body)
    _cookie(request, answer, token)
    answer.set_cookie(
        DEVICE,
        device,
        max_age=400 * 86400,
        httponly=True,
        samesite="lax",
        secure=request.app.state.config.secure_cookies,
        path="/sign-in",
    )
    return csrf


def _in(
    request: Request,
    db: Session,
    person: Person,
    pending: Mapping[str, object] | None,
    next_path: str,
    how: str = "",
) -> Response:
    crew = db.get(Crew, person.crew_id)
    asked = crew is not None and second.asked_of(crew.second_asked, person.role)
    if not pending:
        if asked and person.totp_since is None:
            next_path = "/account/second?asked=1"
        answer: Response = RedirectResponse(next_path, 303)
        enter(request, db, person, answer, how)
        return answer
    kept = Response()
    csrf = enter(request, db, person, kept, how)
    answer = render(
        request,
        "send_again.html",
        {"path": pending["path"], "fields": pending["fields"], "csrf": masked(csrf)},
    )
    for name, value in kept.raw_headers:
        if name == b"set-cookie":
            answer.raw_headers.append((name, value))
    return answer


def _cookie(request: Request, answer: Response, token: str) -> None:
    secure = request.app.state.config.secure_cookies
    answer.set_cookie(COOKIE, token, httponly=True, samesite="lax", secure=secure, path="/")


def _told(make: sessionmaker[Session], crew_id: int, kind: str, **body: str) -> None:
    """A line in a crew's office log that nobody signed in wrote."""
    with make.begin() as db:
        see_crew(db, crew_id)
        office.append(db, crew_id, kind, "", "", body)


def browser_of(agent: str) -> str:
    """A browser in two words: "Firefox, Android". Enough to know one's own again."""
    kinds = ("Firefox", "Edg", "OPR", "Chrome", "Safari")
    systems = ("Android", "iPhone", "iPad", "Windows", "Macintosh", "Linux")
    kind = next((k for k in kinds if k in agent), "a program")
    system = next((s for s in systems if s in agent), "")
    return ", ".join(x for x in (kind, system) if x)


@router.post("/sign-out")
def sign_out(request: Request, visit: Visiting) -> Response:
    """End the session on the server as well as in the browser."""
    visit.db.execute(delete(SignIn).where(SignIn.token_hash == visit.key))
    visit.tells("signed out")
    visit.db.commit()
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(COOKIE, path="/")
    return answer
