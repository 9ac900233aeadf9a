"""A job's log as the demo writes it: entry by entry in memory, kept in one go."""

from __future__ import annotations

import uuid
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

from sqlalchemy.orm import Session

from gumboot.catalogue import catalogue
from gumboot.core.design import Design, design
from gumboot.core.journal import log
from gumboot.core.journal.log import Entry, LogState
from gumboot.core.plan import Plan
from gumboot.store import records
from gumboot.store.models import Job


@dataclass
class Diary:
    """A new job with what is written in its log."""

    db: Session
    job: Job
    plan: Plan
    state: LogState = field(default_factory=LogState)
    entries: list[Entry] = field(default_factory=list)

    @property
    def head(self) -> str:
        """The hash that the next entry is chained to."""
        return self.entries[-1].hash if self.entries else self.job.log_head

    @cached_property
    def design(self) -> Design:
        """What its plan comes to."""
        return design(self.plan, catalogue())

    def wrote(self, kind: str, body: dict[str, Any], by: tuple[str, str]) -> None:
        """One entry; by: role and name."""
        role, who = by
        own, at = str(uuid.uuid4()), records.now()
        entry = log.next_entry(self.head, len(self.entries) + 1, own, kind, who, role, "", at, body)
        self.entries.append(entry)
        self.state = log.carry_on(self.state, [entry])

    def keep(self) -> None:
        """The whole log into the database."""
        records.take_in(self.db, self.job, self.entries)
