"""Where conductors land: terminals, terminations, sockets, and how they lie in a unit's terminal
block.
Millimetres, N·m.
"""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from gumboot.core.codes import OutsideTable
from gumboot.core.codes.screws import drive
from gumboot.core.kit.entry import Entry, Positive

Conductor = Literal["L1", "L2", "L3", "N", "PE", "+", "−"]
End = Literal["lug", "bare", "ferrule", "pv-connector", "spring"]
Strands = Literal["solid", "stranded", "fine"]
Recheck = Literal["torque", "look", "none"]


SOCKETS = {  # across flats of the nut on a stud: ISO 4032, from memory
    "M5": "socket 8 mm",
    "M6": "socket 10 mm",
    "M8": "socket 13 mm",
    "M10": "socket 16 mm",
    "M12": "socket 18 mm",
}


CONNECTOR_C = 90  # what PV connectors are made for: UL 6703, IEC 62852, from memory


class Terminal(Entry):
    """One place a conductor lands. torque_nm None: the maker is silent; the book's table serves, by
    bit and conductor or (IEC) by bit and thread, which for a lug is its stud.

    holds: conductors a screw takes; screws: how many a bar has. strands: the conductor classes it
    takes. temp_c: what it is marked for, None where its maker is silent (a PV connector is made for
    90 °C all the same); free_air: marked for
    conductors at their free-air ampacity too. insulation_c: the least
    insulation temperature its maker asks. room_mm: free room before it to bend in. hardware: what
    goes on the stud, from the bar outwards. bit: what turns it; where nobody typed it a lug's is by
    its stud, a connector's its spanner.
    recheck: what its maker wants a day later; None when silent.
    """

    id: str
    label: str
    conductor: Conductor
    end: End
    stud: str = ""
    least: str = "14"
    most: str
    strip_mm: Positive | None = None
    torque_nm: Positive | None = None
    bit: str = ""
    thread: Annotated[str, Field(pattern=r"^(M\d+(\.\d+)?)?$")] = ""
    temp_c: Literal[60, 70, 75, 90] | None = None
    free_air: bool = False
    holds: Annotated[int, Field(ge=1)] = 1
    screws: Annotated[int, Field(ge=1)] = 1
    metals: tuple[Literal["Cu", "Al"], ...] = ("Cu",)
    strands: tuple[Strands, ...] = ("solid", "stranded", "fine")
    insulation_c: Literal[60, 70, 75, 90] | None = None
    room_mm: Positive | None = None
    hardware: tuple[str, ...] = ()
    recheck: Recheck | None = None
    ferrite: str = ""
    source: str

    @model_validator(mode="before")
    @classmethod
    def _turned(cls, document: Any) -> Any:
        if not isinstance(document, dict):
            return document
        if document.get("end") == "pv-connector" and document.get("temp_c") is None:
            document = {**document, "temp_c": CONNECTOR_C}
        if document.get("bit"):
            return document
        end, stud = document.get("end"), str(document.get("stud") or "")
        if end == "lug":
            return {**document, "bit": SOCKETS.get(stud, "socket by its nut")}
        if end == "pv-connector":
            return {**document, "bit": "PV connector spanner"}
        return {**document, "bit": "by its screw"} if document.get("torque_nm") else document

    @property
    def screwed(self) -> bool:
        """Whether something is turned here."""
        return self.end not in ("pv-connector", "spring")

    @model_validator(mode="after")
    def _torque_known(self) -> Terminal:
        if self.torque_nm is None and self.screwed:
            if self.most.endswith("mm²") and not (self.thread or self.stud):
                raise ValueError(
                    f"{self.label}: a metric terminal needs its torque, or the thread of its screw,"
                    " such as M5"
                )
            if not self.most.endswith("mm²") and self.end == "lug":
                raise ValueError(
                    f"{self.label}: the bolt of a lug needs its torque: NEC Annex I is for screws"
                    " that bear on the conductor"
                )
            if not self.bit:
                raise ValueError(
                    f"{self.label}: type its torque, or what turns it, such as slot 6 mm: the"
                    " book's torque goes by that"
                )
            try:
                drive(self.bit)
            except OutsideTable as exc:
                raise ValueError(f"{self.label}: {exc}") from exc
        return self


class FactoryTermination(Entry):
    """A termination made at the works, found loose often enough to be on the list; or a bar, or the
    screws of a cover.
    """

    id: str
    label: str
    torque_nm: Positive
    bit: str


class Socket(Entry):
    """Where a signal line ends: a plug that clicks, a current transformer that closes round its
    line, or one clamp for each pole.
    """

    label: str
    end: Literal["plug", "clip", "spring", "screw", "ring"]
    form: str
    poles: Annotated[tuple[str, ...], Field(min_length=1)] = ("plug",)
    strip_mm: Positive | None = None
    torque_nm: Positive | None = None
    bit: str = ""
    source: str = "maker's sheet"

    @model_validator(mode="after")
    def _made_off(self) -> Socket:
        if self.end in ("screw", "ring") and self.torque_nm is None:
            raise ValueError(f"{self.label}: a screw needs its torque")
        if self.end in ("spring", "screw") and self.strip_mm is None:
            raise ValueError(f"{self.label}: a clamp needs its strip length")
        return self


class Row(Entry):
    """Where the terminals of one port lie: the first one's middle from the block's left lower
    corner, and the pitch to the next.
    """

    port: str
    x: Positive
    y: Positive
    pitch: Positive


class Block(Entry):
    """A unit's connection compartment, seen from the front."""

    width: Positive
    height: Positive
    rows: Annotated[tuple[Row, ...], Field(min_length=1)]


class Lug(Entry):
    """What a conductor size takes as a lug: barrel depth in mm, crimp die, crimp tool, and the
    studs it is sold for.
    """

    size: str
    barrel_mm: Positive
    die: str
    tool: str = ""
    studs: tuple[str, ...] = ()


class Ferrule(Entry):
    """What a conductor size takes as a ferrule: sleeve lengths in mm it is sold in, crimp tool and
    its profile.
    """

    size: str
    sleeves_mm: Annotated[tuple[Positive, ...], Field(min_length=1)]
    tool: str
    die: str
