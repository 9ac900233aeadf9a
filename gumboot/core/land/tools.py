"""Torque tools: what a scale can vouch for, and which of the crew's serves a termination best. ISO
6789-1:2017, from memory.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Literal

from gumboot.core.basis.figure import fmt
from gumboot.core.basis.units import NM_FTLB, NM_INLB
from gumboot.core.kit import Tool
from gumboot.core.land.termination import Termination

Scale = Literal["N·m", "in·lb", "ft·lb", "both"]
PER_NM: dict[str, float] = {"N·m": 1.0, "in·lb": NM_INLB, "ft·lb": NM_FTLB}
LEAST_SHARE = 0.2  # of the scale: common practice
CLASSES: dict[
    str, tuple[str, float, float]
] = {  # class: what it is, permissible deviation up to 10 N·m and above
    "I-A": ("wrench with a bending or torsion bar", 0.06, 0.06),
    "I-B": ("wrench with a dial or display", 0.06, 0.04),
    "I-C": ("electronic wrench", 0.06, 0.04),
    "I-D": ("screwdriver with a dial or display", 0.06, 0.06),
    "I-E": ("electronic screwdriver", 0.06, 0.04),
    "II-A": ("click wrench, set on its scale", 0.06, 0.04),
    "II-B": ("click wrench, fixed", 0.06, 0.04),
    "II-C": ("click wrench without a scale", 0.06, 0.04),
    "II-D": ("slipping screwdriver, set on its scale", 0.06, 0.06),
    "II-E": ("slipping screwdriver, fixed", 0.06, 0.06),
    "II-F": ("slipping screwdriver without a scale", 0.06, 0.06),
    "II-G": ("wrench with a bending bar, set on its scale", 0.06, 0.06),
}  # from memory: ISO 6789-1:2017 Table 2


@dataclass(frozen=True, slots=True)
class Wrench:
    """A torque tool: its scale in N·m, the unit on it ("both": N·m and the inch's, so that the job
    decides), its class, serial, and the day its
    calibration runs out.

    address: host and port of a tool that records, else empty.
    """

    id: str
    name: str
    serial: str
    least_nm: float
    most_nm: float
    calibrated_until: date
    class_: str = "II-A"
    scale: Scale = "N·m"
    address: str = ""

    @property
    def serves_from(self) -> float:
        """The least torque in N·m it is used for: a fifth of its scale (common practice), or its
        own least.
        """
        return max(self.least_nm, LEAST_SHARE * self.most_nm)

    def reaches(self, torque_nm: float) -> bool:
        """Whether a torque lies between 20 and 100 % of the scale (common practice) and within the
        tool's own range.
        """
        return self.serves_from - 1e-9 <= torque_nm <= self.most_nm + 1e-9

    @property
    def tolerance(self) -> float:
        """Its permissible deviation as a fraction, by its class and by the most it is made for: up
        to 10 N·m, or above. ISO 6789-1, from memory.
        """
        _, low, high = CLASSES.get(self.class_, CLASSES["II-A"])
        return low if self.most_nm <= 10 else high

    def refuses(self, torque_nm: float, day: date) -> str:
        """Why it cannot vouch for a torque on a day; empty when it can."""
        if self.calibrated_until < day:
            return (
                f"{self.name}'s calibration ran out on {self.calibrated_until.isoformat()}: use a"
                " tool in date"
            )
        if not self.reaches(torque_nm):
            return (
                f"{self.name} serves {fmt(self.serves_from)} to {fmt(self.most_nm)} N·m; this one"
                f" needs {torque_nm:.3g} N·m: use a tool that reaches"
            )
        return ""


def best_wrench(torque_nm: float, wrenches: Iterable[Wrench], day: date) -> Wrench | None:
    """The wrench in date whose scale holds the torque nearest its middle, the more accurate of
    equals; None when nobody's tool reaches.
    """
    fit = [w for w in wrenches if not w.refuses(torque_nm, day)]
    return min(fit, key=lambda w: (w.tolerance, abs(torque_nm / w.most_nm - 0.6)), default=None)


def in_scale(torque_nm: float, scale: str) -> str:
    """A torque as it is read off a scale: "35.4 in·lb"."""
    return f"{fmt(round(torque_nm * PER_NM[scale], 2 if scale == 'N·m' else 1))} {scale}"


def not_kept(terminations: Iterable[Termination], tools: Sequence[Tool]) -> list[str]:
    """Crimpers with their dies, and bits, that no tool of the shelf is; nothing of a kind of which
    the shelf has none at all.
    """
    asked: dict[str, dict[tuple[str, str], str]] = {"crimper": {}, "bit": {}}
    for t in terminations:
        if t.tool:
            said = f"{t.tool}, die {t.die}" if t.die else t.tool
            asked["crimper"][t.tool, t.die] = said
        if t.bit:
            asked["bit"][t.bit, ""] = t.bit
    return [
        said
        for role, names in asked.items()
        if (kept := [x for x in tools if x.role == role])
        for (name, die), said in sorted(names.items())
        if not any(x.serves(name, die) for x in kept)
    ]


@dataclass(frozen=True, slots=True)
class Lacking:
    """What nobody's tool reaches: torque in N·m, bit, how many terminations, and a range that would
    serve, in N·m.
    """

    torque_nm: float
    bit: str
    terminations: int
    from_nm: float
    to_nm: float


def lacking(
    terminations: Sequence[Termination], wrenches: Sequence[Wrench], day: date
) -> list[Lacking]:
    """A shopping line for every torque and bit that no tool of the crew serves on a day, least
    torque first.
    """
    count: dict[tuple[float, str], int] = {}
    for t in terminations:
        if t.torque and best_wrench(t.torque.n, wrenches, day) is None:
            key = round(t.torque.n, 3), t.bit
            count[key] = count.get(key, 0) + 1
    return [
        Lacking(nm, bit, n, round(nm / 2, 2), round(min(nm / LEAST_SHARE, 2 * nm), 2))
        for (nm, bit), n in sorted(count.items())
    ]
