"""The frame around every page: templates, filters, the `.json` twin, and the job's ticket."""

from __future__ import annotations

import hashlib
import re
from collections.abc import Callable
from datetime import UTC, datetime
from functools import lru_cache
from pathlib import Path
from string import ascii_uppercase
from typing import Any
from zoneinfo import ZoneInfo

from fastapi import APIRouter, Request
from fastapi.encoders import jsonable_encoder
from fastapi.responses import HTMLResponse, JSONResponse, Response
from jinja2 import Environment, FileSystemLoader, StrictUndefined, select_autoescape
from markupsafe import Markup, escape

from gumboot.core.basis import units
from gumboot.core.basis.figure import Figure, fmt, with_unit
from gumboot.core.basis.sizes import spoken
from gumboot.core.codes.iec import METHOD_NAMES
from gumboot.core.design import Design
from gumboot.core.land import Termination
from gumboot.core.network.bonds import by_state
from gumboot.core.size.conductors import cable_schools
from gumboot.drawings.take_off import take_off
from gumboot.exports.materials import materials

WEB = Path(__file__).parent.parent
GREEK = {
    "rho": "ρ",
    "lam": "λ",
    "alpha": "α",
    "beta": "β",
    "gamma": "γ",
    "eta": "η",
    "dV": "ΔV",
    "dT": "ΔT",
}
MARKS = {"stop": "■", "check": "▲", "note": "●"}

templates = Environment(
    loader=FileSystemLoader(sorted(WEB.glob("**/templates"))),
    autoescape=select_autoescape(),
    undefined=StrictUndefined,
    trim_blocks=True,
    lstrip_blocks=True,
    auto_reload=False,
)


def symbol(text: str) -> Markup:
    """A symbol as printed: "V_oc_max" becomes V with a subscript."""
    head, _, tail = text.partition("_")
    head = GREEK.get(head, head)
    return Markup("<i>{}</i>{}").format(
        head, Markup("<sub>{}</sub>").format(tail.replace("_", " ")) if tail else ""
    )


def formula(figure: Figure, put_in: bool = False) -> Markup:
    """A formula as printed, with symbols or with the numbers put in."""
    text = figure.put_in if put_in else figure.formula
    names = {f.symbol for f in figure.inputs}
    html = re.sub(
        r"[A-Za-z]\w*|[^A-Za-z]+",
        lambda m: str(symbol(m[0])) if m[0] in names and not put_in else str(escape(m[0])),
        text,
    )
    for typed, printed in ((" * ", " · "), (" - ", " − "), ("sqrt", "√"), ("(-", "(−")):
        html = html.replace(typed, printed)
    return Markup(html)  # noqa: S704 - every part was escaped


def sentence(text: str) -> str:
    """A text with its first letter large and the rest as it is."""
    return text[:1].upper() + text[1:]


def clock(at: str, zone: str | None = None) -> str:
    """An instant by the clock on the site's wall, to the minute: "2026-11-25 00:56"; by UTC without
    a zone. What is no instant stays as it was written.
    """
    try:
        said = datetime.fromisoformat(at.replace("Z", "+00:00"))
        return f"{said.astimezone(ZoneInfo(zone or 'UTC')):%Y-%m-%d %H:%M}" if said.tzinfo else at
    except (ValueError, OverflowError):
        return at


def moment(at: datetime) -> str:
    """When something was, to the minute, UTC: "2026-11-25 00:56"."""
    return f"{at.astimezone(UTC):%Y-%m-%d %H:%M}"


def day(at: datetime) -> str:
    """The day of it, UTC."""
    return f"{at.astimezone(UTC):%Y-%m-%d}"


def method_name(method: str) -> str:
    """A way of running cable in words: "raceway", "C, clipped direct to a wall"."""
    return (
        f"{method}, {METHOD_NAMES[method]}" if method in METHOD_NAMES else method.replace("-", " ")
    )


templates.filters.update(
    sentence=sentence,
    clock=clock,
    moment=moment,
    day=day,
    as_length=units.show_length,
    place=units.show_place,
    temperature=units.show_temperature,
    torque=units.show_torque,
    strip=units.show_strip,
    fmt=fmt,
    reads=lambda value, unit="": with_unit(value, unit),
    symbol=symbol,
    method=method_name,
    take_off=lambda d: drawn(take_off(d)),
    schools=cable_schools,
    by_state=by_state,
    materials=materials,
    formula=formula,
    awg=spoken,
)
STAMP = hashlib.sha256(
    b"".join(p.read_bytes() for p in sorted((WEB / "static").glob("*.*s")))
).hexdigest()[:8]  # so that no browser keeps an old style or script
PAGES = {
    "board": ("loads", "Load board"),
    "tariff": ("year", "Year"),
    "year": ("year", "Year"),
    "survey": ("survey", "Survey"),
    "settings": ("set", "Set"),
    "walls": ("wall", "Wall"),
    **{f"wall-{x}": (f"wall?wall={x}", f"Wall {x}") for x in ascii_uppercase},
}  # places that are pages
templates.globals.update(kinds=units.KINDS, marks=MARKS, version=STAMP, pages=PAGES)


@lru_cache(maxsize=128)
def part(template: str, design: Design) -> Markup:
    """A part of a page that follows from the design alone, remembered for it."""
    html = templates.get_template(template).render(_d=design, units=design.plan.units)
    return Markup(html)  # noqa: S704 - the template escaped it


def drawn(svg: str) -> Markup:
    """A drawing of ours as it goes into a page; its texts are escaped where it is made."""
    return Markup(svg)  # noqa: S704


def render(
    request: Request, template: str, context: dict[str, Any], status: int = 200
) -> HTMLResponse:
    """One page."""
    return HTMLResponse(templates.get_template(template).render(request=request, **context), status)


def encode(data: Any) -> Any:
    """Page data as plain JSON values. A figure and a termination are tuples by name, and go as
    objects.
    """
    return jsonable_encoder(data, exclude_none=False, custom_encoder=NAMED)


def _by_name(row: Figure | Termination) -> Any:
    return encode(row._asdict())


NAMED: dict[Any, Callable[[Any], Any]] = {Figure: _by_name, Termination: _by_name}


def twin(
    router: APIRouter, path: str, template: str
) -> Callable[[Callable[..., dict[str, Any] | Response]], Callable[..., dict[str, Any] | Response]]:
    """Serve what a function returns twice: as a page at `path`, as data at `path`.json.

    The function takes `request` and returns the page's data; keys starting with "_" are for the
    page only.
    """

    def register(
        view: Callable[..., dict[str, Any] | Response],
    ) -> Callable[..., dict[str, Any] | Response]:
        import functools

        @functools.wraps(view)
        def page(*args: Any, **kwargs: Any) -> Response:
            data = view(*args, **kwargs)
            return data if isinstance(data, Response) else render(kwargs["request"], template, data)

        @functools.wraps(view)
        def json(*args: Any, **kwargs: Any) -> Response:
            data = view(*args, **kwargs)
            return (
                data
                if isinstance(data, Response)
                else JSONResponse(encode({k: v for k, v in data.items() if not k.startswith("_")}))
            )

        router.get(f"{path}.json", name=f"{view.__name__}_json", response_model=None)(json)
        router.get(path, name=view.__name__, response_model=None)(page)
        return view

    return register
