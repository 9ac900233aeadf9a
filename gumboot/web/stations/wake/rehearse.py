"""Wake, rehearsed: the same row against what the network says every act comes to. A wrong act is
explained and taken back; who rehearsed, and with how many slips, is kept.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from gumboot.core.wake.chapters import Wake
from gumboot.core.wake.facts import does, rule_of
from gumboot.core.wake.hazard import READIED, named
from gumboot.core.wake.order import Moves
from gumboot.core.wake.plant import Lever, in_words
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import UNEQUAL, Settled
from gumboot.store import records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, twin
from gumboot.web.stations.wake.row import row_of, shown
from gumboot.web.stations.wake.walk import moves_now, state_now

router = APIRouter()
MOST_ACTS = 400
LOW_TIMES = 8.0  # of what may be, how far a pack lies under the others, to practise
SCENARIOS = {
    "up": "Switch on, from dark to serving",
    "down": "Switch off, from serving to dark",
    "outage": "The grid is lost half way up: go on without it",
    "low": "Switch on with one pack lower than the others",
    "reversed": "Switch on with a string reversed",
    "generator": "An outage: bring the generator in",
    "now": "From where the job stands",
}


@dataclass(frozen=True, slots=True)
class Scenario:
    """What is practised: the state at the start and at the end, whether the grid is there, and the
    lever that must stay as it is, with what is read there; strings that are reversed; whether it
    is as the log says.
    """

    start: int
    end: int
    grid: bool = True
    kept: int = -1
    reads: str = ""
    reversed: tuple[str, ...] = ()
    real: bool = False

    def moves(self, job: OpenJob, wake: Wake) -> Moves:
        """Acts in it."""
        if self.real:
            return moves_now(job, wake.way, self.grid)
        return wake.way.moves_where(self.grid, self.reversed)


def begins(job: OpenJob, wake: Wake, name: str) -> Scenario | None:
    """A scenario of a job; None where the job has nothing for it."""
    plant, acts, serving = wake.way.plant, wake.way.up.acts, wake.way.plant.serving
    first = {x.kind: k for k, x in reversed(list(enumerate(plant.levers)))}
    if name == "down":
        return Scenario(serving, 0)
    if name == "outage" and acts and plant.service >= 0:
        return Scenario(acts[len(acts) // 2].state, serving, False)
    if name == "low":
        unequal = next((a.k for a in acts if a.readied & UNEQUAL), -1)
        most = f"{wake.facts.equal_v:g} V is the most"
        reads = f"{LOW_TIMES * wake.facts.equal_v:.3g} V across it, still open; {most}"
        own = 1 << unequal if unequal >= 0 else 0
        return Scenario(0, serving & ~own, True, unequal, reads) if own else None
    if name == "reversed":
        k, strings = first.get("connectors", -1), job.design.strings
        if k < 0 or not strings:
            return None
        reads = f"−{strings[0].v_oc_hot.n:.0f} V: plus and minus are exchanged"
        return Scenario(0, serving & ~(1 << k), True, k, reads, (f"array-{strings[0].letter}",))
    if name == "generator":
        own = plant.number.get("generator/own", -1)
        return Scenario(serving, serving | 1 << own, False) if own >= 0 else None
    if name == "now":
        return Scenario(state_now(job), serving, real=True)
    return Scenario(0, serving) if name == "up" else None


def tried(job: OpenJob, wake: Wake, state: int, k: int, of: Scenario) -> dict[str, Any]:
    """What one act in one state comes to, and what it does wrong."""
    plant = wake.way.plant
    lever, bit = plant.levers[k], 1 << k
    closing = not state & bit
    says = in_words(plant, k, closing)
    before = settle(plant, np.array([state], dtype=np.int64), of.grid)
    if not plant.can_be(state ^ bit):
        return {
            "says": says,
            "moved": False,
            "interlock": True,
            "state": shown(job.design, before, 0),
        }
    wrong = int(of.moves(job, wake).wrong(state, [k])[0])
    after = settle(plant, np.array([state ^ bit], dtype=np.int64), of.grid)
    return {
        "says": says,
        "moved": True,
        "interlock": False,
        "state": shown(job.design, after, 0),
        "hazards": [
            {
                "name": h.name,
                "does": does(h, wake.facts, lever)[0],
                "rule": rule_of(h, wake.facts.book, lever),
            }
            for h in named(wrong & ~READIED)
        ],
        "asks": asks(wake, wrong, lever, closing and k == of.kept),
        "reads": of.reads if closing and k == of.kept else "",
        "heard": heard(job, before, after),
    }


def asks(wake: Wake, wrong: int, lever: Lever, kept: bool) -> list[dict[str, str]]:
    """What is read or prepared before an act; what a scenario has wrong is found by reading."""
    rows = [{"name": h.name, "does": does(h, wake.facts, lever)[0]} for h in named(wrong & READIED)]
    if kept and not rows:
        rows = [{"name": "not read yet", "does": "Its volts and polarity come before it."}]
    return rows


def heard(job: OpenJob, before: Settled, after: Settled) -> list[str]:
    """Relays that move by an act, in words."""
    network = job.design.network
    if network is None:
        return []
    out = []
    for e, s in enumerate(network.switches):
        was, now = bool(before.closed[0, e]), bool(after.closed[0, e])
        if not s.by_hand and was != now:
            out.append(f"{s.says}: clicks {'in' if now else 'out'}")
    return out


@twin(router, "/jobs/{job_id}/wake/rehearse", "wake_rehearse.html")
def rehearse(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job, request.query_params.get("scenario", "up"))


def page(job: OpenJob, scenario: str, fault: str = "") -> dict[str, Any]:
    """What the page shows."""
    wake = job.design.wake
    out: dict[str, Any] = {**job.head("wake"), "tab": "wake/rehearse", "fault": fault}
    if wake is None or not wake.way.up.acts:
        return out | {"row": []}
    every = {k: s for k in SCENARIOS if (s := begins(job, wake, k))}
    scenario = scenario if scenario in every else "up"
    of = every[scenario]
    rows = settle(wake.way.plant, np.array([of.start], dtype=np.int64), of.grid)
    return out | {
        "row": row_of(job.design),
        "scenario": scenario,
        "scenarios": [{"key": k, "says": SCENARIOS[k]} for k in every],
        "start": shown(job.design, rows, 0),
        "end": of.end,
        "grid": of.grid,
        "kept": [
            {
                **{k: e.body[k] for k in ("scenario", "slips", "acts")},
                "who": e.who,
                "at": e.at_server,
            }
            for e in reversed(job.state.rehearsals)
        ][:10],
    }


@router.get("/jobs/{job_id}/wake/try.json")
def attempt(request: Request, job: Opened) -> Response:
    """What moving ?lever= comes to in ?state= of a ?scenario=; grid=0: without the utility."""
    wake, asked = job.design.wake, request.query_params
    state, key = asked.get("state", ""), asked.get("lever", "")
    keys = wake.way.plant.keys if wake else ()
    if wake is None or not state.isdecimal() or len(state) > 12 or key not in keys:
        message = "this switch is not in the plan any more: reload the page"
        return JSONResponse({"error": "no such switch", "message": message}, 422)
    n = int(state) & ((1 << len(keys)) - 1)
    of = begins(job, wake, asked.get("scenario", "up")) or Scenario(0, wake.way.plant.serving)
    of = replace(of, grid=asked.get("grid", "1") != "0")
    return JSONResponse(tried(job, wake, n, keys.index(key), of))


def replayed(job: OpenJob, wake: Wake, of: Scenario, acts: list[Any]) -> tuple[int, int, bool]:
    """(acts made, slips, whether the end was come to) of a rehearsal, made once more. An act is a
    lever's key, or the key and whether its reading was made: an act that slips is taken back.
    """
    plant, keys = wake.way.plant, wake.way.plant.keys
    state, moves, made, slips = of.start, of.moves(job, wake), 0, 0
    for act in acts[:MOST_ACTS]:
        key, read = act if isinstance(act, list) and len(act) == 2 else (act, False)
        if key not in keys:
            continue
        k = keys.index(key)
        if not plant.can_be(state ^ (1 << k)):
            continue  # the interlock holds it
        made += 1
        wrong = int(moves.wrong(state, [k])[0])
        kept = k == of.kept and not state >> k & 1
        if wrong & ~READIED or kept or (wrong & READIED and not read):
            slips += 1
            continue
        state ^= 1 << k
    return made, slips, state == of.end


@router.post("/jobs/{job_id}/wake/rehearse")
def keep(request: Request, job: Opened) -> Response:
    """Keep a rehearsal that came to its end."""
    visit, wake = job.visit, job.design.wake
    visit.needs("installer", "supervisor")
    scenario = visit.text("scenario")
    here = f"/jobs/{job.record.id}/wake/rehearse?scenario={scenario}"
    of = begins(job, wake, scenario) if wake else None
    if wake is None or of is None:
        return RedirectResponse(f"/jobs/{job.record.id}/wake/rehearse", 303)
    try:
        acts = json.loads(visit.text("acts") or "[]")
        if not isinstance(acts, list):
            raise ValueError
    except ValueError:
        acts = []
    made, slips, ended = replayed(job, wake, of, acts)
    if not ended:
        says = "This run has not come to its end yet: move what is still to move, then keep it."
        return render(request, "wake_rehearse.html", page(job, scenario, says), 422)
    body = {"scenario": scenario, "acts": made, "slips": slips, "version": job.record.version}
    try:
        records.append(visit.db, job.record, "rehearsal", body, visit.who, visit.role, "", None)
    except records.Frozen:
        says = "The job is signed: its log takes no entries."
        return render(request, "wake_rehearse.html", page(job, scenario, says), 409)
    visit.db.commit()
    return RedirectResponse(here, 303)
