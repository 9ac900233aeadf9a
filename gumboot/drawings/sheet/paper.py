"""Boxes and wires on a sheet, what they measure, and which parts a job has."""

from __future__ import annotations

import itertools
from dataclasses import dataclass, field

from gumboot.core.design import Design

Point = tuple[float, float]
ROW, GAP, TOP = 52, 44, 58
CHAIN_ROW = 84
ABOVE, BELOW = 172, 126  # what stands above and below the changeover of several inverters
GENERATOR_BELOW = 112
W_PACK, W_ARRAY, W_UNIT, W_BOX, H_BOX = 74, 78, 96, 104, 48
WIDTH_LEAST = 960
RUN = 122  # room for the words on a wire


@dataclass(frozen=True)
class Box:
    """A body on the sheet."""

    id: str
    x: float
    y: float
    w: float
    h: float

    @property
    def right(self) -> float:
        """Its right edge."""
        return self.x + self.w

    @property
    def bottom(self) -> float:
        """Its lower edge."""
        return self.y + self.h

    @property
    def middle(self) -> Point:
        """Its centre."""
        return self.x + self.w / 2, self.y + self.h / 2


@dataclass(frozen=True)
class Wire:
    """A conductor: its circuit's key, the way it goes, where its words stand, and where breakers
    and fuses are drawn on it, each with whether it stands upright.
    """

    id: str
    points: tuple[Point, ...]
    label: Point
    existing: bool = False
    devices: tuple[tuple[Point, bool], ...] = ()


@dataclass
class Sheet:
    """A laid-out drawing."""

    boxes: dict[str, Box] = field(default_factory=dict)
    bars: dict[str, tuple[Point, Point]] = field(default_factory=dict)
    wires: list[Wire] = field(default_factory=list)
    links: list[tuple[str, tuple[Point, ...]]] = field(default_factory=list)
    ports: list[tuple[float, float, str]] = field(default_factory=list)
    service: tuple[Point, Point] | None = None
    width: float = 0
    height: float = 0

    @property
    def ring(self) -> float:
        """How high current transformers sit on the service: ahead of all that draws from it."""
        if self.service is None:
            return 0.0
        (_, foot), (_, up) = self.service
        if "house-panel" in self.boxes:
            return up + 32
        return foot - (76 if any(w.id == "tap" for w in self.wires) else 20)

    def add(self, id: str, x: float, y: float, w: float, h: float) -> Box:
        """Stand a box on the sheet."""
        box = self.boxes[id] = Box(id, x, y, w, h)
        return box


@dataclass(frozen=True)
class Parts:
    """What a design has, as far as the sheet cares."""

    count: int
    bodies: frozenset[str]
    grid: bool
    backup: bool
    changeover: str
    on_gateway: bool
    direct: bool
    packs: int
    generator_row: bool
    bypass: bool
    every: bool  # whether the generator lands on every unit
    below: float  # what hangs below the changeover

    @property
    def right_rows(self) -> int:
        """Ports on an inverter's right."""
        return int(self.grid) + int(self.backup)


def parts_of(design: Design) -> Parts:
    ids = frozenset(b.id for b in design.bodies)
    inverter = design.inverter
    assert inverter is not None  # noqa: S101 - the caller looked
    on_grid = "main-panel" in ids
    generator = design.plan.kit.generator
    changeover = next((i for i in ("gateway", "transfer-switch") if i in ids), "")
    backup = inverter.backup is not None and "loads-panel" in ids
    port = inverter.generator or (inverter.grid if not on_grid else None)
    lands = generator is not None and generator.lands != "loads panel" and port is not None
    hangs = GENERATOR_BELOW if generator is not None and not lands and "loads-panel" in ids else 0
    return Parts(
        count=design.plan.kit.inverters,
        bodies=ids,
        grid=inverter.grid is not None and on_grid,
        backup=backup,
        changeover=changeover,
        on_gateway=changeover == "gateway" and not backup,
        direct=not any(b.role == "dc-bus" for b in design.bodies),
        packs=sum(b.role == "pack" for b in design.bodies),
        generator_row=lands,
        bypass=lands and generator is not None and generator.lands == "inverter with bypass",
        every="generator-combiner" in ids,
        below=BELOW + hangs,
    )


def upper(i: int, count: int) -> bool:
    return i <= (count + 1) // 2


def widest(ys: list[float], units: list[Box]) -> tuple[float, float]:
    """The widest gap between consecutive lines: there is room for the chain."""
    if len(ys) < 2:
        return units[0].y, units[-1].bottom
    rows = sorted(ys)
    return max(itertools.pairwise(rows), key=lambda g: g[1] - g[0])


def straight(sheet: Sheet, id: str, a: Point, b: Point) -> None:
    """A wire from left to right."""
    sheet.wires.append(Wire(id, (a, b), (a[0] + 8, a[1])))
