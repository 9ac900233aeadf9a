"""The log of a job: what was done, append-only, each entry chained to the one before by hash.

A correction is a new entry that names the old. What stands now (readings, acceptances, signature)
is read off the log.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, Literal

from gumboot.core.basis.finding import Finding
from gumboot.core.land.moves import Move, Stand, stand_of
from gumboot.core.land.termination import State

Kind = Literal[
    "reading", "step", "settle", "accept", "sign", "reopen", "photo", "withdraw", "drill"
]


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry. Times are ISO 8601 with zone; body is the kind's own record; hash covers all of it
    and `prev`.
    """

    seq: int
    uuid: str
    kind: str
    who: str
    role: str
    at_device: str
    at_server: str
    body: dict[str, Any]
    prev: str
    hash: str


def canonical(body: dict[str, Any]) -> str:
    """A body as the one text that is stored and hashed."""
    return json.dumps(
        body, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False
    )


def genesis(job_uid: str) -> str:
    """What the first entry of a job is chained to."""
    return hashlib.sha256(f"gumboot job {job_uid}".encode()).hexdigest()


def digest(
    prev: str,
    seq: int,
    uuid: str,
    kind: str,
    who: str,
    role: str,
    at_device: str,
    at_server: str,
    body: str,
) -> str:
    """SHA-256 of an entry and the hash before it, as hex."""
    return hashlib.sha256(
        "\n".join((prev, str(seq), uuid, kind, who, role, at_device, at_server, body)).encode()
    ).hexdigest()


def first_broken(job_uid: str, entries: Iterable[Entry]) -> int | None:
    """The number of the first entry whose chain does not hold; None when all of it does."""
    prev = genesis(job_uid)
    for i, e in enumerate(entries, 1):
        want = digest(
            prev, i, e.uuid, e.kind, e.who, e.role, e.at_device, e.at_server, canonical(e.body)
        )
        if e.seq != i or e.prev != prev or e.hash != want:
            return i
        prev = e.hash
    return None


@dataclass(frozen=True)
class Standing:
    """What the log adds up to now, up to entry number `seq`.

    moves: of each joint, oldest first. drilled and accepted: the last entry on each hole and
    finding. hours: entries by who and hour
    (UTC); ratios: readings by reading over rated, to the hundredth; corrected ones are left out.
    """

    seq: int = 0
    moves: dict[str, tuple[Move, ...]] = field(default_factory=dict)
    accepted: dict[str, Entry] = field(default_factory=dict)
    signed: Entry | None = None
    photos: dict[str, Entry] = field(default_factory=dict)
    drilled: dict[str, Entry] = field(default_factory=dict)
    hours: dict[tuple[str, str], int] = field(default_factory=dict)
    ratios: dict[float, int] = field(default_factory=dict)
    _stands: dict[tuple[str, tuple[str, ...]], Stand] = field(
        default_factory=dict, compare=False, repr=False
    )

    def accepts(self, finding: Finding) -> Entry | None:
        """The entry that accepts this finding as it reads now, if any; changed words or numbers
        want a new acceptance.
        """
        entry = self.accepted.get(finding.key)
        return entry if entry and entry.body["fingerprint"] == finding.fingerprint else None

    def joint(self, key: str, chain: tuple[State, ...]) -> Stand:
        """Where one joint stands. Remembered until an entry about it comes."""
        found = self._stands.get((key, chain))
        if found is None:
            found = self._stands[key, chain] = stand_of(self.moves.get(key, ()), chain)
        return found


def stand(entries: Sequence[Entry]) -> Standing:
    """Read the log from the first entry to the last."""
    return carry_on(Standing(), entries)


def carry_on(before: Standing, entries: Sequence[Entry]) -> Standing:
    """A standing with later entries read into it; the earlier one is left as it was."""
    grown: dict[str, list[Move]] = {}
    accepted, photos, drilled = dict(before.accepted), dict(before.photos), dict(before.drilled)
    hours, ratios, signed, seq = dict(before.hours), dict(before.ratios), before.signed, before.seq
    for e in entries:
        seq = e.seq
        hour = (e.who, e.at_server[:13])
        hours[hour] = hours.get(hour, 0) + 1
        if e.kind in ("reading", "step", "settle"):
            key = e.body["termination"]
            rows = grown.setdefault(key, list(before.moves.get(key, ())))
            move = as_move(e)
            _count(ratios, move, 1)
            for old in rows if move.corrects or move.drops else ():
                if old.uuid == move.corrects or old.uuid in move.drops:
                    _count(ratios, old, -1)
            rows.append(move)
        elif e.kind == "accept":
            accepted[e.body["finding"]] = e
        elif e.kind == "drill":
            drilled[e.body["hole"]] = e
        elif e.kind == "photo":
            photos[e.body["digest"]] = e
        elif e.kind == "withdraw":
            photos.pop(e.body["digest"], None)
        elif e.kind in ("sign", "reopen"):
            signed = e if e.kind == "sign" else None
    moves = {**before.moves, **{k: tuple(v) for k, v in grown.items()}}
    kept = {k: v for k, v in before._stands.items() if k[0] not in grown}
    return Standing(seq, moves, accepted, signed, photos, drilled, hours, ratios, kept)


def _count(ratios: dict[float, int], m: Move, by: int) -> None:
    if m.torque_nm is not None and m.rated_nm:
        r = round(m.torque_nm / m.rated_nm, 2)
        ratios[r] = ratios.get(r, 0) + by


def when(e: Entry) -> str:
    """When an entry was made: by its device, unless that says no time or one after the server had
    it.
    """
    try:
        said, had = (
            datetime.fromisoformat(t.replace("Z", "+00:00")) for t in (e.at_device, e.at_server)
        )
        return e.at_device if said.tzinfo and said <= had else e.at_server
    except (ValueError, TypeError):
        return e.at_server


def as_move(e: Entry) -> Move:
    """An entry about a joint as the states are read from."""
    b = e.body
    about = {
        "note": b.get("note", ""),
        "seen": b.get("seen"),
        "device": b.get("device", ""),
        "corrects": b.get("corrects"),
        "photo": b.get("digest", ""),
    }
    if e.kind == "settle":
        return Move(
            e.uuid,
            "settled",
            e.seq,
            e.who,
            when(e),
            drops=tuple(b["drops"]),
            at_server=e.at_server,
            **{**about, "note": b["reason"]},
        )
    if e.kind == "step":
        return Move(e.uuid, b["act"], e.seq, e.who, when(e), at_server=e.at_server, **about)
    wrench = b["wrench"]
    return Move(
        e.uuid,
        "torqued",
        e.seq,
        e.who,
        when(e),
        b["torque_nm"],
        b["rated_nm"],
        b["verdict"],
        b["replaced"],
        b.get("turn") == "again",
        at_server=e.at_server,
        why=b["why"],
        typed=b["typed"],
        tool=f"{wrench['name']}, {wrench['serial']}" if wrench else "",
        source=b.get("source", "typed"),
        **about,
    )
