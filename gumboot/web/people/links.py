"""Links that are good once: to join a crew, or to set a new password. Handed over by any means, or
by mail where there is a server for it.
"""

from __future__ import annotations

import secrets
from datetime import UTC, datetime, timedelta

from fastapi import Request
from sqlalchemy import select
from sqlalchemy.orm import Session

from gumboot.store.models import Invitation, Person
from gumboot.web.people.visit import Visit, token_hash

GOOD_FOR = timedelta(days=3)


def make(visit: Visit, name: str, email: str, role: str, person: Person | None = None) -> str:
    """A new link's token; older ones for the same person or e-mail end."""
    same = (
        Invitation.person_id == person.id
        if person
        else (Invitation.email == email) & (Invitation.email != "") & Invitation.person_id.is_(None)
    )
    for old in visit.db.scalars(select(Invitation).where(same, Invitation.used_at.is_(None))):
        visit.db.delete(old)
    token = secrets.token_urlsafe(32)
    visit.db.add(
        Invitation(
            token_hash=token_hash(token),
            crew_id=visit.crew_id,
            person_id=person.id if person else None,
            name=name,
            email=email,
            role=role,
            made_by=visit.who,
            ends_at=datetime.now(UTC) + GOOD_FOR,
        )
    )
    visit.db.flush()
    return token


def found(db: Session, token: str, lock: bool = False) -> Invitation | None:
    """The invitation of a token while it is good; None when it never was or no longer is."""
    row = db.get(Invitation, token_hash(token), with_for_update=lock)
    good = row is not None and row.used_at is None and row.ends_at > datetime.now(UTC)
    return row if good else None


def address(request: Request, token: str) -> str:
    """A link as it is handed over: from the site's own name where it is set, else as this page was
    asked for.
    """
    site: str = request.app.state.config.site
    base = site.rstrip("/") or str(request.base_url).rstrip("/")
    return f"{base}/join/{token}"
