"""A port of a unit: its current, its protection, its terminals."""

from __future__ import annotations

from pydantic import model_validator

from gumboot.core.kit.entry import Entry, Positive
from gumboot.core.kit.terminal import (
    Terminal,
)


class Port(Entry):
    """A battery, grid or backup port: its continuous current and the largest protection its maker
    allows. A unit gives terminals to a port that was entered without. source: says so where nobody
    entered the port.
    """

    i_max_a: Positive
    protection_max_a: Positive
    protection: str = "breaker"
    terminals: tuple[Terminal, ...] = ()
    named_size: str = ""
    protection_named_a: Positive | None = None
    length_max_m: Positive | None = None
    source: str = ""

    @model_validator(mode="after")
    def _one_system(self) -> Port:
        metric = {t.most.endswith("mm²") for t in self.terminals}
        if self.named_size and metric and metric != {self.named_size.endswith("mm²")}:
            raise ValueError(
                f"the named size {self.named_size} is of another system than the port's terminals:"
                " give both in AWG, or both in mm²"
            )
        return self
