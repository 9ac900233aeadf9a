"""The application: routers, headers, and the pages for what goes wrong."""

from __future__ import annotations

import errno
import gc
import logging
import re
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import asynccontextmanager
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlparse

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, RedirectResponse, Response
from fastapi.staticfiles import StaticFiles
from psycopg.errors import DiskFull
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as PoolTimeout
from starlette.exceptions import HTTPException
from starlette.middleware.gzip import GZipMiddleware

from gumboot.catalogue import catalogue
from gumboot.core.design import LIMIT_S, TakesTooLong
from gumboot.core.network import cut
from gumboot.core.wake import order
from gumboot.core.wall import grid
from gumboot.demo import scenario
from gumboot.store import database, records, shelf
from gumboot.web import background, watching
from gumboot.web.config import Config
from gumboot.web.field import receive
from gumboot.web.job import days, jobs
from gumboot.web.job.opening import NoSuchJob
from gumboot.web.pages.frame import render
from gumboot.web.people import (
    account,
    defaults,
    first_start,
    join,
    learning,
    office,
    people,
    seal,
    second,
    sign_in,
    tokens,
    visit,
)
from gumboot.web.shelf import files as entry_files
from gumboot.web.shelf import page as shelf_pages
from gumboot.web.shelf import second as second_reading
from gumboot.web.stations import STATIONS

POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src"
    " 'self'; connect-src 'self'; worker-src 'self'; manifest-src 'self'; form-action 'self';"
    " frame-ancestors 'none'; base-uri 'none'"
)
HEADERS = {
    "Content-Security-Policy": POLICY,
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
    "Cross-Origin-Opener-Policy": "same-origin",
}
MOST_BYTES = 8_000_000
LARGE = re.compile(
    r"/(jobs/(\d+/(readings|photos|log/photo)|import)|seal/check)"
)  # where a meter's file, photographs, a whole job or a PDF come in
MOST_BYTES_LARGE = 130_000_000


def odd_charset(scope: dict[str, Any]) -> str:
    """A charset that a body claims and that is not UTF-8: some are read in quadratic time."""
    kind = next((v for k, v in scope["headers"] if k == b"content-type"), b"").decode("latin-1")
    found = re.search(r"charset\s*=\s*[\"']?([^\s;\"']+)", kind, re.IGNORECASE)
    return "" if not found or found[1].lower() in ("utf-8", "utf8") else found[1][:30]


class TooLarge(Exception):
    """More was sent than any page of ours sends."""


def settle_memory() -> None:
    """Have what stays for good not looked through again, so that answers come more evenly; and the
    rest seldom: a design is many small things that soon go by themselves.
    """
    gc.collect()
    gc.freeze()
    gc.set_threshold(50_000, 20, 20)


def create_app(config: Config | None = None, demo: bool = False) -> FastAPI:
    """The application for a configuration; connects when it starts, and loads the demo into an
    empty database if told to.
    """
    config = config or Config()
    if config.json_log:
        watching.to_stdout()

    @asynccontextmanager
    async def life(app: FastAPI) -> AsyncIterator[None]:
        engine = database.ready(config.database_url, config.owner_url)
        catalogue()
        cut.warm()
        grid.warm()
        order.warm()
        app.state.sessions = database.sessions(engine)
        app.state.busy = 0
        shelf.put_shipped(app.state.sessions)
        if demo:
            scenario.load(app.state.sessions)
        settle_memory()
        yield
        engine.dispose()

    app = FastAPI(title="Gumboot", lifespan=life, docs_url=None, redoc_url=None, openapi_url=None)
    app.state.config = config
    people_rooms = (
        sign_in,
        second,
        account,
        people,
        join,
        first_start,
        office,
        tokens,
        defaults,
        seal,
        learning,
    )
    rooms = (
        *people_rooms,
        jobs,
        days,
        background,
        receive,
        entry_files,
        second_reading,
        shelf_pages,
    )
    for router in (*(r for s in STATIONS for r in s.routers), *(room.router for room in rooms)):
        app.router.routes += router.routes  # as they are: one included is asked in twice the time
    app.mount("/static", StaticFiles(directory=Path(__file__).parent / "static"), name="static")
    app.add_middleware(Compressed)
    app.add_middleware(Headers, secure=config.secure_cookies)
    app.add_middleware(watching.Watched)
    _faults(app)

    @app.get("/offline")
    def offline(request: Request) -> Response:
        return render(request, "offline.html", {"_visit": None})

    @app.get("/healthz")
    async def healthz() -> Response:
        """The process lives; it asks nobody else."""
        return JSONResponse({"ok": True})

    @app.get("/metrics")
    async def metrics(request: Request) -> Response:
        """Counters for Prometheus, for whoever runs the server."""
        if not watching.may_watch(sign_in.address_of(request), config.metrics_networks):
            raise HTTPException(404)
        body, media = watching.metrics()
        return Response(body, media_type=media)

    @app.get("/readyz")
    def readyz(request: Request) -> Response:
        """The process can serve: its records answer, in the shape it knows."""
        with request.app.state.sessions() as db:
            database.ready_to_serve(db)
        return JSONResponse({"ready": True})

    return app


