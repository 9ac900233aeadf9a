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
from typing import Any

from gumboot.core.basis.finding import Finding
from gumboot.core.journal import handing, kinds
from gumboot.core.journal.entry import KINDS, Entry
from gumboot.core.land.events import Event, TerminationState, state_of
from gumboot.core.land.termination import State

# reading a log needs its kinds registered
__all__ = ["KINDS", "Entry", "LogState", "handing", "kinds"]


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
    """SHA-256 of an entry and the hash before it, as hex: its parts, a line each. Since no part has
    more than one line (a body is canonical JSON), two entries never make the same text. Raises
    ValueError for a part of several lines.
    """
    parts = (prev, str(seq), uuid, kind, who, role, at_device, at_server, body)
    if any("\n" in p for p in parts):
        raise ValueError("a part of an entry has more than one line")
    return hashlib.sha256("\n".join(parts).encode()).hexdigest()


def of_one_line(text: str) -> str:
    """A text without line breaks."""
    return " ".join(text.split("\n"))


def next_entry(
    prev: str,
    seq: int,
    uuid: str,
    kind: str,
    who: str,
    role: str,
    at_device: str,
    at_server: str,
    body: dict[str, Any],
) -> Entry:
    """An entry chained to the hash before it; without a device's time it is made when the server
    has it.
    """
    who, device, written = of_one_line(who), of_one_line(at_device) or at_server, canonical(body)
    own = digest(prev, seq, uuid, kind, who, role, device, at_server, written)
    return Entry(seq, uuid, kind, who, role, device, at_server, json.loads(written), prev, own)


def first_broken(job_uid: str, entries: Iterable[Entry]) -> int | None:
    """The number of the first entry whose chain does not hold; None when all of it does."""
    prev = genesis(job_uid)
    for i, e in enumerate(entries, 1):
        try:
            body = canonical(e.body)
            want = digest(prev, i, e.uuid, e.kind, e.who, e.role, e.at_device, e.at_server, body)
        except ValueError:
            return i
        if e.seq != i or e.prev != prev or e.hash != want:
            return i
        prev = e.hash
    return None


@dataclass(frozen=True)
class LogState:
    """What the log adds up to now, up to entry number `seq`.

    events: of each termination, oldest first. drilled, steps, accepted and duties: the last entry
    on each hole, step of Link or Wake, finding and duty; ct: the steps of the transformers' test
    now; rehearsals: all that came to their end; readbacks: units' menus as read over the wire;
    tests: all entries on each test of Prove; searches: the looks of each search for a cause since
    it began; curves: taken in from files.
    hours: entries by who and hour (UTC); ratios: readings by reading over rated, to the
    hundredth; corrected ones are left out. last: the newest entry of each other kind, by what it is
    about.
    """

    seq: int = 0
    events: dict[str, tuple[Event, ...]] = field(default_factory=dict)
    accepted: dict[str, Entry] = field(default_factory=dict)
    duties: dict[str, Entry] = field(default_factory=dict)
    signed: Entry | None = None
    photos: dict[str, Entry] = field(default_factory=dict)
    drilled: dict[str, Entry] = field(default_factory=dict)
    steps: dict[str, Entry] = field(default_factory=dict)
    ct: tuple[Entry, ...] = ()
    rehearsals: tuple[Entry, ...] = ()
    readbacks: tuple[Entry, ...] = ()
    tests: dict[str, tuple[Entry, ...]] = field(default_factory=dict)
    searches: dict[str, tuple[Entry, ...]] = field(default_factory=dict)
    curves: tuple[Entry, ...] = ()
    hours: dict[tuple[str, str], int] = field(default_factory=dict)
    ratios: dict[float, int] = field(default_factory=dict)
    last: dict[str, dict[str, Entry]] = field(default_factory=dict)
    _states: dict[tuple[str, tuple[str, ...]], TerminationState] = field(
        default_factory=dict, compare=False, repr=False
    )

    __hash__ = object.__hash__  # so that what follows from a state can be remembered for it

    def accepts(self, finding: Finding) -> Entry | None:
        """The entry that accepts this finding as it reads now, if any; changed words or numbers
        want a new acceptance.
        """
        entry = self.accepted.get(finding.key)
        return entry if entry and entry.body["fingerprint"] == finding.fingerprint else None

    def attends(self, duty: Finding) -> Entry | None:
        """The last entry on this duty as it reads now, if any."""
        entry = self.duties.get(duty.key)
        same = entry is not None and entry.body["fingerprint"] == duty.fingerprint
        return entry if same and entry and entry.body["verdict"] != "taken back" else None

    def closes(self, duty: Finding) -> bool:
        """Whether a duty is done, or declined with a reason."""
        entry = self.attends(duty)
        return entry is not None and entry.body["verdict"] in ("done", "declined")

    def termination(self, key: str, chain: tuple[State, ...]) -> TerminationState:
        """Where one termination stands. Remembered until an entry about it comes."""
        found = self._states.get((key, chain))
        if found is None:
            found = self._states[key, chain] = state_of(self.events.get(key, ()), chain)
        return found


