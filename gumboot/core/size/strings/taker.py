"""What a string lands on: a tracker of an inverter, or a charge controller."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gumboot.core.basis.finding import Change
from gumboot.core.kit import Catalogue, Controller, Converter, Inverter, Pack, Tracker
from gumboot.core.plan import Plan, PvString


@dataclass(frozen=True, slots=True)
class Taker:
    """One unit that strings land on: its number among its like (from 1), its sheet, the trackers as
    they serve in this job. body: its key; word: what one of it is called.
    """

    n: int
    sheet: Converter
    trackers: tuple[Tracker, ...]

    @property
    def controls(self) -> bool:
        """Whether it is a charge controller, ahead of which strings meet in a box."""
        return isinstance(self.sheet, Controller)

    @property
    def body(self) -> str:
        """Its key."""
        return f"controller-{self.n}" if self.controls else f"inverter-{self.n}"

    @property
    def word(self) -> str:
        """What it is called in a sentence: "inverter 2"."""
        return f"charge controller {self.n}" if self.controls else f"inverter {self.n}"

    def at(self, tracker: str) -> str:
        """One of its trackers in a sentence: "tracker 2 of inverter 1"; itself where it has one."""
        return self.word if self.controls else f"tracker {tracker} of {self.word}"

    @property
    def source(self) -> str:
        """Where its figures stand."""
        return "charge controller sheet" if self.controls else "inverter sheet"

    def has(self, s: PvString) -> bool:
        """Whether a string lands on it."""
        return (
            s.controller == self.n if self.controls else (s.controller, s.inverter) == (0, self.n)
        )

    def free(self, plan: Plan, tracker: str) -> bool:
        """Whether no string lands on one of its trackers, alone or bridged."""
        return not any(self.has(s) and tracker in s.tracker.split("+") for s in plan.strings)

    def left(self, plan: Plan, catalogue: Catalogue) -> Taker:
        """What is left of it beside the strings that stay as they are: trackers, and W of PV."""
        stay = [s for s in plan.strings if s.stays and self.has(s)]
        if not stay:
            return self
        taken = {id for s in stay for id in s.tracker.split("+")}
        trackers, sheet = tuple(t for t in self.trackers if t.id not in taken), self.sheet
        if sheet.pv_power_max_w:
            modules = [(s.count, catalogue.modules.get(plan.module_of(s) or "")) for s in stay]
            room = sheet.pv_power_max_w - sum(n * m.p_max_w for n, m in modules if m)
            trackers = trackers if room > 0 else ()
            sheet = sheet.model_copy(update={"pv_power_max_w": max(room, 1.0)})
        return Taker(self.n, sheet, trackers)

    def move(self, s: PvString, index: int, tracker: str) -> tuple[Change, ...]:
        """The changes that move a string, `index` of the plan, to one of its trackers."""
        at, unit = f"/strings/{index}", "controller" if self.controls else "inverter"
        off = s.controller and not self.controls
        return (
            Change(f"{at}/tracker", tracker),
            Change(f"{at}/{unit}", self.n),
            *((Change(f"{at}/controller", 0),) if off else ()),
        )

    def tracker(self, id: str) -> Tracker | None:
        """A tracker by its id; "1+2" is trackers 1 and 2 bridged, where the maker allows one string
        set split over both.
        """
        parts = [next((t for t in self.trackers if t.id == x), None) for x in id.split("+")]
        found = [t for t in parts if t is not None]
        if (
            len(found) != len(parts)
            or len(set(id.split("+"))) != len(parts)
            or (len(parts) > 1 and not self.sheet.trackers_bridge)
        ):
            return None
        if len(found) == 1:
            return found[0]
        return Tracker(
            id=id,
            v_min=max(t.v_min for t in found),
            v_max=min(t.v_max for t in found),
            v_start=max(t.v_start for t in found),
            i_mp_max_a=sum(t.i_mp_max_a for t in found),
            i_sc_max_a=sum(t.i_sc_max_a for t in found),
            pairs=sum(t.pairs for t in found),
            pair_a=min(t.pair_a for t in found),
            terminals=tuple(x for t in found for x in t.terminals),
        )


def takers(
    plan: Plan, inverter: Inverter, controller: Controller | None, pack: Pack | None
) -> Iterator[Taker]:
    """Every unit of a job that strings land on: inverters that have trackers, then charge
    controllers, which work above the highest voltage of the bank.
    """
    kit = plan.kit
    if inverter.trackers or not kit.controllers_fitted:
        for n in range(1, kit.inverters + 1):
            yield Taker(n, inverter, inverter.trackers)
    if controller:
        series = kit.series if pack and pack.form != "pack" else 1
        high = pack.bms_v_max * series if pack else 0.0
        own = tuple(
            t.model_copy(update={"v_min": max(t.v_min, high), "v_start": max(t.v_start, high)})
            for t in controller.trackers
        )
        for n in range(1, kit.controllers_fitted + 1):
            yield Taker(n, controller, own)


def taker_of(every: tuple[Taker, ...], s: PvString) -> Taker | None:
    """What a string lands on; None where the job has no such unit."""
    return next((t for t in every if t.has(s)), None)
