"""Why it does not do what it should: look after look, until one cause stands out. Part of Prove."""

from __future__ import annotations

import math
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from gumboot.core.diagnose.engine import Belief, Problem, believe, next_look, tells
from gumboot.core.diagnose.problems import PROBLEMS
from gumboot.core.prove.divider import place
from gumboot.drawings.probes import draw_probes
from gumboot.store import records
from gumboot.store.models import Crew
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn, render, twin
from gumboot.web.people.visit import Visit, Visiting
from gumboot.web.stations.prove.standing import as_read, dues_now, last_of

router = APIRouter()
MOST_WEIGHT = 1000.0
MOST_V = 3000.0


def weights_of(visit: Visit, problem: Problem) -> dict[str, float]:
    """The crew's own weights of a problem's causes."""
    crew = visit.db.get(Crew, visit.crew_id)
    kept = (crew.defaults.get("weights") or {}).get(problem.key, {}) if crew else {}
    return {k: float(v) for k, v in kept.items()}


def seen_of(job: OpenJob, problem: Problem) -> list[tuple[str, int]]:
    """The looks taken since the search began."""
    rows = job.state.searches.get(problem.key, ())
    return [(e.body["look"], e.body["answer"]) for e in rows if e.body["act"] == "seen"]


def suggested(job: OpenJob) -> list[str]:
    """Problems that readings out of their band point at, and alarms of the unit."""
    out = []
    for due in dues_now(job):
        e = last_of(job, due)
        if e is not None and e.body["verdict"] == "outside" and due.problem:
            out.append(_way(due.problem, due.key, e.body["value"], as_read(job, due, e).least))
    return [k for k in dict.fromkeys(out) if k in PROBLEMS]


def _way(problem: str, key: str, value: float | None, least: float | None) -> str:
    """A string that reads too much is another problem than one that reads too little."""
    high = value is not None and least is not None and abs(value) >= least
    return "high_voc" if problem == "low_voc" and high else problem


def page(
    job: OpenJob, key: str, fault: str = "", divider: dict[str, str] | None = None
) -> dict[str, Any]:
    """What the page shows: the search that is under way, or which there are."""
    problem = PROBLEMS.get(key)
    head = {
        **job.head("prove"),
        "tab": "prove/why",
        "problems": [{"key": p.key, "title": p.title} for p in PROBLEMS.values()],
        "suggested": [{"key": k, "title": PROBLEMS[k].title} for k in suggested(job)],
        "open": [k for k, rows in job.state.searches.items() if rows[-1].body["act"] == "seen"],
        "alarms": [a.model_dump() for a in job.design.alarms],
        "strings": [
            {"letter": s.letter, "modules": s.modules, "volts": round(s.v_oc_hot.n)}
            for s in job.design.strings
            if not s.module.optimizer  # whose volts to earth say nothing of a place
        ],
        "fault": fault,
        "divider": divider or {},
        "divided": "",
        "problem": None,
        "told": [
            {"label": e.body["label"], "symptom": e.body["symptom"]}
            for e in job.state.last.get("fault", {}).values()
            if e.body["problem"] == key and not e.body["over"]
        ],
        "_picture": "",
        "_may": job.visit.role != "planner",
    }
    if problem is None:
        return head
    seen = seen_of(job, problem)
    belief = believe(problem, seen, weights_of(job.visit, problem))
    found = next_look(belief, [k for k, _ in seen])
    look = found[0] if found else None
    return {
        **head,
        "problem": {"key": problem.key, "title": problem.title},
        "sure": belief.sure,
        "causes": [
            {"key": c.key, "says": c.says, "mend": c.mend, "likely": p} for c, p in belief.ranked
        ],
        "seen": [_seen(problem, k, a) for k, a in seen],
        "look": _look(belief, look.key) if look else None,
        "others": [
            _look(belief, x.key)
            for x in problem.looks
            if x.key not in {k for k, _ in seen} and x is not look
        ],
        "weights": {
            c.key: weights_of(job.visit, problem).get(c.key, c.weight) for c in problem.causes
        },
        "_picture": drawn(draw_probes(*look.probes, "meter")) if look and any(look.probes) else "",
    }


def _seen(problem: Problem, key: str, answer: int) -> dict[str, str]:
    look = problem.look(key)
    return {"says": look.says, "answer": look.answers[answer]} if look else {}


