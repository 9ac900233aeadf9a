"""The owner's link, as it is handed over and printed."""

from __future__ import annotations

import segno
from fastapi import Request
from markupsafe import Markup

from gumboot.store import handing
from gumboot.web.job.opening import OpenJob
from gumboot.web.pages.frame import drawn


def link_of(request: Request, token: str) -> str:
    """The link: from the site's own name where it is set, else as this page was asked for."""
    site: str = request.app.state.config.site
    return f"{site.rstrip('/') or str(request.base_url).rstrip('/')}/o/{token}"


def code_of(link: str) -> Markup:
    """A link as a QR code."""
    return drawn(segno.make(link, micro=False, error="m").svg_inline(scale=3, border=2))


def shared_link(request: Request, job: OpenJob) -> str:
    """The good link of a job; empty where there is none."""
    row = handing.share_of(job.visit.db, job.record.id)
    return link_of(request, row.token) if row else ""
