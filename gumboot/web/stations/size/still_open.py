"""What Size still has to know: the fields of the brief that its stops and checks ask for, typed
here
and saved as a brief.
"""

from __future__ import annotations

from typing import Any

from gumboot.core.network.service import FEEDER
from gumboot.core.plan import Plan
from gumboot.core.size.sub_board import on_sub_board
from gumboot.web.job.opening import OpenJob
from gumboot.web.stations.brief.kit_form import sections, typed_of


def parts(job: OpenJob) -> dict[str, Any]:
    """The open fields, what else the brief holds, and how many rows of strings it has. Where
    nothing is open the brief is not read.
    """
    wanted = {*_runs(job), *_facts(job.plan)}
    if not wanted:
        return {"_open": []}
    rows = max(1, len(job.plan.strings))
    typed = typed_of(job.plan.model_dump(mode="json"), rows, job.plan.units, job.choices)
    fields = [f for _, part in sections(typed, rows, job.choices) for f in part if f.path in wanted]
    shown = {f.path for f in fields}
    return {
        "_open": fields,
        "_open_typed": typed,
        "_open_held": {k: v for k, v in typed.items() if v and k not in shown},
        "_open_rows": rows,
    }


def _facts(plan: Plan) -> set[str]:
    """What of the service nobody knows, and the book asks."""
    supply = plan.supply
    if supply.kind == "off-grid":
        return set()
    asked: dict[str, object] = {"main_breaker_a": supply.main_breaker_a, "bus_a": supply.bus_a}
    if plan.book.loops:
        asked |= {"earthing": supply.earthing, "loop_ohm": supply.loop_ohm}
    wanted = {f"supply/{k}" for k, v in asked.items() if v is None}
    if not on_sub_board(plan):
        return wanted
    board = plan.supply.sub_board
    read = {"breaker_a": board.breaker_a, "bus_a": board.bus_a}
    wanted |= {f"supply/sub_board/{k}" for k, v in read.items() if v is None}
    return wanted if FEEDER in plan.runs else wanted | {f"runs/{FEEDER}/length_m"}


def _runs(job: OpenJob) -> set[str]:
    """Lengths that a stop asks for, by family."""
    stops = {f.place for f in job.design.findings if f.key == f"{f.place}.run"}
    network = job.design.network
    if not stops or network is None:
        return set()
    return {
        f"runs/{c.family}/length_m"
        for c in network.circuits
        if c.id in stops and c.family not in job.plan.runs and c.id not in job.plan.runs
    }
