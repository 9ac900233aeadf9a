"""Terminations: every conductor end and factory joint, in landing order, and the judging of what the wrench said.

Order: factory joints, then every PE, then battery, PV, grid, backup. Within a circuit the end that can be live is
landed last. All of it is derived from circuits and catalogue; nobody types it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal

from gumboot.core.circuits import Body
from gumboot.core.codes import nec
from gumboot.core.conductors import Sized
from gumboot.core.findings import Cure, Finding, check
from gumboot.core.kit import Book, Catalogue, Conductor, Family, Inverter, Terminal
from gumboot.core.plan import Plan
from gumboot.core.sizes import area_mm2, spoken
from gumboot.core.units import NM_INLB
from gumboot.core.working import COMMON_PRACTICE, Figure, given, solve

STAGES: tuple[tuple[str, tuple[Family, ...]], ...] = (
    ("Battery", ("battery", "pack")),
    ("PV", ("pv", "existing-pv")),
    ("Grid", ("grid", "grid-feeder", "changeover")),
    ("Backup", ("backup", "backup-feeder", "loads")),
    ("Generator", ("generator",)),
)
Verdict = Literal["good", "under", "over", "withheld", "done"]


@dataclass(frozen=True, slots=True)
class Termination:
    """One thing to make off. torque None: a connector, clicked and tugged. Strip in mm, torque in N·m."""

    key: str
    number: int
    stage: str
    circuit: str
    body: str
    place: str
    terminal: str
    conductor: Conductor | Literal["factory"]
    size: str
    cable: str
    end: str
    stud: str
    die: str
    strip_mm: float | None
    bit: str
    torque: Figure | None
    label: str
    source: str
    ferrite: str = ""


@dataclass(frozen=True, slots=True)
class Wrench:
    """A torque tool: its scale in N·m, serial and the day its calibration runs out."""

    id: str
    name: str
    serial: str
    least_nm: float
    most_nm: float
    calibrated_until: date

    def reaches(self, torque_nm: float) -> bool:
        """Whether a torque lies between 20 and 100 % of the scale (common practice) and within the tool's own range."""
        return max(self.least_nm, 0.2 * self.most_nm) <= torque_nm <= self.most_nm


def tolerance(torque_nm: float) -> float:
    """Permissible deviation of a hand torque tool as a fraction: 6 % up to 10 N·m, 4 % above. ISO 6789-1, from memory."""
    return 0.06 if torque_nm <= 10 else 0.04


def best_wrench(torque_nm: float, wrenches: Iterable[Wrench], today: date) -> Wrench | None:
    """The wrench in date whose scale holds the torque nearest its middle; None when nobody's tool reaches."""
    fit = [w for w in wrenches if w.reaches(torque_nm) and w.calibrated_until >= today]
    return min(fit, key=lambda w: abs(torque_nm / w.most_nm - 0.6), default=None)


@dataclass(frozen=True, slots=True)
class Reading:
    """What was logged of one termination: the torque in N·m (None for a click and tug), and whether hardware was replaced first."""

    entry: str
    torque_nm: float | None
    verdict: Verdict
    replaced: bool = False
    corrects: str | None = None


def judge(rated: Figure | None, torque_nm: float | None, wrench: Wrench | None, today: date) -> tuple[Verdict, str]:
    """(verdict, why) of one reading against the rated torque, within the tool's ISO 6789 tolerance.

    Under: repeat. Over: stop, replace the hardware. Withheld: the tool cannot vouch for it.
    """
    if rated is None:
        return "done", "clicked and tugged"
    if torque_nm is None or wrench is None:
        return "withheld", "a torque needs a reading and a wrench"
    if wrench.calibrated_until < today:
        return "withheld", f"{wrench.name}'s calibration ran out on {wrench.calibrated_until.isoformat()}: use a tool in date"
    if not wrench.reaches(rated.n):
        return (
            "withheld",
            f"{wrench.name} serves {max(wrench.least_nm, 0.2 * wrench.most_nm):g} to {wrench.most_nm:g} N·m; this joint wants {rated.n:.3g} N·m: use a tool that reaches",
        )
    slack = tolerance(rated.n) * rated.n
    if torque_nm < rated.n - slack - 1e-9:
        return "under", "too low: apply the rated torque again"
    if torque_nm > rated.n + slack + 1e-9:
        return "over", "too high: stop, undo, replace the hardware, then torque again"
    return "good", f"within ±{tolerance(rated.n):.0%}"


def standing(readings: Sequence[Reading]) -> Verdict | None:
    """Where a termination stands after its readings, oldest first; a corrected reading no longer counts.

    After an over reading only one taken on replaced hardware can make it good.
    """
    corrected = {r.corrects for r in readings if r.corrects}
    state: Verdict | None = None
    spoiled = False
    for r in readings:
        if r.entry in corrected:
            continue
        if r.verdict == "over":
            spoiled = True
        elif spoiled and not r.replaced:
            continue
        else:
            spoiled = False
        state = r.verdict
    return state


def rated_torque(t: Terminal, size: str) -> Figure | None:
    """The torque in N·m: the maker's plate, else the book's own table; None for a connector or a spring clamp."""
    if t.end in ("pv-connector", "spring"):
        return None
    if t.torque_nm is not None:
        return given("M", t.torque_nm, "N·m", "Rated torque", t.source)
    book = nec.screw_torque_inlb(size)
    per_nm = given("k", NM_INLB, "in·lb per N·m", "Unit", "SI definition")
    return solve("M_nm", "N·m", "Rated torque, the maker being silent", "M / k", book, per_nm, source=book.source, doubt=book.doubt)


