"""The log of a job: what was done, append-only, each entry chained to the one before by hash.

A correction is a new entry that names the old. What stands now (readings, acceptances, signature) is read off the log.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from gumboot.core.findings import Finding
from gumboot.core.terminations import Reading, Verdict, standing

Kind = Literal["reading", "accept", "sign", "reopen", "photo", "withdraw", "drill"]


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry. Times are ISO 8601 with zone; body is the kind's own record; hash covers all of it and `prev`."""

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
    return json.dumps(body, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False)


def genesis(job_uid: str) -> str:
    """What the first entry of a job is chained to."""
    return hashlib.sha256(f"gumboot job {job_uid}".encode()).hexdigest()


def digest(prev: str, seq: int, uuid: str, kind: str, who: str, role: str, at_device: str, at_server: str, body: str) -> str:
    """SHA-256 of an entry and the hash before it, as hex."""
    return hashlib.sha256("\n".join((prev, str(seq), uuid, kind, who, role, at_device, at_server, body)).encode()).hexdigest()


def first_broken(job_uid: str, entries: Iterable[Entry]) -> int | None:
    """The number of the first entry whose chain does not hold; None when all of it does."""
    prev = genesis(job_uid)
    for i, e in enumerate(entries, 1):
        want = digest(prev, i, e.uuid, e.kind, e.who, e.role, e.at_device, e.at_server, canonical(e.body))
        if e.seq != i or e.prev != prev or e.hash != want:
            return i
        prev = e.hash
    return None


@dataclass(frozen=True, slots=True)
class Standing:
    """What the log adds up to now."""

    readings: dict[str, list[Entry]] = field(default_factory=dict)
    verdicts: dict[str, Verdict] = field(default_factory=dict)
    accepted: dict[str, Entry] = field(default_factory=dict)
    signed: Entry | None = None
    photos: dict[str, Entry] = field(default_factory=dict)
    drilled: dict[str, Entry] = field(default_factory=dict)

    def accepts(self, finding: Finding) -> Entry | None:
        """The entry that accepts this finding as it reads now, if any; changed words or numbers want a new acceptance."""
        entry = self.accepted.get(finding.key)
        return entry if entry and entry.body["fingerprint"] == finding.fingerprint else None


def stand(entries: Sequence[Entry]) -> Standing:
    """Read the log from the first entry to the last."""
    readings: dict[str, list[Entry]] = {}
    accepted: dict[str, Entry] = {}
    photos: dict[str, Entry] = {}
    drilled: dict[str, Entry] = {}
    signed: Entry | None = None
    for e in entries:
        if e.kind == "reading":
            readings.setdefault(e.body["termination"], []).append(e)
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
    verdicts = {key: v for key, rows in readings.items() if (v := standing([as_reading(e) for e in rows]))}
    return Standing(readings, verdicts, accepted, signed, photos, drilled)


def as_reading(entry: Entry) -> Reading:
    """A reading entry as the judging functions want it."""
    b = entry.body
    return Reading(entry.uuid, b.get("torque_nm"), b["verdict"], b.get("replaced", False), b.get("corrects"))
