"""The current transformers of one job: which channels there are, which steps its crew can make,
what an explanation means in words, and what mends it at a menu or by hand.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field

from gumboot.core.kit import ANGLES, LINES, Inverter, Meter
from gumboot.core.link.ct import Step, wanted_w
from gumboot.core.link.leads import Lead
from gumboot.core.link.wiring import NOWHERE, Clip, Setup, Wiring, right
from gumboot.core.network.house import line_of
from gumboot.core.plan import Plan

LAG_S = 10.0  # how late an app may be: common practice
LEAST_STEP_W, LOAD_W = 500.0, 3500.0  # of a step; of what a house has on one line: common practice
UNIT_SHARE = 0.8  # of its power that a unit is asked for in a test: common practice
PLACE_SAYS = {
    "service": "at the service",
    "inverter": "at the inverter's own line",
    "house without inverter": "behind the inverter's line, where it sees the house alone",
    "without the sub-panel": "where it misses the sub-panel",
    "sub-panel": "at the sub-panel",
    "PV inverter": "at the PV inverter",
    NOWHERE: "open, or round nothing",
}


@dataclass(frozen=True, slots=True)
class Drive:
    """Something that can be switched: its key, what is done, where the wiring sees it, the share of
    its watts on each line, how much there is, and whether it draws (+1) or gives (−1).
    """

    key: str
    says: str
    at: str
    row: tuple[float, ...]
    most_w: float
    sign: int = 1


@dataclass(frozen=True, eq=False)
class Measuring:
    """The transformers of a job. channels: what each should read; lines: names of the conductors;
    cures: what the meter's menu can change; arrow: where the arrow points, "" where no sheet says.
    """

    setup: Setup
    channels: tuple[str, ...]
    lines: tuple[str, ...]
    drives: tuple[Drive, ...]
    cures: frozenset[str]
    arrow: str
    meter: str
    _steps: dict[float, tuple[Step, ...]] = field(default_factory=dict, repr=False)

    def steps(self, noise_w: float) -> tuple[Step, ...]:
        """Every step that the job can make, in W in all: as large as the noise asks on each of its
        lines, and no larger than its source allows.
        """
        wanted = math.ceil(max(wanted_w(noise_w), LEAST_STEP_W) / 100) * 100.0
        if wanted not in self._steps:
            self._steps[wanted] = tuple(
                Step(d.key, k, d.sign * min(wanted / max(d.row), d.most_w))
                for k, d in enumerate(self.drives)
            )
        return self._steps[wanted]

    def drive(self, key: str) -> int | None:
        """The number of a drive; None where there is none of that key."""
        return next((k for k, d in enumerate(self.drives) if d.key == key), None)


def measuring(
    plan: Plan, unit: Inverter, meter: Meter | None, leads: Sequence[Lead], arrow: str
) -> Measuring | None:
    """The transformers of a job; None where it has none to test: off grid, a gateway or meter that
    the current passes through.
    """
    supply = plan.supply.kind
    ct_leads = [x for x in leads if x.cable.serves == "CT"]
    by_meter = [x for x in leads if x.cable.serves == "meter"]
    passes = meter is not None and meter.through == "itself"
    if supply not in ANGLES or not (ct_leads or (by_meter and not passes)):
        return None
    lines = tuple(LINES[supply])
    channels = [("service", i) for i in range(len(lines))]
    names = [f"CT {i + 1}, {line}" for i, line in enumerate(lines)]
    for k, pv in enumerate(plan.kit.pv_inverters, 1):
        if k > 1 or len(channels) >= 6:
            break
        for i, line in enumerate(lines):
            if pv.line in ("all", line):
                channels.append(("PV inverter", i))
                names.append(f"CT {len(channels)}, PV {line}")
    drives = tuple(_drives(plan, unit, lines))
    places = ["service", "inverter", "house without inverter"]
    if plan.linking.sub_panel:
        places += ["without the sub-panel", "sub-panel"]
    if plan.kit.pv_inverters:
        places.append("PV inverter")
    if inputs := {c.does[3] for x in ct_leads for c in x.cable.cores}:
        channels, names = channels[: len(inputs)], names[: len(inputs)]  # all that it can read
    setup = Setup(supply, tuple(channels), tuple((d.at, d.row) for d in drives), tuple(places))
    ports = [s.port for x in (ct_leads or by_meter) for s in (x.here, x.there) if s.port]
    cures = frozenset(c for p in ports for c in p.cures)
    named = f"{meter.maker} {meter.model}" if meter else f"the meter of {unit.maker} {unit.model}"
    return Measuring(setup, tuple(names), lines, drives, cures, arrow, named)


def _drives(plan: Plan, unit: Inverter, lines: tuple[str, ...]) -> list[Drive]:
    n = len(lines)
    out: list[Drive] = []
    whole = plan.backup.loads == "whole house"
    for at, backed in (("house", False), ("backed up", True)):
        some = [x for x in plan.loads if (x.backed and plan.backup.loads != "nothing") == backed]
        if (backed and plan.backup.loads == "nothing") or (not backed and whole):
            continue
        for i, line in enumerate(lines):
            near = [x for x in some if x.legs == line and x.kind == "resistive"]
            best = max(near, key=lambda x: x.running_w, default=None)
            what = f", such as {best.name} ({best.running_w:g} W)" if best else ""
            kind = "a backed-up load" if backed and not whole else "a load"
            says = f"switch {kind} on at {line}{what}"
            row = tuple(float(j == i) for j in range(n))
            out.append(Drive(f"{at}.{line}", says, at, row, LOAD_W))
    if plan.linking.sub_panel:
        for i, line in enumerate(lines):
            says = f"switch a load in {plan.linking.sub_panel} on at {line}"
            row = tuple(float(j == i) for j in range(n))
            out.append(Drive(f"sub-panel.{line}", says, "sub-panel", row, LOAD_W))
    if n > 2:  # two at once: what one line alone cannot tell apart
        at = "backed up" if whole else "house"
        for i in range(n):
            two = [lines[j] for j in range(n) if j != i]
            row = tuple(0.0 if j == i else 0.5 for j in range(n))
            says = f"switch loads of like size on at {two[0]} and {two[1]} together"
            out.append(Drive(f"{at}.{two[0]}+{two[1]}", says, at, row, 2 * LOAD_W))
    for k in range(1, plan.kit.inverters + 1):
        row = _of_unit(plan, unit, lines, k)
        name = "the inverter" if plan.kit.inverters == 1 else f"inverter {k}"
        most = unit.power_w * UNIT_SHARE
        if plan.kit.inverters > 1 and k > 1 and row == _of_unit(plan, unit, lines, 1):
            continue
        out.append(Drive(f"unit-{k}.charge", f"let {name} charge", "inverter", row, most))
        if unit.feeds_grid:
            says = f"let {name} give to the grid"
            out.append(Drive(f"unit-{k}.give", says, "inverter", row, most, -1))
    for k, pv in enumerate(plan.kit.pv_inverters[:1], 1):
        on = [line for line in lines if pv.line in ("all", line)]
        row = tuple((1 / len(on)) if line in on else 0.0 for line in lines)
        says = "switch the PV inverter off, by what its display shows now"
        at = "PV inverter" if pv.side == "grid side" else "backed-up PV"
        out.append(Drive(f"pv-{k}.off", says, at, row, pv.power_w))
    return out


def _of_unit(plan: Plan, unit: Inverter, lines: tuple[str, ...], k: int) -> tuple[float, ...]:
    own = tuple(unit.lines)
    if len(own) == 1 and len(lines) > 1:
        own = (line_of(plan, unit, k) or own[0],)  # type: ignore[assignment]
    return tuple((1 / len(own)) if line in own else 0.0 for line in lines)


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that is wrong: the channel (from 0), in words, what a hand does, and what the menu
    can do instead ("" where it cannot).
    """

    channel: int
    says: str
    hand: str
    menu: str = ""


