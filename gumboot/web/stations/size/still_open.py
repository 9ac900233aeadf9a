"""What Size still has to know: the fields of the brief that its stops and checks ask for, typed
here
and saved as a brief.
"""

from __future__ import annotations

from typing import Any

from gumboot.core.plan import Plan
from gumboot.web.job.opening import OpenJob
from gumboot.web.pages.form import Field
from gumboot.web.stations.brief.kit_form import sections, typed_of

FACTS = ("supply/main_breaker_a", "supply/bus_a", "supply/earthing", "supply/loop_ohm")


def parts(job: OpenJob) -> dict[str, Any]:
    """The open fields, what else the brief holds, and how many rows of strings it has."""
    rows = max(1, len(job.plan.strings))
    typed = typed_of(job.plan.model_dump(mode="json"), rows, job.plan.units)
    fields = open_fields(job, typed, rows)
    shown = {f.path for f in fields}
    return {
        "_open": fields,
        "_open_typed": typed,
        "_open_held": {k: v for k, v in typed.items() if v and k not in shown} if fields else {},
        "_open_rows": rows,
    }


def open_fields(job: OpenJob, typed: dict[str, str], rows: int) -> list[Field]:
    """Fields of the brief that are empty and asked for: runs without a length, the service."""
    wanted = {*_runs(job, job.plan), *(p for p in FACTS if not typed.get(p))}
    return [f for _, part in sections(typed, rows) for f in part if f.path in wanted]


def _runs(job: OpenJob, plan: Plan) -> set[str]:
    """Lengths that a stop asks for, by family."""
    network = job.design.network
    stops = {f.place for f in job.design.findings if f.key == f"{f.place}.run"}
    circuits = network.circuits if network else ()
    return {
        f"runs/{c.family}/length_m"
        for c in circuits
        if c.id in stops and c.family not in plan.runs and c.id not in plan.runs
    }
