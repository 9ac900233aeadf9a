"""A fault after the hand-over: the parts that were put in for it."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass

from gumboot.core.hand_over.devices import Device
from gumboot.core.hand_over.serials import NoSerial, serial_of

OTHER = "other"  # a part that is none of the job's devices: a fuse, a breaker, a lead


@dataclass(frozen=True, slots=True)
class Piece:
    """A part put in. device: its key in the job, empty for another part; part: its name; was, now:
    serials, empty where a part has none.
    """

    device: str
    part: str
    was: str
    now: str

    @property
    def says(self) -> str:
        """As a line of the record."""
        return self.part + (f", {self.was or 'number not noted'} → {self.now}" if self.now else "")

    def body(self) -> dict[str, str]:
        """As it stands in the log."""
        return asdict(self)


class NoPiece(ValueError):
    """A row that is no part. field: which of its fields; says what to type."""

    def __init__(self, field: str, says: str) -> None:
        super().__init__(says)
        self.field = field


def piece_of(
    typed: Mapping[str, str], devices: Collection[Device], serials: Mapping[str, str]
) -> Piece | None:
    """A part from a row of fields (device, part, was, now); None for an empty row. serials: what
    the record has, by device. Raises NoPiece.
    """
    device, part, was, now = (typed.get(k, "").strip() for k in ("device", "part", "was", "now"))
    if not (device or part or was or now):
        return None
    if device in ("", OTHER):
        if not part:
            raise NoPiece("part", "type which part, such as the battery fuse")
        return Piece("", part, was, now)
    own = next((x for x in devices if x.key == device), None)
    if own is None:
        raise NoPiece("device", "choose a device of this job, or another part")
    try:
        serial = serial_of(now)
    except NoSerial as exc:
        raise NoPiece("now", str(exc)) from exc
    if serial in {v for k, v in serials.items() if k != device}:
        raise NoPiece("now", "another device of this job has this number: look at the plate again")
    return Piece(device, own.label, was or serials.get(device, ""), serial)


def waiting(
    pieces: Sequence[Mapping[str, str]], seq: int, noted: Mapping[str, tuple[int, str]]
) -> list[Piece]:
    """Devices put in that the record has not yet: a supervisor opens the job for them. seq: where
    in the log the fault stands; noted: by device, where its serial was noted last, and which.
    """

    def open_yet(p: Mapping[str, str]) -> bool:
        at, serial = noted.get(p["device"], (0, ""))
        return bool(p["device"]) and at < seq and serial != p["now"]

    return [Piece(**p) for p in pieces if open_yet(p)]
