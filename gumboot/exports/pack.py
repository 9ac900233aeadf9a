"""The hand-over pack as PDF, by WeasyPrint, from the application's own files only."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from urllib.parse import unquote, urlparse

STATIC = Path(__file__).parent.parent / "web" / "static"
STATEMENT = (
    "I have seen this job, its readings and the checks accepted in this pack, and I stand"
    " behind it."
)

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


@lru_cache(maxsize=8)
def to_pdf(html: str) -> bytes:
    """A page of HTML as PDF bytes, remembered by the page. Fetches from the shipped static folder
    only; anything else is refused.
    """
    from weasyprint import CSS, HTML
    from weasyprint.text.fonts import FontConfiguration
    from weasyprint.urls import URLFetcher, URLFetcherResponse

    class Shipped(URLFetcher):  # type: ignore[misc] # it has no types
        """The shipped static folder and nothing else."""

        def fetch(self, url: str, headers: dict[str, str] | None = None) -> URLFetcherResponse:
            path = Path(unquote(urlparse(url).path)).resolve()
            if urlparse(url).scheme != "file" or not path.is_relative_to(STATIC.resolve()):
                raise ValueError(f"the pack may not fetch {url}")
            return URLFetcherResponse(url, path.read_bytes())

    fonts, shipped = FontConfiguration(), Shipped()
    sheet = CSS(filename=STATIC / "pack.css", font_config=fonts, url_fetcher=shipped)
    data: bytes | None = HTML(
        string=html, base_url=STATIC.as_uri() + "/", url_fetcher=shipped
    ).write_pdf(stylesheets=[sheet], font_config=fonts)
    if data is None:
        raise RuntimeError("the PDF library gave no bytes")
    return data
