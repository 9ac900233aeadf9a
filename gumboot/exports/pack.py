"""The hand-over pack as PDF, by WeasyPrint, from the application's own files only."""

from __future__ import annotations

import atexit
import io
import logging
import re
import zipfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any
from urllib.parse import unquote, urlparse

STATIC = Path(__file__).parent.parent / "web" / "static"
CAUTIONS = (
    "PV is live whenever there is light. Never open a PV connector under load.",
    (
        "Batteries cannot be switched off at their posts. Use insulated tools, eye and arc"
        " protection; wear no jewellery."
    ),
    "Capacitors hold charge: wait the stated minutes, then prove dead with a proved tester.",
    "Isolate, lock, tag and prove dead before work. Two people for lifts and for live proving.",
    (
        "Only licensed people connect to the supply. Local code and the maker's manual come before"
        " this sheet."
    ),
    (
        "Tabled values of the code are from memory: check them against your edition before relying"
        " on them."
    ),
)


PROGRESS = logging.getLogger("weasyprint.progress")


class _Told(logging.Handler):
    """Passes on how far the library says it is."""

    def __init__(self, said: Callable[[str], None]) -> None:
        super().__init__(logging.INFO)
        self.said = said

    def emit(self, record: logging.LogRecord) -> None:
        """Say which page is laid out."""
        page = re.search(r"[Pp]age (\d+)", record.getMessage())
        self.said(f"page {page[1]}" if page else "reading what is on it")


@dataclass(frozen=True, slots=True)
class Enclosed:
    """A file that goes inside a PDF, or into its folder."""

    name: str
    media: str
    says: str
    data: bytes


def no_picture(digest: str) -> bytes:
    """Where a page has no photographs."""
    raise ValueError(f"there is no photograph {digest[:12]}")


def to_pdf(
    html: str,
    said: Callable[[str], None] = lambda _: None,
    variant: str = "",
    enclosed: Sequence[Enclosed] = (),
    pictures: Callable[[str], bytes] = no_picture,
) -> bytes:
    """A page of HTML as PDF bytes, tagged and with bookmarks; takes a core and hundreds of MB, so
    workers make it. Fetches from the shipped static folder, and photographs named "photo:digest"
    through `pictures`; anything else is refused. said: told how far it is. variant: "pdf/ua-1",
    "pdf/a-3a", or none.
    """
    from weasyprint import Attachment
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class Shipped(URLFetcher):  # type: ignore[misc] # it has no types
        """The shipped static folder, the job's photographs, and nothing else."""

        def fetch(self, url: str, headers: dict[str, str] | None = None) -> URLFetcherResponse:
            if url.startswith("photo:"):
                shown = {"Content-Type": "image/jpeg"}
                return URLFetcherResponse(url, pictures(url.removeprefix("photo:")), shown)
            path = Path(unquote(urlparse(url).path)).resolve()
            if urlparse(url).scheme != "file" or not path.is_relative_to(STATIC.resolve()):
                raise ValueError(f"the pack may not fetch {url}")
            return URLFetcherResponse(url, path.read_bytes())

    fonts, sheet, plain_page = _styles()
    shipped, told = Shipped(), _Told(said)
    PROGRESS.setLevel(logging.INFO)
    PROGRESS.addHandler(told)
    inside = [
        Attachment(string=x.data, name=x.name, description=x.says, relationship="Source")
        for x in enclosed
    ]
    try:
        page = plain_page(string=html, base_url=STATIC.as_uri() + "/", url_fetcher=shipped)
        data: bytes | None = page.write_pdf(
            stylesheets=[sheet],
            font_config=fonts,
            pdf_variant=variant or None,
            pdf_tags=True,
            attachments=inside or None,
        )
    finally:
        PROGRESS.removeHandler(told)
    if data is None:
        raise RuntimeError("the PDF library gave no bytes")
    return data


@lru_cache(maxsize=1)
def _styles() -> tuple[Any, Any, Any]:
    """The fonts and the sheet of every page, unpacked once: half a second of each. And a page on
    which only items of lists have a mark: the library's own styles give every element six more of
    footnotes and notes, which no page of ours has, a tenth of all its time.
    """
    from weasyprint import CSS, HTML
    from weasyprint.html import UA, UA_COUNTER_STYLE
    from weasyprint.text.fonts import FontConfiguration

    lines = (x for x in UA.splitlines() if not x.startswith(("::footnote", "::note")))
    usual = "\n".join(f"li{x}" if x.startswith("::marker") else x for x in lines)
    browser = CSS(string=usual, counter_style=UA_COUNTER_STYLE)

    class PlainPage(HTML):  # type: ignore[misc] # it has no types
        """A page without footnotes or fields to fill in."""

        def _ua_stylesheets(self, forms: bool = False) -> list[Any]:
            return [browser]

    atexit.register(_styles.cache_clear)  # its folder goes while there is who removes it
    fonts = FontConfiguration()
    return fonts, CSS(filename=STATIC / "pack.css", font_config=fonts), PlainPage


def folder_of(files: Sequence[Enclosed], made: datetime) -> bytes:
    """Some files as a folder (zip), each once."""
    out, when = io.BytesIO(), made.timetuple()[:6]
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as z:
        for x in files:
            z.writestr(zipfile.ZipInfo(x.name, when), x.data, zipfile.ZIP_DEFLATED)
    return out.getvalue()
