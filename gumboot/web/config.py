"""Configuration, by environment only. The README's table is made from these names."""

from __future__ import annotations

import os
from dataclasses import dataclass, field


@dataclass(frozen=True, slots=True)
class Config:
    """What differs between machines.

    database_url: any PostgreSQL, as an ordinary role that owns the database.
    owner_url: the same database as the role that owns its tables; migrations run as that one, and
    the application's own role need not be able to change a table.
    session_minutes: how long a sign-in lasts without being used.
    device_networks: where wrenches, meters and battery buses may be asked, as CIDR; loopback only
    unless it is said. Its name of before, GUMBOOT_WRENCH_NETWORKS, is still read.
    site: the address people reach it at, such as https://gumboot.crew.example; links in mail begin
    with it.
    smtp: a mail server, smtp://[user:password@]host[:port] or smtps://; mail_from: who writes.
    proxies: addresses of proxies whose word on a visitor's address is taken, separated by commas.
    metrics_networks: who may read /metrics, as CIDR; for others there is no such page.
    json_log: lines of JSON on standard error, one a request.
    device_writes: whether lines of an inverter's menu may be written over its wire.
    secure_cookies: set behind HTTPS; the cookie then never travels in the clear.
    """

    database_url: str = field(default_factory=lambda: os.environ.get("GUMBOOT_DATABASE_URL", ""))
    owner_url: str = field(default_factory=lambda: os.environ.get("GUMBOOT_OWNER_URL", ""))
    session_minutes: int = field(
        default_factory=lambda: int(os.environ.get("GUMBOOT_SESSION_MINUTES", "720"))
    )
    site: str = field(default_factory=lambda: os.environ.get("GUMBOOT_SITE", ""))
    smtp: str = field(default_factory=lambda: os.environ.get("GUMBOOT_SMTP", ""))
    mail_from: str = field(
        default_factory=lambda: os.environ.get("GUMBOOT_MAIL_FROM", "gumboot@localhost")
    )
    proxies: str = field(default_factory=lambda: os.environ.get("GUMBOOT_PROXIES", ""))
    metrics_networks: tuple[str, ...] = field(
        default_factory=lambda: tuple(
            os.environ.get("GUMBOOT_METRICS_NETWORKS", "127.0.0.0/8 ::1/128")
            .replace(",", " ")
            .split()
        )
    )
    json_log: bool = field(default_factory=lambda: os.environ.get("GUMBOOT_JSON_LOG", "") == "1")
    secure_cookies: bool = field(
        default_factory=lambda: os.environ.get("GUMBOOT_SECURE_COOKIES", "") == "1"
    )
    device_writes: bool = field(
        default_factory=lambda: os.environ.get("GUMBOOT_DEVICE_WRITES", "") == "1"
    )
    device_networks: tuple[str, ...] = field(
        default_factory=lambda: tuple(
            os.environ.get(
                "GUMBOOT_DEVICE_NETWORKS", os.environ.get("GUMBOOT_WRENCH_NETWORKS", "127.0.0.0/8")
            )
            .replace(",", " ")
            .split()
        )
    )
