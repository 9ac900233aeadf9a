"""Meters and current transformers."""

from __future__ import annotations

import math
from typing import Annotated, Literal

from pydantic import Field, model_validator

from gumboot.core.kit.enclosure import Enclosure
from gumboot.core.kit.entry import Entry, Positive, WrongTogether
from gumboot.core.kit.register import MeterRegister
from gumboot.core.kit.signal import SignalPort, Switches
from gumboot.core.kit.terminal import Terminal

SAME = 0.01  # of an output: 333 mV and a third of a volt are one kind


class CurrentTransformer(Entry):
    """A current transformer: what flows through it and what comes out then, in A or in V; its
    opening and lead. arrow: what the arrow on it points at for power drawn from the grid.
    lead_most_m: how long its lead may be made.
    """

    kind: Literal["ct"]
    id: str
    maker: str
    model: str
    primary_a: Positive
    out_a: Positive | None = None
    out_v: Positive | None = None
    opening_mm: Positive | None = None
    opens: bool = True
    arrow: Literal["house", "grid", "inverter", ""] = ""
    lead_m: Positive | None = None
    lead_most_m: Positive | None = None

    @model_validator(mode="after")
    def _one_output(self) -> CurrentTransformer:
        if (self.out_a is None) == (self.out_v is None):
            raise WrongTogether(
                "out_a", "give what comes out at its rated current, in A or in V, and one only"
            )
        return self

    @property
    def says(self) -> str:
        """As it is named by its ratio: "100 A : 50 mA"."""
        out = f"{1000 * (self.out_a or self.out_v or 0):g} {'mA' if self.out_a else 'mV'}"
        return f"{self.primary_a:g} A : {out}"


class Meter(Entry):
    """A meter at the house's board: how many lines it measures, through transformers (and what
    comes out of those it reads) or with the current going through it; the bus it speaks on.

    tap_fuse_a: the fuse of its voltage taps.
    """

    kind: Literal["meter"]
    id: str
    maker: str
    model: str
    lines: Annotated[int, Field(ge=1, le=3)]
    through: Literal["transformers", "itself"] = "transformers"
    most_a: Positive | None = None
    ct_out_a: Positive | None = None
    ct_out_v: Positive | None = None
    bus: Literal["RS-485", "CAN", "Ethernet", "radio", "pulses", ""] = ""
    bit_rate: Positive | None = None
    address: Annotated[int, Field(ge=0, le=255)] | None = None
    parity: Literal["none", "even", "odd", ""] = ""
    tap_fuse_a: Positive | None = None
    signals: tuple[SignalPort, ...] = ()
    switches: tuple[Switches, ...] = ()
    registers: tuple[MeterRegister, ...] = ()
    terminals: tuple[Terminal, ...] = ()
    enclosure: Enclosure | None = None

    @model_validator(mode="after")
    def _its_current(self) -> Meter:
        if self.through == "itself" and self.most_a is None:
            raise WrongTogether("most_a", "type the most current that may go through it")
        return self

    def reads(self, ct: CurrentTransformer) -> bool:
        """Whether a transformer gives what it reads; taken so where its sheet is silent."""
        if self.ct_out_a is None and self.ct_out_v is None:
            return True
        pairs = ((self.ct_out_a, ct.out_a), (self.ct_out_v, ct.out_v))
        return any(a and b and math.isclose(a, b, rel_tol=SAME) for a, b in pairs)