def faults(m: Measuring, wiring: Wiring) -> tuple[Fault, ...]:
    """What is wrong with a wiring, and what mends it."""
    want = right(m.setup)
    out: list[Fault] = []
    ratios = {c.ratio for c in wiring if c.place != NOWHERE}
    if len(ratios) == 1 and (q := ratios.pop()) != 1.0:
        says = f"all channels show {q:g} times what flows: the ratio is set {q:g} times too high"
        menu = "set the ratio as the transformers' plate says" if "ratio" in m.cures else ""
        out.append(Fault(0, says, "fit transformers of the ratio that is set", menu))
    out += _exchanged(m, wiring, want)
    moved = {f.channel for f in out if "exchanged" in f.says}
    for k, (clip, own) in enumerate(zip(wiring, want, strict=True)):
        name = m.channels[k]
        if clip.place == NOWHERE:
            hand = "look at its plug, its clip and its lead"
            out.append(Fault(k, f"{name} shows nothing: {PLACE_SAYS[NOWHERE]}", hand))
            continue
        if k not in moved:
            if clip.place != own.place:
                hand = f"move it {PLACE_SAYS[own.place]}, to {m.lines[own.line]}"
                here = f"{PLACE_SAYS[clip.place]}, on {m.lines[clip.line]}"
                out.append(Fault(k, f"{name} stands {here}", hand))
            elif clip.line != own.line:
                hand = f"move it to {m.lines[own.line]}"
                out.append(Fault(k, f"{name} stands on {m.lines[clip.line]}", hand))
        if clip.volts != own.volts:
            says = f"{name} is read against the volts of {m.lines[clip.volts]}"
            menu = f"set its phase to {m.lines[own.volts]}" if "phases" in m.cures else ""
            hand = f"put its voltage tap on {m.lines[own.volts]}, its fuse out first"
            out.append(Fault(k, says, hand, menu))
        if clip.turned:
            menu = f"set the direction of {name} the other way" if "direction" in m.cures else ""
            toward = f", its arrow toward the {m.arrow}" if m.arrow else ""
            out.append(Fault(k, f"{name} is turned round", f"turn the clip{toward}", menu))
    return tuple(out)


def _exchanged(m: Measuring, wiring: Wiring, want: Wiring) -> list[Fault]:
    """Clips that stand in each other's place."""
    out = []
    free = {k for k, c in enumerate(wiring) if c.place != NOWHERE}
    for k in sorted(free):
        if k not in free or _stands(wiring[k], want[k]):
            continue
        for j in sorted(free - {k}):
            if _stands(wiring[k], want[j]) and _stands(wiring[j], want[k]):
                a, b = m.channels[k], m.channels[j]
                menu = f"exchange channels {k + 1} and {j + 1}" if "channels" in m.cures else ""
                hand = f"exchange the plugs of channels {k + 1} and {j + 1}, or move both clips"
                out.append(Fault(k, f"{a} and {b} are exchanged", hand, menu))
                out.append(Fault(j, f"{b} and {a} are exchanged", "", ""))
                free -= {k, j}
                break
    return out


def _stands(clip: Clip, where: Clip) -> bool:
    return (clip.place, clip.line) == (where.place, where.line)


def in_words(m: Measuring, wiring: Wiring) -> str:
    """A wiring in one sentence: "all as it should be", or every fault."""
    rows = [f.says for f in faults(m, wiring) if f.hand or f.menu]
    if not rows:
        return "Everything stands as it should."
    text = "; ".join(rows)
    return f"{text[0].upper()}{text[1:]}."
