"""Materials: the bill against what the crew has in stock, and what the rest costs. Stock and price
of a line are typed once, and stand in every later job that wants the same.
"""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy import select

from gumboot.core.basis.units import NotAQuantity
from gumboot.exports.materials import Item, as_csv, materials
from gumboot.store.models import KitState
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.form import number
from gumboot.web.pages.frame import render, twin

router = APIRouter()
MOST = 1_000_000.0


def key_of(item: Item) -> str:
    """What a line of a bill is kept in stock as."""
    return f"bill {item.what} [{item.unit}]"[:240]


def stock_of(job: OpenJob) -> dict[str, dict[str, float]]:
    """Stock and price of the lines of a job's bill, as the crew typed them."""
    keys = [key_of(i) for i in materials(job.design)]
    asked = select(KitState).where(KitState.crew_id == job.visit.crew_id, KitState.entry.in_(keys))
    return {s.entry: dict(s.stock) for s in job.visit.db.scalars(asked)}


def lines(job: OpenJob) -> list[dict[str, Any]]:
    """The bill, line by line, with what has to be got and what it costs."""
    kept = stock_of(job)
    out = []
    for i in materials(job.design):
        own = kept.get(key_of(i), {})
        here, price = own.get("count"), own.get("price")
        wanted = max(0.0, i.count - (here or 0.0))
        out.append(
            {
                "group": i.group,
                "what": i.what,
                "count": i.count,
                "unit": i.unit,
                "stock": here,
                "price": price,
                "to_get": wanted,
                "cost": wanted * price if price is not None else None,
            }
        )
    return out


def page(
    job: OpenJob, typed: dict[str, str] | None = None, faults: dict[str, str] | None = None
) -> dict[str, Any]:
    """What the page shows."""
    rows = lines(job)
    priced = [r["cost"] for r in rows if r["cost"] is not None]
    return {
        **job.head("size"),
        "lines": rows,
        "cost": sum(priced),
        "unpriced": sum(r["price"] is None and r["to_get"] > 0 for r in rows),
        "faults": faults or {},
        "_typed": typed or {},
        "_may": job.visit.role != "installer",
    }


@twin(router, "/jobs/{job_id}/materials", "bill.html")
def bill(request: Request, job: Opened) -> dict[str, Any]:
    """The bill against the stock."""
    return page(job)


@router.post("/jobs/{job_id}/materials")
def keep(request: Request, job: Opened) -> Response:
    """Keep what was typed of stock and prices; a line left empty is not known."""
    visit = job.visit
    visit.needs("planner", "supervisor")
    typed: dict[str, str] = {}
    faults: dict[str, str] = {}
    rows = []
    for n, item in enumerate(materials(job.design)):
        said = {}
        for what in ("count", "price"):
            name = f"{what}/{n}"
            text = typed[name] = visit.text(name)[:40]
            if not text:
                continue
            try:
                value = number(text)
                if not 0 <= value <= MOST:
                    raise NotAQuantity("type a number from 0 on")
                said[what] = value
            except NotAQuantity as exc:
                faults[name] = str(exc)
        rows.append((item, said))
    if faults:
        return render(request, "bill.html", page(job, typed, faults), 422)
    for item, said in rows:
        key = (visit.crew_id, key_of(item))
        state = visit.db.get(KitState, key) or KitState(crew_id=key[0], entry=key[1], hidden=False)
        if state.stock != said:
            state.stock = said
            visit.db.add(state)
    visit.db.commit()
    return RedirectResponse(f"/jobs/{job.record.id}/materials", 303)


def bill_csv(job: OpenJob) -> str:
    """The bill as CSV (RFC 4180), with stock, what to get, and its cost in the crew's own coin."""

    def said(value: float | None) -> str:
        return "" if value is None else f"{value:g}"

    return as_csv(
        ("group", "item", "quantity", "unit", "in_stock", "to_get", "price", "cost"),
        (
            (
                r["group"],
                r["what"],
                f"{r['count']:g}",
                r["unit"],
                said(r["stock"]),
                f"{r['to_get']:g}",
                said(r["price"]),
                said(r["cost"]),
            )
            for r in lines(job)
        ),
    )
