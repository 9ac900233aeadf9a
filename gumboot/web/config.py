"""Configuration, by environment only. The README's table is made from these names."""

from __future__ import annotations

import os
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Config:
    """What differs between machines.

    database_url: any PostgreSQL, as an ordinary role that owns the database.
    session_minutes: how long a sign-in lasts without being used.
    wrench_networks: where recording wrenches may be asked, as CIDR; loopback only unless it is
    said.
    secure_cookies: set behind HTTPS; the cookie then never travels in the clear.
    """

    database_url: str = field(default_factory=lambda: os.environ.get("GUMBOOT_DATABASE_URL", ""))
    session_minutes: int = field(
        default_factory=lambda: int(os.environ.get("GUMBOOT_SESSION_MINUTES", "720"))
    )
    secure_cookies: bool = field(
        default_factory=lambda: os.environ.get("GUMBOOT_SECURE_COOKIES", "") == "1"
    )
    wrench_networks: tuple[str, ...] = field(
        default_factory=lambda: tuple(
            os.environ.get("GUMBOOT_WRENCH_NETWORKS", "127.0.0.0/8").replace(",", " ").split()
        )
    )
