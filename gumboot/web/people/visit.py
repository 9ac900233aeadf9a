"""Who is asking: the session behind a request, its CSRF token, roles, and the one transaction a
request works in.

`Visit` is the only way a handler gets a database session, and that session sees one crew's rows
only.
"""

from __future__ import annotations

import hashlib
from collections.abc import AsyncIterator, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from functools import cached_property
from typing import Annotated, Any

from fastapi import Depends, Request
from sqlalchemy import Text, bindparam, cast, func, select
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import FormData, UploadFile

from gumboot.store import office
from gumboot.store.database import see_crew
from gumboot.store.models import Person, SignIn, Token
from gumboot.web.people.mask import is_of, masked

COOKIE = "gumboot"
LONGEST = timedelta(days=30)  # a sign-in ends then, however much it is used
AT_ONCE = 32  # below the threads (40) and the connections (40), so that none waits for the other
SMALL = 256_000  # bytes that anybody may send


SIGNED_IN = (  # who a token belongs to; and from here on the transaction sees that crew's rows
    select(
        SignIn.csrf,
        SignIn.expires_at,
        SignIn.seen_at,
        Person.id,
        Person.crew_id,
        Person.name,
        Person.role,
        func.set_config("gumboot.crew", cast(Person.crew_id, Text), True),
        func.set_config("statement_timeout", "60s", True),  # no page waits longer for anything
        func.set_config("lock_timeout", "15s", True),
    )
    .join(Person, Person.id == SignIn.person_id)
    .where(
        SignIn.token_hash == bindparam("token"),
        SignIn.expires_at > bindparam("now"),
        SignIn.made_at > bindparam("oldest"),
        SignIn.second_due.is_(False),
        Person.left_at.is_(None),
    )
)


BY_TOKEN = (  # the same of a crew's token
    select(
        Token.name,
        Token.scope,
        Token.used_at,
        Person.id,
        Person.crew_id,
        Person.name.label("who"),
        func.set_config("gumboot.crew", cast(Person.crew_id, Text), True),
        func.set_config("statement_timeout", "60s", True),
        func.set_config("lock_timeout", "15s", True),
    )
    .join(Person, Person.id == Token.person_id)
    .where(
        Token.token_hash == bindparam("token"), Token.ended_at.is_(None), Person.left_at.is_(None)
    )
)
SCOPES = {"read": "installer", "write": "planner"}  # what a token may, as a role may it


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
    key: str  # of the session, as it is kept

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

    def tells(self, kind: str, **body: Any) -> None:
        """Put an act into the office log, in the transaction that does it."""
        office.append(self.db, self.crew_id, kind, self.who, self.role, body)


def token_hash(token: str) -> str:
    """What is kept of a session token, an invitation or a code."""
    return hashlib.sha256(token.encode()).hexdigest()


class Full(Exception):
    """As many requests are under way as this server does at once."""


def known(request: Request) -> bool:
    """Whether somebody is signed in behind a request; looked up before a large body is read."""
    now = datetime.now(UTC)
    said = request.headers.get("authorization", "")
    with request.app.state.sessions() as db:
        if said.lower().startswith("bearer "):
            row = db.execute(BY_TOKEN, {"token": token_hash(said[7:].strip())}).first()
        else:
            key = token_hash(request.cookies.get(COOKIE, ""))
            row = db.execute(SIGNED_IN, {"token": key, "now": now, "oldest": now - LONGEST}).first()
    return row is not None


async def admitted(request: Request) -> AsyncIterator[None]:
    """One of the requests that may hold a thread and a connection; raises Full beyond them."""
    state = request.app.state
    if state.busy >= AT_ONCE:
        raise Full
    state.busy += 1
    try:
        yield
    finally:
        state.busy -= 1


FIELDS, SHEET_FIELDS = 2_000, 8_000  # of one form; a sheet may have a menu of 120 lines


async def sent_form(request: Request) -> FormData:
    """The form of a change; kept on the request so that a sign-in page can carry it on. A large one
    is read only from who is signed in.
    """
    if request.method == "POST":
        length = request.headers.get("content-length", "")
        large = not length.isdecimal() or int(length) > SMALL
        if large and not await run_in_threadpool(known, request):
            raise NeedsSignIn
    fields = SHEET_FIELDS if request.url.path.startswith("/shelf/") else FIELDS
    form = (  # a field for a file is sent, and counts, without a file in it too
        await request.form(max_files=fields, max_fields=fields, max_part_size=8_000_000)
        if request.method == "POST"
        else FormData()
    )
    request.state.form = form
    return form


def visit(
    request: Request,
    form: Annotated[FormData, Depends(sent_form)],
    admitted: Annotated[None, Depends(admitted)] = None,
) -> Iterator[Visit]:
    """The visit of a signed-in person. Raises NeedsSignIn, or Forbidden when a change lacks the
    session's CSRF token.
    """
    if (said := request.headers.get("authorization", "")).lower().startswith("bearer "):
        yield from by_token(request, form, said[7:].strip())
        return
    with request.app.state.sessions() as db:
        now = datetime.now(UTC)
        key = token_hash(request.cookies.get(COOKIE, ""))
        row = db.execute(SIGNED_IN, {"token": key, "now": now, "oldest": now - LONGEST}).first()
        if row is None:
            raise NeedsSignIn
        length = timedelta(minutes=request.app.state.config.session_minutes)
        request.state.crew, request.state.person = row.crew_id, row.id
        found = Visit(db, row.id, row.crew_id, row.name, row.role, row.csrf, form, key)
        if request.method not in ("GET", "HEAD"):
            sent = str(form.get("csrf", "") or request.headers.get("x-csrf-token", ""))
            if not is_of(sent, row.csrf):
                raise Forbidden(
                    "This page was not made by your present sign-in. Go back, reload it, and send"
                    " again."
                )
        if row.expires_at - now < length * 0.9 or now - row.seen_at > timedelta(minutes=10):
            if (kept := db.get(SignIn, key)) is not None:
                kept.expires_at, kept.seen_at = now + length, now
            db.commit()
            see_crew(db, row.crew_id)
        yield found


def by_token(request: Request, form: FormData, token: str) -> Iterator[Visit]:
    """The visit of a crew's tool. No page of ours carries its token, so no other site can send it:
    it needs no CSRF token. Raises NeedsSignIn, or Forbidden for a change by one that only reads.
    """
    with request.app.state.sessions() as db:
        key = token_hash(token)
        row = db.execute(BY_TOKEN, {"token": key}).first()
        if row is None:
            raise NeedsSignIn
        if request.method not in ("GET", "HEAD") and row.scope != "write":
            raise Forbidden("This token only reads. Make one that writes, under Account.")
        now = datetime.now(UTC)
        if row.used_at is None or now - row.used_at > timedelta(minutes=10):
            if (kept := db.get(Token, key)) is not None:
                kept.used_at = now
            db.commit()
            see_crew(db, row.crew_id)
        request.state.crew, request.state.person = row.crew_id, row.id
        who = f"{row.who}, by token {row.name}"
        yield Visit(db, row.id, row.crew_id, who, SCOPES[row.scope], "", form, key)


visiting = contextmanager(visit)
Visiting = Annotated[Visit, Depends(visit)]


def local(path: str) -> str:
    """A path on this site, or the job list for anything else."""
    plain = path.startswith("/") and not path.startswith(("//", "/\\"))
    return path if plain and path.isprintable() else "/jobs"


def uploaded(visit: Visit, name: str) -> UploadFile | None:
    """An uploaded file with content, if one came."""
    file = visit.form.get(name)
    return file if isinstance(file, UploadFile) and file.size else None
