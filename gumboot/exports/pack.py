"""The hand-over pack as PDF, by WeasyPrint, from the application's own files only."""

from __future__ import annotations

from pathlib import Path
from typing import Any

STATIC = Path(__file__).parent.parent / "web" / "static"
STATEMENT = "I have seen this job, its readings and the checks accepted in this pack, and I stand behind it."

CAUTIONS = (
    "PV is live whenever there is light. Never open a PV connector under load.",
    "Batteries cannot be switched off at their posts. Use insulated tools, eye and arc protection; wear no jewellery.",
    "Capacitors hold charge: wait the stated minutes, then prove dead with a proved tester.",
    "Isolate, lock, tag and prove dead before work. Two people for lifts and for live proving.",
    "Only licensed people connect to the supply. Local code and the maker's manual come before this sheet.",
    "Tabled values of the code are from memory: check them against your edition before relying on them.",
)


def to_pdf(html: str) -> bytes:
    """A page of HTML as PDF bytes. Fetches from the shipped static folder only; anything else is refused."""
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration

    fonts = FontConfiguration()
    base = STATIC.as_uri() + "/"
    sheet = CSS(filename=STATIC / "pack.css", font_config=fonts, url_fetcher=_shipped)
    data: bytes | None = HTML(string=html, base_url=base, url_fetcher=_shipped).write_pdf(stylesheets=[sheet], font_config=fonts)
    assert data is not None  # noqa: S101 - no target was given, so bytes come back
    return data


def _shipped(url: str, *args: Any, **kwargs: Any) -> Any:
    from weasyprint import default_url_fetcher

    if not url.startswith(STATIC.as_uri() + "/") or ".." in url:
        raise ValueError(f"the pack may not fetch {url}")
    return default_url_fetcher(url)
