"""The shelf in the database: what ships with Gumboot, and what a crew entered itself, edition by
edition.

A version of a plan names what it was made with by one number and a few exceptions: the shelf as it
stood `at` that number, and the editions `taken` since, by their digest. An edition never changes,
so what is remembered of it here is never stale, in however many processes.
"""

from __future__ import annotations

import hashlib
import json
from collections import OrderedDict
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import func, or_, select, text
from sqlalchemy.orm import Session, sessionmaker

from gumboot.catalogue import catalogue, documents
from gumboot.core.journal.office import canonical
from gumboot.core.kit import AnyEntry, Catalogue, entry
from gumboot.core.kit.missing import name_of
from gumboot.store import records
from gumboot.store.models import KitEdition

SHIPPED_BY = "Gumboot"


class Changed(Exception):
    """Somebody saved a newer edition since the entry was read. `theirs` is what stands now."""

    def __init__(self, theirs: KitEdition) -> None:
        super().__init__("the entry was saved by someone else since it was read")
        self.theirs = theirs


@dataclass(frozen=True)
class Shelf:
    """What a version of a plan was made with. at: the shelf as it stood then, 0 for what ships
    today and nothing else; taken: digest by entry, where another edition than that one was chosen.
    """

    at: int = 0
    taken: dict[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, document: dict[str, Any] | None) -> Shelf:
        """As a plan's version holds it."""
        d = document or {}
        return cls(int(d.get("at", 0)), dict(d.get("taken", {})))

    @property
    def document(self) -> dict[str, Any]:
        """As a plan's version keeps it."""
        return {"at": self.at, "taken": self.taken} if self.at or self.taken else {}


def digest_of(body: dict[str, Any]) -> str:
    """SHA-256 of an entry's document: what an edition is named by, here and elsewhere."""
    return hashlib.sha256(canonical(body).encode()).hexdigest()


def is_example(body: dict[str, Any]) -> bool:
    """Whether a shipped entry is an invented example: what has a maker."""
    return bool(body.get("maker"))


def put_shipped(make: sessionmaker[Session]) -> None:
    """Have the entries that ship in the database too, with a new edition of each that changed."""
    with make.begin() as db:
        db.execute(text("select pg_advisory_xact_lock(7364)"))
        newest = {r.entry: r for r in _newest(db, None)}
        for body in documents():
            digest, before = digest_of(body), newest.get(str(body["id"]))
            if before is None or before.digest != digest:
                number = before.edition + 1 if before else 1
                db.add(_row(None, body, digest, SHIPPED_BY, number))


def _row(
    crew_id: int | None, body: dict[str, Any], digest: str, who: str, edition: int, **more: Any
) -> KitEdition:
    return KitEdition(
        crew_id=crew_id,
        entry=body["id"],
        kind=body["kind"],
        name=name_of(parsed(digest, body)),
        digest=digest,
        saved_by=who,
        edition=edition,
        body=body,
        **more,
    )


_parsed: OrderedDict[str, AnyEntry] = OrderedDict()
_made: OrderedDict[tuple[str, ...], Catalogue] = OrderedDict()
PARSED, MADE = 60_000, 64


def parsed(digest: str, body: dict[str, Any]) -> AnyEntry:
    """An edition as an entry, remembered by its digest. Raises pydantic.ValidationError."""
    found = _parsed.get(digest)
    if found is None:
        found = _parsed[digest] = entry.validate_python(body)
        while len(_parsed) > PARSED:
            _parsed.popitem(last=False)
    return found


def _newest(db: Session, crew_id: int | None, at: int | None = None) -> list[KitEdition]:
    """The newest edition of each entry of one owner, up to a number."""
    own = KitEdition.crew_id.is_(None) if crew_id is None else KitEdition.crew_id == crew_id
    asked = (
        select(KitEdition)
        .where(own, KitEdition.job_id.is_(None))
        .distinct(KitEdition.entry)
        .order_by(KitEdition.entry, KitEdition.seq.desc())
    )
    if at is not None:
        asked = asked.where(KitEdition.seq <= at)
    return list(db.scalars(asked))


