"""Reels and remnants in the crew's store: cut first, in every job that wants the same cable."""

from __future__ import annotations

from typing import Any

from sqlalchemy import select

from gumboot.core.plan import Reel
from gumboot.store.models import KitState
from gumboot.web.job.opening import OpenJob

MOST = 200  # of one cable
UNDER = "reels "  # before the cable's id, in the crew's state of its shelf


def in_store(job: OpenJob) -> list[Reel]:
    """Every reel of the crew's store, of cables the job's shelf has."""
    rows = job.visit.db.scalars(
        select(KitState)
        .where(KitState.crew_id == job.visit.crew_id, KitState.entry.startswith(UNDER))
        .order_by(KitState.entry)
    )
    known = {c.id for c in job.design.catalogue.conductors}
    return [
        Reel.model_validate({**r, "cable": cable})
        for row in rows
        if (cable := row.entry.removeprefix(UNDER)) in known
        for r in row.stock.get("reels", ())
    ]


def put(job: OpenJob, reel: Reel) -> bool:
    """Put a reel into the store; False where there is no room for more of its cable."""
    row, kept = _row(job, reel.cable)
    if len(kept) >= MOST:
        return False
    _keep(job, row, [*kept, _plain(reel)])
    return True


def take(job: OpenJob, reel: Reel) -> None:
    """Take one like it out of the store; nothing where there is none."""
    row, kept = _row(job, reel.cable)
    if _plain(reel) in kept:
        kept.remove(_plain(reel))
        _keep(job, row, kept)


def _plain(reel: Reel) -> dict[str, Any]:
    return reel.model_dump(mode="json", exclude={"cable"})


def _row(job: OpenJob, cable: str) -> tuple[KitState, list[dict[str, Any]]]:
    key = (job.visit.crew_id, f"{UNDER}{cable}")
    row = job.visit.db.get(KitState, key, with_for_update=True) or KitState(
        crew_id=key[0], entry=key[1], hidden=False, stock={}
    )
    return row, list(row.stock.get("reels", ()))


def _keep(job: OpenJob, row: KitState, reels: list[dict[str, Any]]) -> None:
    row.stock = {**row.stock, "reels": reels}
    job.visit.db.add(row)
    job.visit.db.commit()