class Growing:
    """The state of a log into which entries are being read; the one it starts from is left
    as it was.
    """

    def __init__(self, before: LogState) -> None:
        self.before, self.seq, self.signed = before, before.seq, before.signed
        self.grown: dict[str, list[Event]] = {}
        self.accepted, self.photos = dict(before.accepted), dict(before.photos)
        self.duties = dict(before.duties)
        self.drilled, self.hours = dict(before.drilled), dict(before.hours)
        self.steps, self.ct = dict(before.steps), before.ct
        self.rehearsals = before.rehearsals
        self.readbacks, self.curves = before.readbacks, before.curves
        self.tests, self.searches = dict(before.tests), dict(before.searches)
        self.ratios, self.last = dict(before.ratios), dict(before.last)

    def read(self, e: Entry) -> None:
        """One entry, by its kind; one of a kind nobody registered counts by who and when only."""
        self.seq = e.seq
        hour = (e.who, e.at_server[:13])
        self.hours[hour] = self.hours.get(hour, 0) + 1
        if e.kind in KINDS:
            KINDS[e.kind].reads(self, e)

    def keep_last(self, e: Entry) -> None:
        """Keep it as the newest of its kind about what it is about."""
        about = str(e.body.get(KINDS[e.kind].about, ""))
        self.last[e.kind] = {**self.last.get(e.kind, {}), about: e}

    def move(self, e: Entry) -> None:
        """An entry about a termination: it events, and what it corrects counts no longer."""
        key = e.body["termination"]
        rows = self.grown.setdefault(key, list(self.before.events.get(key, ())))
        move = as_event(e)
        _count(self.ratios, move, 1)
        for old in rows if move.corrects or move.drops else ():
            if old.uuid == move.corrects or old.uuid in move.drops:
                _count(self.ratios, old, -1)
        rows.append(move)

    def done(self) -> LogState:
        """The state as read."""
        events = {**self.before.events, **{k: tuple(v) for k, v in self.grown.items()}}
        kept = {k: v for k, v in self.before._states.items() if k[0] not in self.grown}
        return LogState(
            self.seq,
            events,
            self.accepted,
            self.duties,
            self.signed,
            self.photos,
            self.drilled,
            self.steps,
            self.ct,
            self.rehearsals,
            self.readbacks,
            self.tests,
            self.searches,
            self.curves,
            self.hours,
            self.ratios,
            self.last,
            kept,
        )


def read(entries: Sequence[Entry]) -> LogState:
    """Read the log from the first entry to the last."""
    return carry_on(LogState(), entries)


def carry_on(before: LogState, entries: Sequence[Entry]) -> LogState:
    """The state of a log with later entries read into it; the earlier one is left as it was."""
    growing = Growing(before)
    for e in entries:
        growing.read(e)
    return growing.done()


def _count(ratios: dict[float, int], m: Event, by: int) -> None:
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


def as_event(e: Entry) -> Event:
    """An entry about a termination as the states are read from."""
    b = e.body
    about = {
        "note": b.get("note", ""),
        "seen": b.get("seen"),
        "device": b.get("device", ""),
        "corrects": b.get("corrects"),
        "photo": b.get("digest", ""),
    }
    if e.kind == "settle":
        return Event(
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
        return Event(e.uuid, b["act"], e.seq, e.who, when(e), at_server=e.at_server, **about)
    wrench = b["wrench"]
    return Event(
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