def shipped(db: Session) -> list[KitEdition]:
    """The newest edition of everything that ships."""
    return _newest(db, None)


def own(db: Session, crew_id: int) -> list[KitEdition]:
    """The newest edition of everything that a crew entered itself."""
    return _newest(db, crew_id)


def head(db: Session) -> int:
    """The number that the shelf has come to."""
    return db.scalar(select(func.max(KitEdition.seq))) or 0


def rows_at(db: Session, crew_id: int, shelf: Shelf) -> list[KitEdition]:
    """The editions that a version of a plan sees: the crew's own first."""
    rows: list[KitEdition] = []
    if shelf.at:
        rows = [*_newest(db, crew_id, shelf.at), *_newest(db, None, shelf.at)]
    if shelf.taken:
        found = db.scalars(
            select(KitEdition)
            .where(KitEdition.digest.in_(set(shelf.taken.values())))
            .order_by(KitEdition.seq)
        )
        other = {r.entry: r for r in found if shelf.taken.get(r.entry) == r.digest}
        rows = [*other.values(), *(r for r in rows if r.entry not in other)]
    return rows


def of_plan(db: Session, crew_id: int, shelf: Shelf) -> Catalogue:
    """The catalogue that a version of a plan was made with."""
    rows = rows_at(db, crew_id, shelf)
    if shelf.at:
        return _catalogue(rows)
    if not rows:
        return catalogue()
    named = {r.entry for r in rows}
    key = ("today", *(r.digest for r in rows))
    if key not in _made:
        today = [e for e in catalogue().entries.values() if e.id not in named]
        _keep(key, Catalogue([*(parsed(r.digest, r.body) for r in rows), *today], _own(rows)))
    return _made[key]


def _catalogue(rows: Iterable[KitEdition]) -> Catalogue:
    rows = list(rows)
    key = tuple(r.digest for r in rows)
    if key not in _made:
        ours = {digest_of(b) for b in documents()}
        entries = (parsed(r.digest, r.body) for r in rows)
        _keep(key, catalogue() if set(key) == ours else Catalogue(entries, _own(rows)))
    return _made[key]


def _own(rows: Iterable[KitEdition]) -> list[str]:
    """Ids of what a crew entered, not what ships."""
    return [r.entry for r in rows if r.crew_id is not None]


def _keep(key: tuple[str, ...], made: Catalogue) -> None:
    _made[key] = made
    while len(_made) > MADE:
        _made.popitem(last=False)


STANDS = text("select " + ", ".join(x.format(crew=":crew") for x in records.STANDS))
_today: OrderedDict[tuple[Any, ...], Catalogue] = OrderedDict()
_wide: OrderedDict[tuple[Catalogue, Catalogue], Catalogue] = OrderedDict()


def hides_examples(db: Session, crew_id: int) -> bool:
    """Whether a crew keeps the invented examples out of its lists."""
    return bool(db.execute(STANDS, {"crew": crew_id}).one()[1])


def hidden(db: Session, crew_id: int) -> set[str]:
    """The entries that a crew keeps out of its lists."""
    _, hides, away = db.execute(STANDS, {"crew": crew_id}).one()
    return set(away) | ({str(b["id"]) for b in documents() if is_example(b)} if hides else set())


def today(db: Session, crew_id: int, stands: records.Stands | None = None) -> Catalogue:
    """The shelf as it stands now, for what is chosen anew: without what the crew hides. stands: how
    it does, where that was read already.
    """
    stands = stands or tuple(db.execute(STANDS, {"crew": crew_id}).one())
    key = (crew_id, *map(str, stands))
    if key not in _today:
        away = hidden(db, crew_id)
        rows = [*_newest(db, crew_id), *_newest(db, None)]
        _today[key] = _catalogue(r for r in rows if r.entry not in away)
        while len(_today) > MADE:
            _today.popitem(last=False)
    return _today[key]


