"""What Prove gives away: the schedule of tests and results as CSV, JSON and to print, with its
curves.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, Response

from gumboot.core.journal.entry import Entry
from gumboot.drawings.curves import Line, plot
from gumboot.exports.materials import as_csv
from gumboot.web.background import printed
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import drawn
from gumboot.web.people.defaults import PAPERS, paper_of
from gumboot.web.stations.prove.standing import dues_now
from gumboot.web.stations.prove.table import page, row_of

router = APIRouter()
HEAD = (
    *("stage", "test", "place", "expected", "least", "most", "unit", "read", "verdict", "why"),
    *("instrument", "who", "when", "clause", "note", "key"),
)
MOST_CURVES = 24


def results(job: OpenJob) -> list[dict[str, Any]]:
    """Every test with its result, in the order of work."""
    return [row_of(job, x) for x in dues_now(job)]


@router.get("/jobs/{job_id}/prove.csv")
def results_csv(job: Opened) -> Response:
    """The schedule as CSV (RFC 4180)."""
    rows = []
    for r in results(job):
        limits = ("" if r[k] is None else f"{r[k]:.6g}" for k in ("least", "most"))
        head = (r["stage"], r["title"], r["place"], r["expects"], *limits, r["unit"])
        said = (r["read"], r["verdict"], r["why"], r["tool"], r["who"], r["at"])
        rows.append((*head, *said, r["clause"], r["note"], r["key"]))
    name = {"Content-Disposition": f'attachment; filename="tests-{job.record.id}.csv"'}
    return Response(as_csv(HEAD, rows), media_type="text/csv; charset=utf-8", headers=name)


@router.get("/jobs/{job_id}/tests.json")
def results_json(job: Opened) -> Response:
    """The schedule as JSON, with every curve's points."""
    body = {
        "kind": "tests and results",
        "job": job.record.name,
        "tests": results(job),
        "curves": [
            {**e.body, "who": e.who, "at": e.at_server} for e in job.state.curves[-MOST_CURVES:]
        ],
    }
    name = {"Content-Disposition": f'attachment; filename="tests-{job.record.id}.json"'}
    return JSONResponse(body, headers=name)


def of_strings(job: OpenJob, rows: dict[str, dict[str, Any]]) -> list[dict[str, Any]]:
    """A row a string, in the order in which IEC 62446-1's array test report asks."""
    none: dict[str, Any] = {}
    return [
        {
            "name": f"String {s.letter}",
            "modules": s.modules,
            "counted": s.counted,
            "open": rows.get(f"string.{s.letter}.open", none),
            "short": rows.get(f"string.{s.letter}.short", none),
            "insulation": rows.get(f"wake.cold.insulation.{s.letter}", none),
            "earth": rows.get(f"earth.pv-{s.letter}", none),
        }
        for s in job.design.strings
    ]


def of_circuits(job: OpenJob, rows: dict[str, dict[str, Any]]) -> list[dict[str, Any]]:
    """A row a circuit, in the order in which IEC 60364-6's schedule of results asks."""
    none: dict[str, Any] = {}
    return [
        {
            "name": f"C{s.circuit.number} {s.circuit.name}",
            "conductor": s.conductor_text,
            "protection": s.protection_text,
            "earth": rows.get(f"earth.{s.id}", none),
            "insulation": rows.get(f"insulation.{s.id}", none),
            "loop": rows.get(f"loop.{s.id}", none),
        }
        for s in job.design.circuits
        if s.circuit.family != "pv"
    ]


def curve_pages(job: OpenJob, standalone: bool = True) -> list[dict[str, Any]]:
    """The curves, to print or on a page."""
    out = []
    for e in job.state.curves[-MOST_CURVES:]:
        v = e.body["values"]
        lines = [
            Line(x["name"], x["look"], x["x"], x["y"], x.get("edge")) for x in v.get("lines", ())
        ]
        marks = [(m[0], m[1]) for m in v.get("marks", ())]
        picture = _drawn(e, lines, marks, standalone) if lines else ""
        out.append({"body": e.body, "who": e.who, "at": e.at_server, "picture": drawn(picture)})
    return out


def _drawn(e: Entry, lines: list[Line], marks: list[tuple[float, str]], standalone: bool) -> str:
    v = e.body["values"]
    return plot(lines, v["x_name"], v["y_name"], marks, e.body["label"], standalone)


@router.get("/jobs/{job_id}/prove.pdf")
def results_pdf(request: Request, job: Opened) -> Response:
    """The schedule and its curves to print: ?paper=a4 or letter."""
    paper = request.query_params.get("paper", "")
    paper = paper if paper in PAPERS else paper_of(job.visit, job.plan.units)
    data, rows = page(job), {r["key"]: r for r in results(job)}
    context = {
        "strings": of_strings(job, rows),
        "circuits": of_circuits(job, rows),
        "job": {"name": job.record.name, "version": job.record.version},
        "address": job.plan.site.address,
        "stages": data["stages"],
        "done": data["done"],
        "count": data["count"],
        "beside": data["beside"],
        "curves": curve_pages(job),
        "paper": PAPERS[paper],
    }
    return printed(request, job, "prove_sheet.html", "tests", context)
