"""Who is asking: sign-in, server-side sessions, CSRF, roles, and the one transaction a request
works in.

`Visit` is the only way a handler gets a database session, and that session sees one crew's rows
only.
"""

from __future__ import annotations

import hashlib
import secrets
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property, lru_cache
from typing import Annotated

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error
from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import Text, bindparam, cast, delete, func, select
from sqlalchemy.orm import Session
from starlette.datastructures import FormData, UploadFile

from gumboot.store.database import see_crew
from gumboot.store.models import FailedSignIn, Person, SignIn
from gumboot.web.pages.frame import render
from gumboot.web.people.mask import is_of, masked

router = APIRouter()
hasher = PasswordHasher()
COOKIE = "gumboot"
FREE_TRIES, WINDOW = 5, timedelta(minutes=15)
ROLES = {"planner": "planner", "installer": "installer", "supervisor": "supervisor"}


SIGNED_IN = (  # who a token belongs to; and from here on the transaction sees that crew's rows
    select(
        SignIn.csrf,
        SignIn.expires_at,
        Person.id,
        Person.crew_id,
        Person.name,
        Person.role,
        func.set_config("gumboot.crew", cast(Person.crew_id, Text), True),
    )
    .join(Person, Person.id == SignIn.person_id)
    .where(SignIn.token_hash == bindparam("token"), SignIn.expires_at > bindparam("now"))
)


@lru_cache(maxsize=1)
def nobody() -> str:
    """A hash verified against when the address is unknown, so that both take as long."""
    return hasher.hash(secrets.token_hex(8))


class NeedsSignIn(Exception):
    """No session, or it ran out. What was typed waits in the sign-in page."""


class Forbidden(Exception):
    """Signed in, but not allowed; the message says who is."""


@dataclass
class Visit:
    """One request by one signed-in person: who, the form they sent, and a database session of their
    crew.
    """

    db: Session
    person_id: int
    crew_id: int
    who: str
    role: str
    token: str
    form: FormData

    @cached_property
    def csrf(self) -> str:
        """The session's token as this page carries it."""
        return masked(self.token)

    def needs(self, *roles: str) -> None:
        """Raise Forbidden unless the person has one of the roles."""
        if self.role not in roles:
            raise Forbidden(
                f"This is for a {' or '.join(roles)}; you are signed in as {self.role}."
            )

    def text(self, name: str) -> str:
        """A typed field, stripped; empty when absent."""
        value = self.form.get(name, "")
        return value.replace("\x00", "").strip() if isinstance(value, str) else ""

    def whole(self, name: str, otherwise: int) -> int:
        """A sent whole number; `otherwise` when it is none, or too long to be meant."""
        sent = self.text(name)
        return int(sent) if sent.isdecimal() and len(sent) < 10 else otherwise


def token_hash(token: str) -> str:
    """What is kept of a session token."""
    return hashlib.sha256(token.encode()).hexdigest()


async def sent_form(request: Request) -> FormData:
    """The form of a change; kept on the request so that a sign-in page can carry it on."""
    form = (
        await request.form(max_files=12, max_fields=2000, max_part_size=8_000_000)
        if request.method == "POST"
        else FormData()
    )
    request.state.form = form
    return form


def visit(request: Request, form: Annotated[FormData, Depends(sent_form)]) -> Iterator[Visit]:
    """The visit of a signed-in person. Raises NeedsSignIn, or Forbidden when a change lacks the
    session's CSRF token.
    """
    with request.app.state.sessions() as db:
        now = datetime.now(UTC)
        row = db.execute(
            SIGNED_IN, {"token": token_hash(request.cookies.get(COOKIE, "")), "now": now}
        ).first()
        if row is None:
            raise NeedsSignIn
        length = timedelta(minutes=request.app.state.config.session_minutes)
        found = Visit(db, row.id, row.crew_id, row.name, row.role, row.csrf, form)
        if request.method not in ("GET", "HEAD"):
            sent = str(form.get("csrf", "") or request.headers.get("x-csrf-token", ""))
            if not is_of(sent, row.csrf):
                raise Forbidden(
                    "This page was not made by your present sign-in. Go back, reload it, and send"
                    " again."
                )
        if row.expires_at - now < length * 0.9:
            if (kept := db.get(SignIn, token_hash(request.cookies[COOKIE]))) is not None:
                kept.expires_at = now + length
            db.commit()
            see_crew(db, row.crew_id)
        yield found


visiting = contextmanager(visit)
Visiting = Annotated[Visit, Depends(visit)]