def wants_json(request: Request) -> bool:
    """Whether a fault is answered as data: to a twin, and to a script that says so."""
    return request.url.path.endswith(".json") or request.headers.get("accept") == "application/json"


def most_bytes(path: str) -> int:
    """How much may be sent to a path at once."""
    return MOST_BYTES_LARGE if LARGE.fullmatch(path) else MOST_BYTES


PACKED = (".woff2", ".png", ".jpg", ".pdf")  # packed already


class Compressed:
    """Pages, data and scripts go compressed; what is packed already goes as it is. Tokens are
    masked anew in each page (`people.mask`), so that lengths say nothing of them.
    """

    def __init__(self, app: Any) -> None:
        self.plain, self.gzip = app, GZipMiddleware(app, minimum_size=600, compresslevel=6)

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        plain = scope["type"] != "http" or scope["path"].endswith(PACKED)
        await (self.plain if plain else self.gzip)(scope, receive, send)


class Headers:
    """Security headers on every answer, and a bound on what may be sent. Plain ASGI, so that it
    costs nothing.
    """

    def __init__(self, app: Any, secure: bool = False) -> None:
        self.app = app
        self.more = {"Strict-Transport-Security": "max-age=31536000"} if secure else {}

    async def __call__(
        self,
        scope: dict[str, Any],
        receive: Callable[[], Awaitable[Any]],
        send: Callable[[Any], Awaitable[None]],
    ) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        sent_from = next((v for k, v in scope["headers"] if k == b"sec-fetch-site"), b"")
        if scope["method"] not in ("GET", "HEAD") and sent_from == b"cross-site":
            await Response("This form came from another site.", 403)(scope, receive, send)
            return
        if odd := odd_charset(scope):
            says = f"Only UTF-8 is read here, not {odd}."
            await Response(says, 415, headers=HEADERS)(scope, receive, send)
            return
        bodiless = scope["method"] == "HEAD"
        if bodiless:
            scope["method"] = "GET"
        asked = scope["query_string"].replace(b"%00", b"")  # no text holds it, no database keeps it
        scope["query_string"] = asked
        taken = 0

        async def bounded() -> Any:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > most_bytes(scope["path"]):
                raise TooLarge
            return message

        async def headed(message: Any) -> None:
            if message["type"] == "http.response.start":
                cached = scope["path"].startswith("/static/")
                extra = {
                    **HEADERS,
                    **self.more,
                    "Cache-Control": "public, max-age=3600" if cached else "no-store",
                }
                message["headers"] = [
                    *message["headers"],
                    *((k.encode(), v.encode()) for k, v in extra.items()),
                ]
            if bodiless and message["type"] == "http.response.body":
                message = {**message, "body": b""}
            await send(message)

        await self.app(scope, bounded, headed)