def wide(own: Catalogue, now: Catalogue) -> Catalogue:
    """What a job may choose from: what it was made with, and whatever stands on the shelf since."""
    if own is now:
        return own
    if (own, now) not in _wide:
        since = [e for e in now.entries.values() if e.id not in own.entries]
        _wide[own, now] = (
            Catalogue([*own.entries.values(), *since], own.own | now.own) if since else own
        )
        while len(_wide) > MADE:
            _wide.popitem(last=False)
    return _wide[own, now]


def taken_for(
    db: Session, crew_id: int, shelf: Shelf, own: Catalogue, chosen: Iterable[str]
) -> Shelf:
    """The shelf of a plan with what it chooses from the shelf since it was made."""
    new = [c for c in chosen if c and c not in own.entries]
    found = {c: row.digest for c in new if (row := newest(db, crew_id, c)) is not None}
    return Shelf(shelf.at, {**shelf.taken, **found}) if found else shelf


def newest(db: Session, crew_id: int, id: str) -> KitEdition | None:
    """The newest edition of an entry that a crew sees: its own, else what ships."""
    return db.scalar(
        select(KitEdition)
        .where(
            KitEdition.entry == id,
            KitEdition.job_id.is_(None),
            or_(KitEdition.crew_id == crew_id, KitEdition.crew_id.is_(None)),
        )
        .order_by(KitEdition.crew_id.is_(None), KitEdition.seq.desc())
        .limit(1)
    )


def editions(db: Session, crew_id: int, id: str) -> list[KitEdition]:
    """Every edition of an entry that a crew sees, newest first."""
    return list(
        db.scalars(
            select(KitEdition)
            .where(
                KitEdition.entry == id,
                KitEdition.job_id.is_(None),
                or_(KitEdition.crew_id == crew_id, KitEdition.crew_id.is_(None)),
            )
            .order_by(KitEdition.seq.desc())
        )
    )


def save(
    db: Session,
    crew_id: int,
    body: dict[str, Any],
    who: str,
    read_edition: int,
    sources: dict[str, Any] | None = None,
) -> KitEdition:
    """Save an edition of a crew's own entry, read at an edition (0: a new one); returns it, or the
    one before when nothing changed. Raises Changed, and pydantic.ValidationError.
    """
    db.execute(
        text("select pg_advisory_xact_lock(7365, hashtext(:key))"),
        {"key": f"{crew_id} {body['id']}"},
    )
    before = newest(db, crew_id, body["id"])
    number = before.edition if before else 0
    if number != read_edition or (before is not None and before.crew_id is None):
        assert before is not None  # noqa: S101 - a number above 0 was read from it
        raise Changed(before)
    digest = digest_of(body)
    if before and before.digest == digest and before.sources == (sources or {}):
        return before
    row = _row(crew_id, body, digest, who, number + 1, sources=sources or {})
    db.add(row)
    db.flush()
    return row


def to_go_with(db: Session, crew_id: int, shelf: Shelf) -> list[dict[str, Any]]:
    """The entries of a job's kit that another Gumboot of this release does not have: the crew's
    own, and older editions of what ships.
    """
    ships = {digest_of(b) for b in documents()}
    return [r.body for r in rows_at(db, crew_id, shelf) if r.digest not in ships]


def named(bodies: Iterable[dict[str, Any]]) -> Shelf:
    """The shelf of a job that came with its own kit."""
    return Shelf(0, {str(b["id"]): digest_of(b) for b in bodies})


def take_in(db: Session, crew_id: int, job_id: int, bodies: Iterable[dict[str, Any]]) -> None:
    """Keep the equipment that came with a job's file, for that job alone; what is known already is
    not kept twice. Raises pydantic.ValidationError.
    """
    wanted = {digest_of(b): b for b in bodies}
    known = set(db.scalars(select(KitEdition.digest).where(KitEdition.digest.in_(wanted))).all())
    for digest, body in wanted.items():
        parsed(digest, body)
        if digest not in known:
            db.add(_row(crew_id, body, digest, SHIPPED_BY, 0, job_id=job_id))
    db.flush()


def text_of(body: dict[str, Any]) -> str:
    """An entry as its file has it."""
    return json.dumps(body, indent=1, ensure_ascii=False)
