"""The office log of a crew: who signed in, who was invited, what left the house. Append-only and
chained by hash as the log of a job is; each entry is hashed as one canonical JSON list, so that no
two entries read alike.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any


@dataclass(frozen=True)
class OfficeEntry:
    """One line of the office log. who and role are those of the person who did it; "" where nobody
    was signed in.
    """

    seq: int
    uuid: str
    kind: str
    who: str
    role: str
    at: str
    body: dict[str, Any]
    prev: str
    hash: str

    @property
    def says(self) -> str:
        """The entry as a sentence without its subject: "invited Bo Reed as installer"."""
        return KINDS[self.kind].format_map(_Said(self.body)).strip()


class _Said(dict[str, Any]):
    """What an older entry does not hold reads as nothing."""

    def __missing__(self, key: str) -> str:
        return ""


KINDS = {  # what was done, as the page of the log says it
    "crew made": "made the crew {crew}",
    "signed in": "signed in from {address}{second}",
    "sign-in failed": "typed a wrong {what} for {email}, from {address}",
    "signed out": "signed out",
    "invited": "invited {name} as {role}{by}",
    "invitation taken back": "took the invitation of {name} back",
    "joined": "joined as {role} by the invitation of {by}",
    "role": "made {name} {role}, before {before}",
    "taken out": "took {name} out of the crew",
    "sessions ended": "ended {count} of {name}’s sign-ins",
    "password link": "made a link for a new password of {name}",
    "password": "set a new password",
    "second factor on": "set up a second factor",
    "second factor off": "took the second factor of {name} off",
    "recovery codes": "made ten new recovery codes",
    "recovery code": "signed in by a recovery code; {left} are left",
    "asked of": "set who is asked for a second factor: {whom}",
    "token": "made the token {name}, to {scope}",
    "token ended": "ended the token {name}",
    "defaults": "set the defaults of the crew",
    "exported": "exported {what}",
    "imported": "imported {what}",
    "kit": "saved {entry}, edition {edition}",
    "kit read": "read {entry}, edition {edition}, a second time{differing}",
    "kit hidden": "{act} {entry}",
    "signed": "signed {job}; its log ends with entry {seq}, {head}",
    "reopened": "reopened {job}: {reason}",
    "pack": "made the pack of {job}; its log ends with entry {seq}, {head}",
    "shared": "made a link for the owner of {job}, good until {until}",
    "share ended": "took the owner’s link of {job} back",
    "seal": "put a bought certificate in use, {subject}, {fingerprint}",
    "put away": "put {job} away",
    "brought back": "brought {job} back",
    "deleted": "deleted {job}: {reason}",
    "wrench": "saved the wrench {name}, {serial}, calibrated until {until}",
    "instrument": "saved the instrument {name}, {serial}, calibrated until {until}",
    "weights": "weighed the causes of “{problem}” anew",
}


def canonical(parts: object) -> str:
    """JSON with sorted keys and no spaces: one text for one content."""
    return json.dumps(
        parts, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False
    )


def genesis(crew_uid: str) -> str:
    """What the first entry of a crew is chained to."""
    return hashlib.sha256(f"gumboot office {crew_uid}".encode()).hexdigest()


def digest(
    prev: str, seq: int, uuid: str, kind: str, who: str, role: str, at: str, body: str
) -> str:
    """SHA-256 of an entry and the hash before it, as hex."""
    return hashlib.sha256(
        canonical([prev, seq, uuid, kind, who, role, at, body]).encode()
    ).hexdigest()


def first_broken(crew_uid: str, entries: Iterable[OfficeEntry]) -> int | None:
    """The number of the first entry whose chain does not hold; None when all of it does."""
    prev = genesis(crew_uid)
    for i, e in enumerate(entries, 1):
        want = digest(prev, i, e.uuid, e.kind, e.who, e.role, e.at, canonical(e.body))
        if e.seq != i or e.prev != prev or e.hash != want:
            return i
        prev = e.hash
    return None
