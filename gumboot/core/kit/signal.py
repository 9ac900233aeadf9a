"""Signal ports and switches of a device, as its sheet shows them: connectors, pins by function,
buses, protocols, terminators, jumpers, address switches. What sheets said in older editions
(`links`, `chain`) is read as ports too.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import Annotated, Any, Literal

from pydantic import Field, WithJsonSchema, model_validator

from gumboot.core.kit.entry import Entry, Positive, WrongTogether
from gumboot.core.kit.terminal import Socket

Serves = Literal[
    "BMS",
    "chain in",
    "chain out",
    "meter",
    "CT",
    "voltage taps",
    "parallel in",
    "parallel out",
    "gateway",
    "sense",
    "control",
    "shutdown",
    "grid operator",
    "generator",
    "heat pump",
    "temperature",
    "network",
]
Connector = Literal[
    "8P8C",
    "pluggable clamps",
    "spring clamps",
    "screw clamps",
    "round connector",
    "clip",
    "ring",
]
FUNCTION = re.compile(
    r"CAN [HL]|D[+−]|enable( return)?|12 V( return)?|NO|NC|COM|input( \d| common)|CT \d S[12]"
    r"|sense (L[123]?|N)|shield|wake( return)?|loop( return)?|start( return)?|coil [+−]"
    r"|sensor( return)?|[TR]X[+−]|GND"
)
PAIRS: tuple[tuple[str, str], ...] = (  # two cores that belong together: one twisted pair
    ("CAN H", "CAN L"),
    ("D+", "D−"),
    ("enable", "enable return"),
    ("12 V", "12 V return"),
    ("loop", "loop return"),
    ("start", "start return"),
    ("wake", "wake return"),
    ("coil +", "coil −"),
    ("sensor", "sensor return"),
    ("TX+", "TX−"),
    ("RX+", "RX−"),
    *((f"CT {n} S1", f"CT {n} S2") for n in range(1, 10)),
    ("NC", "COM"),
    ("NO", "COM"),
)
SAME_AS = {  # as other sheets write it
    "H": "CAN H",
    "L": "CAN L",
    "CANH": "CAN H",
    "CANL": "CAN L",
    "CAN-H": "CAN H",
    "CAN-L": "CAN L",
    "A": "D+",
    "B": "D−",
    "D-": "D−",
    "RS-485 D+": "D+",
    "RS-485 D-": "D−",
    "screen": "shield",
    "drain": "shield",
    "+": "coil +",
    "−": "coil −",
    "coil -": "coil −",
    "TX-": "TX−",
    "RX-": "RX−",
    "L1": "sense L1",
    "L2": "sense L2",
    "L3": "sense L3",
    "N": "sense N",
}
FUNCTIONS_SAID = "CAN H, CAN L, D+, D−, enable, 12 V, NO, COM, input 1, CT 1 S1, sense L1 or shield"


def as_we_say(does: str) -> str:
    """A function of a pin in the words used here."""
    return SAME_AS.get(does, re.sub(r"^CT(\d)", r"CT \1", does))


WORDS = ("CAN", "sense", "coil", "CT", "RS-485")  # a function whose pin's number was left out


class Pin(Entry):
    """One pin: its number as marked, and its function. Typed as "4 CAN H"."""

    no: Annotated[str, Field(pattern=r"^[A-Za-z0-9+−-]{1,6}$")]
    does: str

    @model_validator(mode="before")
    @classmethod
    def _typed(cls, value: Any) -> Any:
        if not isinstance(value, str):
            return value
        no, _, does = value.strip().partition(" ")
        return {"no": no, "does": as_we_say(does.strip())}

    @model_validator(mode="after")
    def _known(self) -> Pin:
        if not FUNCTION.fullmatch(self.does) or self.no in WORDS:
            raise ValueError(
                f"pin {self.no}: “{self.does}” is no function of a pin: type its number and one of"
                f" {FUNCTIONS_SAID}, such as 4 CAN H"
            )
        return self


Pins = tuple[
    Annotated[
        Pin,
        WithJsonSchema({"type": "string", "description": "number and function: 4 CAN H"}),
    ],
    ...,
]


def numbers_differ(pins: Iterable[Pin]) -> None:
    """Raises ValueError where two pins have one number."""
    seen: set[str] = set()
    for p in pins:
        if p.no in seen:
            raise ValueError(f"two pins have the number {p.no}: each has its own")
        seen.add(p.no)


class Plug(Entry):
    """A connector with pins: what both ends of a lead have.

    rows: of clamps; keyed: on which side the key of a plug of two rows lies. bit_rate in bit/s.
    strip in mm; least, most: the wire a clamp takes; holds: how many in one clamp.
    """

    label: str
    connector: Connector
    rows: Literal[1, 2] = 1
    keyed: Literal["higher numbers", "lower numbers", ""] = ""
    pins: Pins = ()
    strip_mm: Positive | None = None
    least: str = ""
    most: str = ""
    holds: Annotated[int, Field(ge=1, le=4)] = 1
    torque_nm: Positive | None = None
    bit: str = ""
    source: str = "maker's sheet"

    @model_validator(mode="after")
    def _pins_differ(self) -> Plug:
        numbers_differ(self.pins)
        return self

    @model_validator(mode="after")
    def _made_off(self) -> Plug:
        if self.connector in ("screw clamps", "ring") and self.torque_nm is None:
            raise WrongTogether("torque_nm", f"{self.label}: type the torque of its screws")
        if self.clamped and self.strip_mm is None:
            raise WrongTogether("strip_mm", f"{self.label}: type how far its wires are stripped")
        return self

    @property
    def clamped(self) -> bool:
        """Whether each wire is clamped by itself."""
        return self.connector in ("pluggable clamps", "spring clamps", "screw clamps")

    @property
    def form(self) -> str:
        """What is at the end of a lead there: "8P8C plug", "screw clamp, ferrule 0.75 mm²"."""
        if self.connector == "clip":
            return "current transformer, arrow as its maker says"
        if not self.clamped:
            ring = self.connector == "ring"
            return "ring on the post's own bolt" if ring else f"{self.connector.split(' ')[0]} plug"
        how = "screw clamp" if self.torque_nm else "spring clamp"
        plug = "plug of " if self.connector == "pluggable clamps" else ""
        size = f", ferrule up to {self.most}" if self.most else ""
        return f"{plug}{how}{'s' if plug else ''}{size}"

    def socket(self, poles: tuple[str, ...]) -> Socket:
        """Where a lead of so many poles ends here, for the torque book."""
        end: Literal["plug", "clip", "spring", "screw", "ring"] = "plug"
        if self.clamped:
            end = "screw" if self.torque_nm else "spring"
        elif self.connector == "clip":
            end = "clip"
        elif self.connector == "ring":
            end = "ring"
        return Socket(
            label=self.label,
            end=end,
            form=self.form,
            poles=("plug",) if end == "plug" or not poles else poles,
            strip_mm=self.strip_mm,
            torque_nm=self.torque_nm if end in ("screw", "ring") else None,
            bit=self.bit,
            source=self.source,
        )


@lru_cache(maxsize=256)
def _buses(does: tuple[str, ...]) -> tuple[str, ...]:
    pairs = {
        "CAN": {"CAN H", "CAN L"},
        "RS-485": {"D+", "D−"},
        "Ethernet": {"TX+", "TX−"},
    }
    return tuple(bus for bus, pair in pairs.items() if pair <= set(does))


class SignalPort(Plug):
    """A port of a device for signals: what it serves, on which pins, in which protocols.

    name: what its link is called where that is more than what it serves. terminator: whether the
    device has one there, and how it is put in or out. jumper: two pins joined at the works, parted
    only when a switch goes in between. supply_a: what its 12 V may give; supply_least_v: what must
    be left at the other end. cures: what of the transformers on it a menu can put right. far: what
    the other end is where that device has no sheet.
    """

    serves: Annotated[tuple[Serves, ...], Field(min_length=1)]
    name: str = ""
    bit_rate: Positive | None = None
    protocols: tuple[str, ...] = ()
    terminator: Literal["fixed", "switch", "jumper", "plug", "none", ""] = ""
    jumper: Annotated[tuple[str, ...], Field(max_length=2)] = ()
    supply_a: Positive | None = None
    supply_least_v: Positive | None = None
    lead_most_m: Positive | None = None
    cures: tuple[Literal["direction", "channels", "phases", "ratio"], ...] = ()
    far: Plug | None = None

    @model_validator(mode="after")
    def _jumper_on_pins(self) -> SignalPort:
        if self.jumper and (
            len(self.jumper) != 2 or any(all(p.no != j for p in self.pins) for j in self.jumper)
        ):
            raise WrongTogether("jumper", "type the two pins that it joins, such as 7, 8")
        return self

    @property
    def buses(self) -> tuple[str, ...]:
        """The buses its pins can carry."""
        return _buses(tuple([p.does for p in self.pins]))


class Switches(Entry):
    """A row of small switches: what it sets, how many, which way is on, and which pattern (1 is on,
    the first switch first) means what: "1 = 1000", "programming = 1111". Without patterns the
    address is binary from the first switch, the first device being number `first`.
    """

    label: str
    sets: Literal["address", "terminator", "protocol", "leader"] = "address"
    count: Annotated[int, Field(ge=1, le=12)]
    on: Literal["up", "down", "left", "right", ""] = ""
    first: Annotated[int, Field(ge=0, le=15)] = 1
    patterns: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _patterns_fit(self) -> Switches:
        for meaning, pattern in self.meanings():
            if not meaning or not re.fullmatch(f"[01]{{{self.count}}}", pattern):
                raise WrongTogether(
                    "patterns",
                    f"type what it means and {self.count} figures of 0 and 1, such as"
                    f" 1 = 1{'0' * (self.count - 1)}",
                )
        return self

    def meanings(self) -> Iterator[tuple[str, str]]:
        """(what a pattern means, the pattern) of each that the sheet gives."""
        for text in self.patterns:
            meaning, _, pattern = text.partition("=")
            yield meaning.strip(), pattern.strip()

    def pattern(self, meaning: str) -> str | None:
        """How the switches stand for an address or another meaning; None where they cannot."""
        said = dict(self.meanings())
        if meaning in said:
            return said[meaning]
        if any(m.isdecimal() for m in said) or not meaning.isdecimal():
            return None
        n = int(meaning)
        if n < self.first or n >= 2**self.count:
            return None
        pattern = "".join("1" if n >> k & 1 else "0" for k in range(self.count))
        return None if pattern in said.values() else pattern

    @property
    def holds(self) -> int:
        """How many different addresses they can say."""
        return sum(self.pattern(str(n)) is not None for n in range(2**self.count))


# What older editions of the shelf said

TO: dict[str, Serves] = {"bank": "BMS", "meter": "meter", "inverter": "parallel out"}
ENDS: dict[str, Connector] = {
    "plug": "8P8C",
    "clip": "clip",
    "ring": "ring",
    "spring": "spring clamps",
    "screw": "screw clamps",
}
GATEWAY: dict[str, Serves] = {"sense": "sense", "control": "control"}


def upgraded(document: Any) -> Any:
    """A document of the shelf with its links said as signal ports; one that has ports already, or
    none, is left as it is.
    """
    if not isinstance(document, dict) or not ({"links", "chain"} & document.keys()):
        return document
    d = {k: v for k, v in document.items() if k not in ("links", "chain")}
    if d.get("signals"):
        return d
    ports: list[Any] = []
    for link in document.get("links") or ():
        if isinstance(link, dict):
            ports += _port(link)
    for serves, socket in zip(("chain out", "chain in"), document.get("chain") or (), strict=False):
        if isinstance(socket, dict):
            ports.append({**_plug(socket, serves), "serves": [serves]})
    d["signals"] = ports
    return d


def _port(link: dict[str, Any]) -> list[dict[str, Any]]:
    to, name = str(link.get("to", "")), str(link.get("name", ""))
    serves = GATEWAY.get(name, "gateway") if to == "gateway" else TO.get(to, "meter")
    if to == "bank" and "BMS" not in name:
        serves = "temperature"
    here, there = link.get("here"), link.get("there")
    if not isinstance(here, dict) or not isinstance(there, dict):
        return []
    if serves == "meter" and any(str(p).startswith("CT") for p in here.get("poles") or ()):
        serves = "CT"
    own, far = _plug(here, serves), _plug(there, serves)
    out = [{**own, "serves": [serves], "name": name, "far": far}]
    if serves == "parallel out":
        out.append({**far, "serves": ["parallel in"], "name": name})
    return out


def _plug(socket: dict[str, Any], serves: str) -> dict[str, Any]:
    end = str(socket.get("end", ""))
    kept = ("label", "strip_mm", "torque_nm", "bit", "source")
    plug = {k: socket[k] for k in kept if k in socket}
    plug["connector"] = ENDS.get(end, "8P8C")
    if plug["connector"] == "spring clamps":
        plug.pop("torque_nm", None)
    size = re.search(r"ferrule (?:up to )?([\d.]+ mm²)", str(socket.get("form", "")))
    if size:
        plug["most"] = size[1]
    pins = [_pin(str(p), n, serves) for n, p in enumerate(socket.get("poles") or (), 1)]
    plug["pins"] = [p for p in pins if p] if end in ("spring", "screw") else []
    if end == "clip":
        plug["pins"] = [f"{n}S{k} CT {n} S{k}" for n in range(1, len(pins) + 1) for k in (1, 2)]
    return plug


def _pin(pole: str, n: int, serves: str) -> str:
    does = as_we_say(pole)
    if serves == "temperature":
        does = ("sensor", "sensor return")[n - 1] if n < 3 else does
    if not FUNCTION.fullmatch(does):
        return ""
    mark = re.sub(r"[^A-Za-z0-9+−-]", "", pole)[:6]
    return f"{mark or n} {does}"