def _look(belief: Belief, key: str) -> dict[str, Any]:
    look = belief.problem.look(key)
    assert look is not None  # noqa: S101 - of this very problem
    return {
        "key": look.key,
        "says": look.says,
        "minutes": look.minutes,
        "answers": list(look.answers),
        "caution": look.caution,
        "tells": round(tells(belief, look), 2),
    }


@twin(router, "/jobs/{job_id}/prove/why", "prove_why.html")
def why(request: Request, job: Opened) -> dict[str, Any]:
    """The page, at ?of= a problem."""
    return page(job, request.query_params.get("of", ""))


def mended(problem: Problem, note: str) -> dict[str, Any]:
    """The entry that ends a search: what was found and mended."""
    none = {"look": "", "answer": 0, "says": ""}
    return {"label": problem.title, "problem": problem.key, "act": "mended", "note": note, **none}


@router.post("/jobs/{job_id}/prove/why")
def answer(request: Request, job: Opened) -> Response:
    """Keep what a look showed; or begin anew, or say what was mended."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    problem = PROBLEMS.get(visit.text("of"))
    if problem is None:
        return RedirectResponse(f"/jobs/{job.record.id}/prove/why", 303)
    back = f"/jobs/{job.record.id}/prove/why?of={problem.key}"
    act, note = visit.text("act") or "seen", visit.text("note")[:500]
    look = problem.look(visit.text("look"))
    answer = visit.whole("answer", -1)
    if act == "seen" and (look is None or not 0 <= answer < len(look.answers)):
        again = page(job, problem.key, "Choose what it shows.")
        return render(request, "prove_why.html", again, 422)
    if act == "mended" and not note:
        again = page(job, problem.key, "Type what was found and mended.")
        return render(request, "prove_why.html", again, 422)
    act = act if act in ("seen", "begun anew", "mended") else "seen"
    now = [*seen_of(job, problem), *([(look.key, answer)] if look and act == "seen" else [])]
    first, likely = believe(problem, now, weights_of(visit, problem)).ranked[0]
    body = {
        "label": problem.title,
        "problem": problem.key,
        "look": look.key if look and act == "seen" else "",
        "answer": max(answer, 0),
        "act": act,
        "says": f"{look.answers[answer]}: {100 * likely:.0f} % {first.says}"
        if look and act == "seen"
        else "",
        "note": note,
    }
    at = visit.text("at_device")[:40]
    records.append(visit.db, job.record, "search", body, visit.who, visit.role, at)
    visit.db.commit()
    return RedirectResponse(back, 303)


@router.post("/jobs/{job_id}/prove/divider")
def divide(request: Request, job: Opened) -> Response:
    """Where an array touches earth, by the volts of its poles."""
    visit = job.visit
    names = ("string", "plus", "minus", "open")
    typed = {k: visit.text(k) for k in names}
    of = {s.letter: s for s in job.design.strings}
    own = of.get(typed["string"])
    values: dict[str, float] = {}
    fault = "" if own else "Choose the string."
    for k in names[1:]:
        plain = typed[k].removesuffix("V").strip().replace(",", ".").replace("−", "-")
        try:
            values[k] = float(plain)
        except ValueError:
            values[k] = math.nan
        if not abs(values[k]) <= MOST_V:
            fault = fault or "Type all three in volts, such as 212."
    if fault or own is None:
        return render(request, "prove_why.html", page(job, "low_insulation", fault, typed), 422)
    found = place(values["plus"], values["minus"], own.modules, values["open"])
    said = f"String {own.letter}: {found.says}."
    return render(
        request,
        "prove_why.html",
        {**page(job, "low_insulation", "", typed), "divided": said},
    )


@router.post("/weights")
def weigh(request: Request, visit: Visiting) -> Response:
    """Keep the crew's own weights of a problem's causes; all of them empty takes ours again."""
    visit.needs("supervisor")
    problem, job_id = PROBLEMS.get(visit.text("of")), visit.whole("job", 0)
    crew = visit.db.get(Crew, visit.crew_id)
    if problem is not None and crew is not None:
        kept = {}
        for c in problem.causes:
            try:
                value = float(visit.text(c.key).replace(",", "."))
            except ValueError:
                continue
            if 0 < value <= MOST_WEIGHT:
                kept[c.key] = value
        all_of_them = {**(crew.defaults.get("weights") or {}), problem.key: kept}
        crew.defaults = {**crew.defaults, "weights": {k: v for k, v in all_of_them.items() if v}}
        visit.tells("weights", problem=problem.title)
        visit.db.commit()
    return RedirectResponse(f"/jobs/{job_id}/prove/why?of={visit.text('of')}", 303)
