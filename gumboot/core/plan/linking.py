"""What the house's other boxes want of the unit, and how it reaches the network."""

from __future__ import annotations

import ipaddress
import re
from collections.abc import Callable
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from gumboot.core.plan.fields import Key, Part, Text


def an_address(text: str) -> str:
    """An IPv4 address. Raises ValueError, with what to type."""
    try:
        return str(ipaddress.IPv4Address(text))
    except ValueError as exc:
        raise ValueError("type four numbers with points, such as 192.168.1.40") from exc


def an_endpoint(text: str) -> str:
    """Host and port of a device. Raises ValueError, with what to type."""
    host, _, port = text.rpartition(":")
    fits = re.fullmatch(r"[A-Za-z0-9.-]{1,100}", host) and re.fullmatch(r"\d{1,5}", port)
    if not fits or not 0 < int(port) < 65536:
        raise ValueError("type host and port, such as 192.168.1.60:502; leave it empty for none")
    return text


def or_none(reads: Callable[[str], str]) -> AfterValidator:
    """A text that may be empty, and else must be right."""
    return AfterValidator(lambda text: reads(text) if text else text)


Address = Annotated[str, or_none(an_address)]
Endpoint = Annotated[str, or_none(an_endpoint)]


class Linking(Part):
    """grid_operator: whether the grid operator switches the unit down by contacts; heat_pump: how
    many relays run a heat pump. sub_panel: one fed beside the main panel, which transformers may
    miss. network: how the unit reaches the owner's network; addresses: the
    fixed ones, by device; router: the router's own. meter_at, bms_at: host and port where the meter
    (or its converter) and the adapter on the battery bus answer, unit_at where the inverters do;
    meter_framing, unit_framing: Modbus TCP, or RTU frames over TCP.
    """

    grid_operator: bool = False
    heat_pump: Annotated[int, Field(ge=0, le=2)] = 0
    sub_panel: Text = ""
    network: Literal["", "wire", "wireless", "cellular"] = ""
    router: Address = ""
    addresses: dict[Key, Annotated[str, AfterValidator(an_address)]] = Field(default_factory=dict)
    meter_at: Endpoint = ""
    meter_framing: Literal["tcp", "rtu"] = "tcp"
    bms_at: Endpoint = ""
    unit_at: Endpoint = ""
    unit_framing: Literal["tcp", "rtu"] = "tcp"
