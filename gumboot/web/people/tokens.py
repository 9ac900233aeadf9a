"""Tokens of a crew's own tools: shown once, scoped, ended at any time; and what those tools may
ask, as an OpenAPI document.
"""

from __future__ import annotations

import secrets
from datetime import UTC, datetime
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from sqlalchemy import select

from gumboot.store.models import Person, Token
from gumboot.web.pages.frame import render, twin
from gumboot.web.people.visit import SCOPES, Visit, Visiting, token_hash

router = APIRouter()
WORDS = {"read": "read everything", "write": "read, and change what a planner may"}
NOT_FOR_TOOLS = ("/sign-in", "/sign-out", "/account", "/people", "/join", "/first-start", "/tokens")


def page(visit: Visit, made: str = "", fault: str = "", name: str = "") -> dict[str, Any]:
    """What the page of the tokens shows."""
    rows = visit.db.execute(
        select(Token, Person.name)
        .join(Person, Person.id == Token.person_id)
        .where(Token.crew_id == visit.crew_id, Token.ended_at.is_(None))
        .order_by(Token.made_at.desc())
    )
    return {
        "tokens": [
            {
                "id": t.token_hash[:16],
                "name": t.name,
                "scope": t.scope,
                "by": who,
                "made": t.made_at,
                "used": t.used_at,
            }
            for t, who in rows
        ],
        "fault": fault,
        "_made": made,
        "_name": name,
        "_scopes": WORDS,
        "_visit": visit,
    }


@twin(router, "/tokens", "tokens.html")
def tokens(request: Request, visit: Visiting) -> dict[str, Any]:
    """The crew's tokens, for supervisors."""
    visit.needs("supervisor")
    return page(visit)


@router.post("/tokens")
def make(request: Request, visit: Visiting) -> Response:
    """A new token; it stands on the answer and nowhere else."""
    visit.needs("supervisor")
    name, scope = visit.text("name")[:60], visit.text("scope")
    if not name or scope not in SCOPES:
        fault = "Type what the token is for, such as “stock list”, and choose what it may do."
        return render(request, "tokens.html", page(visit, fault=fault, name=name), 422)
    token = f"gb_{secrets.token_urlsafe(32)}"
    visit.db.add(
        Token(
            token_hash=token_hash(token),
            crew_id=visit.crew_id,
            person_id=visit.person_id,
            name=name,
            scope=scope,
        )
    )
    visit.tells("token", name=name, scope=WORDS[scope])
    visit.db.flush()
    shown = page(visit, token)
    visit.db.commit()
    return render(request, "tokens.html", shown)


@router.post("/tokens/end")
def end(visit: Visiting) -> Response:
    """End a token at once."""
    visit.needs("supervisor")
    which = visit.text("which")[:16]
    row = (
        visit.db.scalar(
            select(Token).where(
                Token.crew_id == visit.crew_id,
                Token.ended_at.is_(None),
                Token.token_hash.startswith(which, autoescape=True),
            )
        )
        if len(which) == 16
        else None
    )
    if row:
        row.ended_at = datetime.now(UTC)
        visit.tells("token ended", name=row.name)
        visit.db.commit()
    return RedirectResponse("/tokens", 303)


@router.get("/openapi.json")
def document(request: Request, visit: Visiting) -> Response:
    """What a tool may ask and change: every twin, export and change, with the token it needs."""
    described = request.app.openapi()
    paths: dict[str, Any] = {}
    for path, ways in described["paths"].items():
        if path.startswith(NOT_FOR_TOOLS) or path in ("/metrics", "/offline", "/sw.js"):
            continue
        for method, way in ways.items():
            data = method == "get" and (path.endswith((".json", ".csv", ".svg", ".pdf", ".dxf")))
            if not data and method != "post":
                continue
            kept = {k: v for k, v in way.items() if k in ("summary", "description", "parameters")}
            said = (
                {"200": {"description": "the data"}} if data else {"303": {"description": "done"}}
            )
            if path.endswith(".pdf"):
                said["202"] = {"description": "being made: ask at Location until it is there"}
            if method == "post":
                form = {"schema": {"type": "object", "additionalProperties": {"type": "string"}}}
                kept["requestBody"] = {"content": {"application/x-www-form-urlencoded": form}}
                said["422"] = {"description": "a field is wrong; the answer names it"}
            refused = {
                "401": {"description": "no such token"},
                "403": {"description": "not its scope"},
            }
            paths.setdefault(path, {})[method] = {**kept, "responses": {**said, **refused}}
    return JSONResponse(
        {
            "openapi": "3.1.0",
            "info": {"title": "Gumboot", "version": described["info"]["version"]},
            "components": {
                "securitySchemes": {"token": {"type": "http", "scheme": "bearer"}},
            },
            "security": [{"token": []}],
            "paths": paths,
        }
    )