def _faults(app: FastAPI) -> None:
    """Every way of failing has a page that says what happened and what to do; none shows a
    traceback.
    """

    def page(
        request: Request, status: int, title: str, message: str, back: str = "/jobs"
    ) -> Response:
        if wants_json(request):
            return JSONResponse({"error": title, "message": message}, status)
        return render(
            request,
            "message.html",
            {"title": title, "message": message, "back": back, "_visit": None},
            status,
        )

    @app.exception_handler(visit.NeedsSignIn)
    async def needs_sign_in(request: Request, exc: visit.NeedsSignIn) -> Response:
        if wants_json(request):
            return JSONResponse({"error": "sign in first"}, 401)
        pending = sign_in.pending_of(request)
        if request.headers.get("hx-request"):
            came_from = urlparse(request.headers.get("hx-current-url", "")).path
            panel = (
                {"HX-Redirect": f"/sign-in?next={quote(came_from)}"}
                if request.url.path.endswith("/working")
                else {}
            )
            return Response(
                status_code=401, headers=panel
            )  # a field's echo stays silent: what is being typed must not be torn away
        if pending is None and request.method in ("GET", "HEAD"):
            path = request.url.path + (f"?{request.url.query}" if request.url.query else "")
            return RedirectResponse(
                f"/sign-in?next={quote(path)}" if path not in ("/", "/jobs") else "/sign-in", 303
            )
        return sign_in.sign_in_page(
            request,
            401,
            error=(
                "Your sign-in ran out. Sign in again: what you typed is kept."
                if pending
                else "Sign in first. What was sent is too large to be carried on: send it again."
            ),
            pending=pending,
        )

    @app.exception_handler(visit.Forbidden)
    async def forbidden(request: Request, exc: visit.Forbidden) -> Response:
        return page(request, 403, "Not allowed for your role", str(exc))

    @app.exception_handler(TakesTooLong)
    async def too_long(request: Request, exc: TakesTooLong) -> Response:
        return page(
            request,
            503,
            "Too much to work out",
            f"This plan takes longer than {LIMIT_S:.0f} s to work out, so nothing was saved. Take"
            " boxes, strings or loads away, or ask again when the server is less busy.",
        )

    @app.exception_handler(NoSuchJob)
    async def no_job(request: Request, exc: NoSuchJob) -> Response:
        return page(request, 404, "No such job", "Your crew has no job of this number.")

    @app.exception_handler(records.Frozen)
    async def frozen(request: Request, exc: records.Frozen) -> Response:
        return page(
            request,
            409,
            "The job is signed",
            "A signed job takes no changes. A supervisor can reopen it, with a reason, at Hand"
            " over.",
        )

    @app.exception_handler(RequestValidationError)
    async def no_page(request: Request, exc: RequestValidationError) -> Response:
        return page(request, 404, "No such page", "There is nothing at this address.")

    @app.exception_handler(HTTPException)
    async def http(request: Request, exc: HTTPException) -> Response:
        words = {
            404: ("No such page", "There is nothing at this address."),
            405: ("Not that way", "This address does not take what was sent."),
        }
        title, message = words.get(
            exc.status_code,
            ("Not understood", "The request could not be read. Go back, and send it again."),
        )
        return page(request, exc.status_code, title, message)

    @app.exception_handler(TooLarge)
    async def too_large(request: Request, exc: TooLarge) -> Response:
        return page(
            request,
            413,
            "Too large",
            f"At most {most_bytes(request.url.path) // 1_000_000} MB can be sent at once.",
        )

    @app.exception_handler(visit.Full)
    async def full(request: Request, exc: Exception) -> Response:
        return page(
            request,
            503,
            "Busy",
            "More is asked of this server than it can do at once. Nothing was saved. Keep this"
            " page,"
            " wait a few seconds, and send it again.",
        )

    def no_room(request: Request) -> Response:
        return page(
            request,
            503,
            "The server's disk is full",
            "The server's disk is full. Nothing was saved. Keep this page, tell whoever runs the"
            " server, and send it again when there is room.",
        )

    @app.exception_handler(PoolTimeout)
    @app.exception_handler(OperationalError)
    async def no_database(request: Request, exc: Exception) -> Response:
        cause = getattr(exc, "orig", exc)
        logging.getLogger("gumboot").error("database: %s", cause)
        if isinstance(cause, DiskFull):
            return no_room(request)
        return page(
            request,
            503,
            "The records cannot be reached",
            "Nothing was saved. Keep this page, wait a minute, and send again.",
        )

    @app.exception_handler(OSError)
    async def system(request: Request, exc: OSError) -> Response:
        if exc.errno != errno.ENOSPC:
            return await fault(request, exc)
        logging.getLogger("gumboot").error("disk: %s", exc)
        return no_room(request)

    @app.exception_handler(Exception)
    async def fault(request: Request, exc: Exception) -> Response:
        logging.getLogger("gumboot").exception("unexpected fault")
        answer = page(
            request,
            500,
            "An error on our side",
            "Nothing was saved. It has been logged; go back and try again.",
        )
        answer.headers.update({**HEADERS, "Cache-Control": "no-store"})  # made outside of Headers
        return answer