def wait_seconds(db: Session, email: str, address: str) -> int:
    """How long this e-mail or address must wait: nothing for five failures in a quarter hour, then
    2, 4, 8 … 300 s after the last.
    """
    since = datetime.now(UTC) - WINDOW
    longest = 0.0
    for column, value, free in (
        (FailedSignIn.email, email, FREE_TRIES),
        (FailedSignIn.address, address, 4 * FREE_TRIES),
    ):
        count, last = db.execute(
            select(func.count(), func.max(FailedSignIn.at)).where(
                column == value, FailedSignIn.at > since
            )
        ).one()
        if count >= free:
            longest = max(
                longest,
                min(300, 2 ** (count - free + 1)) - (datetime.now(UTC) - last).total_seconds(),
            )
    return max(0, round(longest))


def pending_of(request: Request) -> dict[str, object] | None:
    """What an interrupted change was about to send: its path and typed fields, files and secrets
    left out.
    """
    form: FormData | None = getattr(request.state, "form", None)
    if request.method != "POST" or form is None:
        return None
    return {
        "path": request.url.path,
        "fields": [
            (k, v)
            for k, v in form.multi_items()
            if isinstance(v, str) and k not in ("csrf", "password")
        ],
    }


def sign_in_page(
    request: Request,
    status: int = 200,
    *,
    error: str = "",
    email: str = "",
    pending: Mapping[str, object] | None = None,
    next_path: str = "/jobs",
) -> Response:
    """The sign-in page, carrying on what was typed before the session ran out."""
    return render(
        request,
        "sign_in.html",
        {"error": error, "email": email, "pending": pending, "next": next_path},
        status=status,
    )


def local(path: str) -> str:
    """A path on this site, or the job list for anything else."""
    return (
        path
        if path.startswith("/") and not path.startswith(("//", "/\\")) and "\n" not in path
        else "/jobs"
    )


@router.get("/sign-in")
def ask(request: Request) -> Response:
    """The sign-in page."""
    return sign_in_page(request, next_path=local(request.query_params.get("next", "/jobs")))


@router.post("/sign-in")
def sign_in(request: Request, form: Annotated[FormData, Depends(sent_form)]) -> Response:
    """Check the password; then go on, or offer to send what had been typed. Attempts are slowed."""
    texts = {k: v for k, v in form.multi_items() if isinstance(v, str)}
    email, password = texts.get("email", "").strip().lower(), texts.get("password", "")
    next_path, path = local(texts.get("next", "/jobs")), texts.get("pending_path", "")
    fields = [
        (k.removeprefix("pending."), v)
        for k, v in form.multi_items()
        if k.startswith("pending.") and isinstance(v, str)
    ]
    pending = {"path": local(path), "fields": fields} if path else None
    address = request.client.host if request.client else ""
    with request.app.state.sessions.begin() as db:
        wait = wait_seconds(db, email, address)
        if wait:
            return sign_in_page(
                request,
                429,
                error=f"Too many tries. Wait {wait} seconds, then try again.",
                email=email,
                pending=pending,
                next_path=next_path,
            )
        person = db.scalar(select(Person).where(Person.email == email))
        if not _right(person.password_hash if person else nobody(), password) or person is None:
            db.add(FailedSignIn(email=email, address=address))
            return sign_in_page(
                request,
                401,
                error="E-mail and password do not match. Type both again.",
                email=email,
                pending=pending,
                next_path=next_path,
            )
        db.execute(delete(FailedSignIn).where(FailedSignIn.email == email))
        db.execute(delete(SignIn).where(SignIn.expires_at < datetime.now(UTC)))
        token, csrf = secrets.token_urlsafe(32), secrets.token_urlsafe(24)
        config = request.app.state.config
        db.add(
            SignIn(
                token_hash=token_hash(token),
                person_id=person.id,
                csrf=csrf,
                expires_at=datetime.now(UTC) + timedelta(minutes=config.session_minutes),
            )
        )
    answer: Response
    if pending:
        answer = render(
            request,
            "send_again.html",
            {"path": pending["path"], "fields": fields, "csrf": masked(csrf)},
        )
    else:
        answer = RedirectResponse(next_path, 303)
    answer.set_cookie(
        COOKIE, token, httponly=True, samesite="lax", secure=config.secure_cookies, path="/"
    )
    return answer


def _right(password_hash: str, password: str) -> bool:
    try:
        return hasher.verify(password_hash, password)
    except Argon2Error:
        return False


@router.post("/sign-out")
def sign_out(request: Request, visit: Visiting) -> Response:
    """End the session on the server as well as in the browser."""
    visit.db.execute(delete(SignIn).where(SignIn.token_hash == token_hash(request.cookies[COOKIE])))
    visit.db.commit()
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(COOKIE, path="/")
    return answer


def uploaded(visit: Visit, name: str) -> UploadFile | None:
    """An uploaded file with content, if one came."""
    file = visit.form.get(name)
    return file if isinstance(file, UploadFile) and file.size else None