def strip_length(t: Terminal, size: str, catalogue: Catalogue) -> float | None:
    """Strip length in mm: the terminal's own, or for a lug its barrel and 2 mm (common practice)."""
    if t.end == "lug":
        lug = catalogue.lugs.get(size)
        return lug.barrel_mm + 2 if lug else None
    return t.strip_mm


def list_terminations(sized: Iterable[Sized], bodies: Iterable[Body], catalogue: Catalogue, book: Book) -> tuple[Termination, ...]:
    """Every termination in landing order, numbered from 1."""
    rows = list(sized)
    out: list[Termination] = []
    order = sorted(bodies, key=lambda b: b.role != "inverter")
    for b in order:
        for stage, at, joints in (("Factory joints", "factory", b.factory_joints), ("Bars and links", "bar", b.bars)):
            for j in joints:
                torque = given("M", j.torque_nm, "N·m", "Rated torque", "maker's plate")
                made = "as made" if at == "factory" else "bar"
                out.append(Termination(f"{at}.{j.id}@{b.id}", 0, stage, "", b.id, b.label, j.label, "factory", "", "", made, "", "", None, j.bit, torque, "", "maker's plate"))  # fmt: skip
    out = [replace(t, number=i) for i, t in enumerate(sorted(out, key=lambda t: t.stage != "Factory joints"), 1)]
    screws: dict[str, int] = {}
    for s in (s for _, families in STAGES for s in rows if s.circuit.family in families):
        out += _make_off(s, "Protective earth", ("PE",), catalogue, book, len(out), screws)
    for stage, families in STAGES:
        for family in families:
            for s in (s for s in rows if s.circuit.family == family):
                live = tuple(c for c in s.circuit.conductors if c != "PE")
                out += _make_off(s, stage, live, catalogue, book, len(out), screws)
    return tuple(out)


def _make_off(
    s: Sized, stage: str, conductors: tuple[Conductor, ...], catalogue: Catalogue, book: Book, before: int, screws: dict[str, int]
) -> list[Termination]:
    out: list[Termination] = []
    c = s.circuit
    for where in (c.load, c.source):
        for conductor, of_set in ((x, n) for x in conductors for n in range(1, s.sets + 1)):
            t = where.terminal(conductor)
            size = str(s.egc.value) if conductor == "PE" else s.size
            terminal = t.label
            if conductor == "PE":
                screws[where.body] = screws.get(where.body, 0) + 1
                terminal = f"{t.label}, screw {screws[where.body]}"
            cable = (catalogue.conductor("grid", book) or s.cable) if conductor == "PE" else s.cable
            made = "ferrule" if t.end == "bare" and cable.strands == "fine" else t.end  # loose fine strands creep out from under a screw
            lug = catalogue.lugs.get(size)
            mark = f" set {of_set}" if s.sets > 1 else ""
            label = f"C{c.number} {where.label.upper()} {where.port} {conductor}{mark}"
            key = f"{c.id}.{conductor}{of_set if of_set > 1 else ''}@{where.body}"
            out.append(
                Termination(
                    key, before + len(out) + 1, stage, c.id, where.body, where.label, f"{terminal}{mark}" if conductor != "PE" else terminal, conductor, size, cable.label,
                    made, t.stud if t.end == "lug" else "", lug.die if t.end == "lug" and lug else "", strip_length(t, size, catalogue), t.bit, rated_torque(t, size), label, t.source, t.ferrite,
                )
            )  # fmt: skip
    return out


def termination_findings(terminations: Sequence[Termination], plan: Plan, inverter: Inverter, catalogue: Catalogue) -> list[Finding]:
    """Earth screws enough, and a lug for every size."""
    found: list[Finding] = []
    for i in range(1, plan.kit.inverters + 1):
        used = sum(t.body == f"inverter-{i}" and t.conductor == "PE" for t in terminations)
        if used > inverter.earth_screws:
            found.append(
                check(
                    f"inverter-{i}.earth-screws",
                    f"inverter-{i}",
                    f"{used} earth conductors come to inverter {i}; its bar has {inverter.earth_screws} screws and takes one conductor a screw.",
                    COMMON_PRACTICE,
                    Cure("Fit a separate earth bar and bond it to the inverter"),
                )
            )
    for size in sorted({t.size for t in terminations if t.end == "lug" and t.size not in catalogue.lugs}, key=area_mm2):
        found.append(
            check(
                f"lug.{size}",
                "catalogue",
                f"No lug for {spoken(size)} is in the catalogue, so its strip length and die are not known.",
                "catalogue",
                Cure("Add the lug to the catalogue, or fit another size"),
            )
        )
    for (size, stud), t in {(t.size, t.stud): t for t in terminations if t.stud}.items():
        lug = catalogue.lugs.get(size)
        if lug and lug.studs and stud not in lug.studs:
            says = f"{t.place}, {t.terminal}: no lug for {spoken(size)} has an {stud} hole."
            found.append(check(f"lug.{size}.{stud}", t.circuit, says, "catalogue", Cure("Order a lug with that hole, or fit a size that has one; never drill a lug out")))  # fmt: skip
    return found
