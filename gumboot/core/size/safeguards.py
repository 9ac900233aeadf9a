"""What protects people beside breakers and fuses: residual-current devices, the array and the
storage brought down from outside, surge protection.

TT      R_A · I_Δn ≤ 50 V                       60364-4-41 411.5.3; every circuit behind a device
type    of a device ahead of a unit ≥ the unit's own declaration, else B        712.530.3
order   a type B device not behind one of another type: its direct current would blind it
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from gumboot.core.basis.figure import COMMON_PRACTICE, MEMORY, given, solve
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, duty, note, stop
from gumboot.core.basis.words import inside
from gumboot.core.kit import Device, Inverter
from gumboot.core.plan import RESIDUAL_TYPES, TRIPS_MA, Plan, Safeguard
from gumboot.core.plan.safeguard import ResidualType, SafeguardKind
from gumboot.core.size.conductors import SizedCircuit

FEEDS = ("backup", "backup-feeder")  # circuits of an output of their own
TOUCH_V = 50.0  # conventional limit, alternating current: 60364-4-41 411.5.3
RESIDUAL: SafeguardKind = "residual-current device"
TYPE_RULE = f"IEC 60364-7-712 712.530.3; {COMMON_PRACTICE}"
BOTH_WAYS = ("grid", "grid-feeder", "existing-pv")
WAYS_RULE = "IEC 60364-8-82; BS 7671 530.3.201"
TRIPS_MS = 300.0  # at its rated residual current, no delay: IEC 61008-1, from memory
DELAYED_MS = 500.0  # type S: IEC 61008-1, from memory
TRIPS_RULE = "IEC 60364-6 6.4.3.8; times IEC 61008-1"
SAFE_V = 30.0  # 30 V within 30 s outside the array boundary: NEC 690.12(B)(1)


def plus(plan: Plan, *more: Safeguard) -> Change:
    """The plan with more safeguards."""
    return Change("/safeguards", [s.model_dump(mode="json") for s in (*plan.safeguards, *more)])


def without(plan: Plan, n: int, **changes: object) -> Change:
    """The plan with its n-th safeguard altered."""
    rows = [s.model_dump(mode="json") for s in plan.safeguards]
    rows[n] |= changes
    return Change("/safeguards", rows)


GRID_BOARDS = ("main-panel", "sub-board")  # dead in an island


def residuals(plan: Plan) -> list[tuple[int, Safeguard]]:
    """The residual-current devices of a plan, each with its place in the list."""
    return [(n, s) for n, s in enumerate(plan.safeguards) if s.kind == RESIDUAL]


def ahead_of(plan: Plan, s: SizedCircuit) -> list[tuple[int, Safeguard]]:
    """The residual-current devices between the supply and a circuit."""
    way = {s.id, *s.circuit.upstream, "main-panel"}
    if s.circuit.source.body != "main-panel":
        way.add("sub-board")  # where there is one, all but the main board's own comes through it
    return [(n, x) for n, x in residuals(plan) if x.at in way]


def has_island(plan: Plan) -> bool:
    """Whether a job ever stands alone."""
    return plan.backup.loads != "nothing" or plan.supply.kind == "off-grid"


def lives(plan: Plan, sized: Sequence[SizedCircuit], s: Safeguard) -> bool:
    """Whether what hangs behind a device is fed in the island: off grid all is; else not what the
    main board feeds, nor a unit's grid side where its loads hang on an output of their own.
    """
    if plan.supply.kind == "off-grid":
        return True
    own = next((x.circuit for x in sized if x.id == s.at), None)
    if own is None:
        return s.at not in (*GRID_BOARDS, "outside") and has_island(plan)
    apart = any(x.circuit.family in FEEDS for x in sized)
    grid_side = ("changeover", "grid", "grid-feeder") if apart else ("changeover",)
    return has_island(plan) and own.family not in grid_side and own.source.body not in GRID_BOARDS


def needed_type(inverter: Inverter) -> ResidualType:
    """What a device ahead of the inverter has to see: by its declaration, else everything."""
    return inverter.residual or "B"


def for_loads(plan: Plan) -> Safeguard | None:
    """The device that stands before every backed-up circuit and trips at 30 mA or less."""
    at = ("backed-up-circuits", "loads", "loads-panel")
    return next((s for _, s in residuals(plan) if s.at in at and s.trip_ma <= 30), None)


def residual_findings(
    plan: Plan,
    inverter: Inverter,
    sized: Sequence[SizedCircuit],
    devices: Mapping[int, Device | None],
) -> list[Finding]:
    """Residual-current devices under a book that asks for them. devices: what stands at each place
    of the plan's list.
    """
    if not plan.book.loops:
        return []
    found = [*_tt(plan, inverter, sized), *_types(plan, inverter, sized), *_blinded(plan, sized)]
    found += _one_way(plan, inverter, sized, devices)
    for n, s in residuals(plan):
        by = [
            *(["fed by the grid"] if plan.supply.kind != "off-grid" else []),
            *(["in an island"] if lives(plan, sized, s) else []),
        ]
        most = DELAYED_MS if s.delayed else TRIPS_MS
        says = (
            f"The {s.trip_ma} mA device of type {s.type} at {where(s, sized)} trips in at most"
            f" {most:g} ms at its rated residual current, {' and '.join(by)}."
        )
        asked = Asked("Prove", "time", most=most)
        found.append(duty(f"rcd.{n}.trips", "main-panel", says, TRIPS_RULE, asked))
    return found


def where(s: Safeguard, sized: Sequence[SizedCircuit]) -> str:
    """Where a safeguard stands, in words."""
    named = {"main-panel": "the main board", "backed-up-circuits": "the backed-up circuits"}
    for c in (x.circuit for x in sized):
        named |= {
            e.body: f"the {inside(e.label)}" for e in (c.source, c.load) if e.body not in named
        }
        named[c.id] = f"C{c.number}, {inside(c.name)}"
    return named.get(s.at, s.at)


def _tt(plan: Plan, inverter: Inverter, sized: Sequence[SizedCircuit]) -> list[Finding]:
    """On TT no breaker clears an earth fault: a device does, and touch stays under 50 V."""
    if plan.supply.earthing != "TT" or plan.supply.kind == "off-grid":
        return []
    rule, found = "IEC 60364-4-41 411.5", list[Finding]()
    bare = [s for s in sized if s.circuit.power_factor and not ahead_of(plan, s)]
    if bare:
        kind = needed_type(inverter)
        rest = len(bare) - 1
        more = f" and {rest} more circuit{'s' if rest > 1 else ''} have" if rest else " has"
        says = (
            f"On TT no breaker clears an earth fault: {bare[0].circuit.name}{more} no"
            " residual-current device ahead."
        )
        new = Safeguard(kind=RESIDUAL, at="main-panel", trip_ma=300, type=kind, delayed=True)
        words = f"Plan a 300 mA delayed device of type {kind} at the main board"
        cure = Cure(words, (plus(plan, new),))
        found.append(stop("rcd.tt", "main-panel", says, rule, cure))
    if plan.supply.loop_ohm is None:
        return found
    r_a = given("R_A", plan.supply.loop_ohm, "Ω", "Path of the electrode", "survey")
    for n, s in residuals(plan):
        i = given("I_dn", s.trip_ma / 1000, "A", "Rated residual current", "plan")
        touch = solve(
            "U_T",
            "V",
            "Touch voltage before it trips",
            "R_A * I_dn",
            r_a,
            i,
            source="IEC 60364-4-41 411.5.3",
            doubt=MEMORY,
        )
        if touch.n <= TOUCH_V:
            continue
        less = [t for t in TRIPS_MA if t * r_a.n / 1000 <= TOUCH_V]
        cures = [
            Cure(
                f"Fit a device of {t} mA",
                (without(plan, n, trip_ma=t, device=None, delayed=t > 30 and s.delayed),),
            )
            for t in reversed(less)
        ]
        cures.append(Cure("Improve the electrode, and measure it again"))
        says = (
            f"{r_a.text} and {s.trip_ma} mA let {touch.against(TOUCH_V)} stand on what is touched;"
            f" {TOUCH_V:g} V is the limit."
        )
        found.append(stop(f"rcd.{n}.touch", "main-panel", says, rule, *cures, figures=(touch,)))
    return found


def _types(plan: Plan, inverter: Inverter, sized: Sequence[SizedCircuit]) -> list[Finding]:
    """A device ahead of the inverter that does not see the direct current it may leak."""
    kind = needed_type(inverter)
    rank = RESIDUAL_TYPES.index
    lines = [s for s in sized if s.circuit.family in ("grid", "grid-feeder")]
    on_line = {n: x for s in lines for n, x in ahead_of(plan, s)}
    why = (
        f"its maker declares type {inverter.residual} enough"
        if inverter.residual
        else "its maker does not declare what direct current it leaks"
    )
    if lines and not on_line:
        says = (
            f"A residual-current device on the inverter's line would be of type {kind}, {why}; 300"
            " mA or more there."
        )
        keep = Cure("Keep 30 mA devices on the final circuits, not on this line")
        return [note("rcd.type", "inverter-1", says, TYPE_RULE, keep)]
    found = []
    for n, x in on_line.items():
        if rank(x.type) >= rank(kind):
            continue
        says = (
            f"The device at {where(x, sized)} is of type {x.type}; ahead of this inverter it has"
            f" to be of type {kind}: {why}."
        )
        cure = Cure(f"Fit type {kind}", (without(plan, n, type=kind, device=None),))
        found.append(stop(f"rcd.{n}.type", "inverter-1", says, TYPE_RULE, cure))
    return found


def _one_way(
    plan: Plan,
    inverter: Inverter,
    sized: Sequence[SizedCircuit],
    devices: Mapping[int, Device | None],
) -> list[Finding]:
    """Devices that power passes both ways, of a plate that marks one way or says nothing: fed from
    its load side one may not open, or burn its own trip.
    """
    lines = [
        s
        for s in sized
        if s.circuit.family in BOTH_WAYS
        and (inverter.feeds_grid or s.circuit.family == "existing-pv")
    ]
    on_line = {n: x for s in lines for n, x in ahead_of(plan, s)}
    found = []
    for n, x in on_line.items():
        device, at = devices.get(n), where(x, sized)
        if device is not None and device.both_ways:
            continue
        if device is not None and device.both_ways is False:
            says = f"{device.label} at {at} is made for power one way; here it passes both ways."
            cure = Cure("Choose one made for both ways, or enter it on the shelf")
            found.append(stop(f"rcd.{n}.direction", "main-panel", says, WAYS_RULE, cure))
            continue
        says = (
            f"Power passes the {x.trip_ma} mA device at {at} both ways: its plate marks no side as"
            " line or load."
        )
        asked = Asked("Land")
        found.append(duty(f"rcd.{n}.direction", "main-panel", says, WAYS_RULE, asked))
    return found


def _blinded(plan: Plan, sized: Sequence[SizedCircuit]) -> list[Finding]:
    """A type B device behind one of another type."""
    found: dict[int, Finding] = {}
    for s in sized:
        row = ahead_of(plan, s)
        if not any(x.type == "B" and x.at != "main-panel" for _, x in row):
            continue
        for n, x in row:
            if x.type != "B" and n not in found:
                says = (
                    f"A type B device stands behind the type {x.type} at {where(x, sized)}: direct"
                    " current that the one allows blinds the other."
                )
                cure = Cure("Fit type B there too", (without(plan, n, type="B", device=None),))
                found[n] = stop(f"rcd.{n}.blind", "main-panel", says, "IEC 60364-5-53 531.3", cure)
    return list(found.values())


def shutdown_findings(plan: Plan, stored: bool) -> list[Finding]:
    """The array and the storage made dead from outside, where the book asks. NEC 690.12, 706.15(A).

    690.12 is for arrays on or in buildings, and for circuits that enter one that houses more than
    equipment: one in a field is under it too, where its conductors enter a house.
    """
    return [*_array_down(plan), *(_storage_down(plan) if stored else ())]


def _array_down(plan: Plan) -> list[Finding]:
    building = plan.site.building
    in_field = all(s.mounting == "rack" for s in plan.strings)
    if not plan.book.rapid_shutdown or not plan.strings:
        return []
    if in_field and building == "equipment only":
        return []
    rule = plan.book.clauses["rapid shutdown"]
    planned = next((s for s in plan.safeguards if s.kind == "rapid shutdown"), None)
    if planned:
        says = (
            f"Rapid shutdown, {planned.method}: 30 s after its switch is turned, conductors more"
            f" than 1 ft outside the array read {SAFE_V:g} V at most."
        )
        asked = Asked("Prove", "voltage", most=SAFE_V)
        return [duty("pv.rapid-shutdown", "array", says, rule, asked)]
    where = "enter a building" if in_field else "run on a building"
    says = (
        f"PV conductors {where}: a switch outside has to bring them to a safe voltage, and no"
        " equipment for it is planned."
    )
    new = Safeguard(kind="rapid shutdown", at="array")
    cures = [Cure("Plan it at each module, its switch outside by the service", (plus(plan, new),))]
    if in_field:
        change = Change("/site/building", "equipment only")
        cures.append(Cure("The building houses nothing but this equipment", (change,)))
    return [stop("pv.rapid-shutdown", "array", says, rule, *cures)]


def _storage_down(plan: Plan) -> list[Finding]:
    asked = "emergency shutdown" in plan.book.clauses
    if not asked or plan.site.building != "dwelling":
        return []
    rule = plan.book.clauses["emergency shutdown"]
    if any(s.kind == "emergency shutdown" for s in plan.safeguards):
        says = (
            "The emergency shutdown outside stops the storage from feeding the house: tried, and"
            " it shows whether it is on or off."
        )
        return [duty("storage.emergency", "main-panel", says, rule, Asked("Wake"))]
    says = (
        "Storage at a dwelling needs an emergency shutdown that can be reached outside, and none"
        " is planned."
    )
    new = Safeguard(kind="emergency shutdown", at="outside")
    cures = (
        Cure("Plan a button outside by the service", (plus(plan, new),)),
        Cure("It is no dwelling", (Change("/site/building", "other"),)),
    )
    return [stop("storage.emergency", "main-panel", says, rule, *cures)]


def surge_findings(plan: Plan) -> list[Finding]:
    """Surge protection that nobody planned, as a note: the book asks for it by cases."""
    if any(s.kind == "surge protection" for s in plan.safeguards) or plan.supply.kind == "off-grid":
        return []
    new = Safeguard(kind="surge protection", at="main-panel")
    cure = Cure("Plan a type 2 device in the main board", (plus(plan, new),))
    says = "No surge protection is planned; new or replaced boards of a dwelling want it."
    if plan.site.building != "dwelling":
        says = (
            "No surge protection is planned; what the building is used for decides what wants it."
        )
    return [note("surge.none", "main-panel", says, plan.book.clauses["surge"], cure)]
