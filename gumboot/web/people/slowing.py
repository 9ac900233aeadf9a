"""Guessing is slowed: for each person, for each address, and never for a browser its owner has
signed in with before.

A try is counted before the password is looked at, so that many at once pass no faster than one
after the other; a right one is taken off again.
"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from math import ceil

from sqlalchemy import ColumnElement, delete, func, select, text
from sqlalchemy.orm import Session

from gumboot.store.models import FailedSignIn, KnownDevice, Person

FREE_TRIES, WINDOW = 5, timedelta(minutes=15)
FREE_OF_ADDRESS = 20  # a crew's office is one address
LONGEST_S = 300


def lane_of(db: Session, email: str, device: str) -> str:
    """The known device a try comes from; "" for one that this person never signed in with."""
    known = (
        select(KnownDevice.token_hash)
        .join(Person, Person.id == KnownDevice.person_id)
        .where(KnownDevice.token_hash == device, Person.email == email, Person.left_at.is_(None))
    )
    return db.scalar(known) or ""


def try_once(db: Session, email: str, address: str, lane: str) -> tuple[int, int]:
    """(seconds to wait, number of the try). Nothing for five tries in a quarter hour, then 2, 4, 8
    … 300 s after the last. The try is counted when there is nothing to wait.
    """
    for name in sorted({f"e {email}", f"a {address}"}):  # in one order, so that none waits for ever
        db.execute(text("select pg_advisory_xact_lock(7362, hashtext(:name))"), {"name": name})
    wait = 0
    if lane:
        wait = _wait(db, FailedSignIn.lane == lane, FREE_TRIES)
    else:
        unknown = FailedSignIn.lane == ""
        of_email = _wait(db, unknown & (FailedSignIn.email == email), FREE_TRIES)
        of_address = _wait(db, unknown & (FailedSignIn.address == address), FREE_OF_ADDRESS)
        wait = max(of_email, of_address)
    if wait:
        return wait, 0
    row = FailedSignIn(email=email, address=address, lane=lane, at=datetime.now(UTC))
    db.add(row)
    db.flush()
    return 0, row.id


def forgive(db: Session, email: str, lane: str, number: int) -> None:
    """A right try: it and the failures before it in its lane are taken off."""
    db.execute(
        delete(FailedSignIn).where(
            (FailedSignIn.id == number)
            | ((FailedSignIn.email == email) & (FailedSignIn.lane == lane))
            | (FailedSignIn.at < datetime.now(UTC) - WINDOW)
        )
    )


def _wait(db: Session, which: ColumnElement[bool], free: int) -> int:
    since = datetime.now(UTC) - WINDOW
    count, last = db.execute(
        select(func.count(), func.max(FailedSignIn.at)).where(which, FailedSignIn.at > since)
    ).one()
    if count < free:
        return 0
    passed: float = (datetime.now(UTC) - last).total_seconds()
    longest = float(min(LONGEST_S, 2 ** min(count - free + 1, 12)))
    return max(0, ceil(longest - passed))
