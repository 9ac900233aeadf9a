"""The walk of Wake: what is looked at and read cold, then act after act, each with what is read
before it and seen after it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from gumboot.core.basis.words import inside, listed
from gumboot.core.kit import MAINS
from gumboot.core.kit.starting import Starting
from gumboot.core.network.house import house_supply, units_on
from gumboot.core.size.inrush import HAND_OHM
from gumboot.core.wake.chapters import Wake
from gumboot.core.wake.order import Act
from gumboot.core.wake.plant import CONTROLLERS, PV_RELAY, Lever, as_key
from gumboot.core.wake.settle import settle
from gumboot.core.wake.states import INRUSH, UNEQUAL, Settled
from gumboot.core.walk.step import Step

if TYPE_CHECKING:
    from gumboot.core.design import Design

OUTPUT, SUPPLY = 0.05, 0.10  # how far volts may be off: of an inverter, of a grid; common practice
EARTH_OHM = 0.5  # of a protective conductor end to end, leads nulled: common practice
NEUTRAL_V = 5.0  # between neutral and earth where they are bonded: common practice
CHARGED = 0.95  # of the battery's volts at a port that is precharged: three time constants
BY_HAND_V = 120.0  # direct current, the limit of extra-low voltage: IEC 61140, from memory
START_S = 300.0  # how long a unit may take to start: common practice
VOLTAGES = ((120.0, 250, 0.5), (500.0, 500, 1.0), (1000.0, 1000, 1.0))  # IEC 62446-1, from memory
COLD, ON = "Cold first", "Switch on"


def steps_of(d: Design) -> tuple[Step, ...]:
    """Every step, in the order of work."""
    wake = d.wake
    if wake is None:
        return ()
    return (*(replace(s, shows="state-0") for s in _cold(d)), *_on(wake, d))


def _cold(d: Design) -> Iterator[Step]:
    if d.plan.waking.rehearse:
        says = "Switching on rehearsed to its end without a slip, under Rehearse."
        yield Step("cold.rehearsed", COLD, "One clean rehearsal", says)
    yield Step("cold.land", COLD, "Every termination made and marked", "As the walk of Land says.")
    yield Step("cold.link", COLD, "Every lead in, terminated, read", "As the walk of Link says.")
    yield Step(
        "cold.covers",
        COLD,
        "Look and tug",
        "No strand, tool or shaving left; every conductor tugged; covers and barriers on where"
        " nothing more is measured.",
    )
    yield Step(
        "cold.earth",
        COLD,
        "Protective conductors, end to end",
        "Leads nulled. From the main earth to each box's case: the highest reading.",
        "ohm",
        f"{EARTH_OHM:g} Ω at most",
        most=EARTH_OHM,
    )
    yield from _strings(d)
    yield from _packs(d)
    yield from _service(d)
    yield Step(
        "cold.open",
        COLD,
        "Everything open",
        "Every switch of the job open, every button off, padlocks on where they are planned.",
    )


def _strings(d: Design) -> Iterator[Step]:
    for s in d.strings:
        (low, high), at = s.open_v, f"{s.parted} "
        own = s.module.optimizer
        closer = " The meter card under Size knows it closer, by today's light." if not own else ""
        how = f" As the maker of the {own.name}s says, or by the inverter itself." if own else ""
        yield Step(
            f"cold.string.{s.letter}",
            COLD,
            f"String {s.letter}: volts and polarity",
            f"{at}Plus to plus: a minus in front means reversed.{closer}",
            "volt",
            s.open_says,
            least=low,
            most=high,
            box=f"array-{s.letter}",
        )
        top = s.v_oc_cold.n
        volts, least = next(((v, m) for most, v, m in VOLTAGES if top <= most), (1500, 1.0))
        yield Step(
            f"cold.insulation.{s.letter}",
            COLD,
            f"String {s.letter}: insulation",
            f"{at}Tester at {volts} V, each pole to earth in turn: the lower reading.{how}",
            "megohm",
            f"{least:g} MΩ at least",
            least=least,
            box=f"array-{s.letter}",
        )


def _packs(d: Design) -> Iterator[Step]:
    bank = d.bank
    if bank is None or d.network is None:
        return
    packs = [s for s in d.network.sources if s.kind == "pack"]
    for n, s in enumerate(packs, 1):
        yield Step(
            f"cold.pack.{as_key(s.id)}",
            COLD,
            f"{s.name}: volts and polarity",
            "At its posts, or by its display where its own breaker is open.",
            "volt",
            f"{bank.v_min.n:.4g} to {bank.v_max.n:.4g} V",
            least=bank.v_min.n,
            most=bank.v_max.n,
            box=s.body,
            reads=f"pack:{n}",
        )


def _service(d: Design) -> Iterator[Step]:
    if d.network is None or "service" not in d.network.nodes:
        return
    supply = d.plan.supply.kind
    for n, (between, volts) in enumerate(pairs_of(supply), 1):
        step = _volts(
            f"cold.service.{as_key(between)}",
            COLD,
            f"Supply side of the main, {between}",
            "Main open. Live: a proved tester, two people.",
            volts,
            SUPPLY,
            "main-panel",
        )
        yield replace(step, reads=f"meter:{n}") if between.endswith("N") else step
    if supply.startswith("three"):
        yield Step(
            "cold.rotation",
            COLD,
            "Rotation of the supply",
            "At the main's supply side: L1, L2, L3 to the right.",
            box="main-panel",
        )


def pairs_of(supply: str) -> list[tuple[str, float]]:
    """(between what, volts) of a supply: each line to neutral, and a pair of lines."""
    mains = MAINS[supply]
    pairs = [(f"{line} to N", mains.to_neutral) for line in mains.lines]
    return [*pairs, ("L1 to L2", mains.between)] if len(mains.lines) > 1 else pairs


def _volts(
    key: str,
    stage: str,
    title: str,
    says: str,
    volts: float,
    band: float,
    box: str,
    shows: str = "",
) -> Step:
    low, high = volts * (1 - band), volts * (1 + band)
    return Step(
        key,
        stage,
        title,
        says,
        "volt",
        f"{volts:g} V ± {100 * band:g} %",
        least=low,
        most=high,
        box=box,
        shows=shows,
    )


@dataclass(frozen=True, eq=False)
class _Moment:
    """An act with what was and what comes of it."""

    n: int
    act: Act
    name: str
    pre: int
    post: int
    rows: Settled

    def newly(self, what: str) -> int:
        """Bits that were not there before the act."""
        bits = getattr(self.rows, what)
        return int(bits[self.post] & ~bits[self.pre])


def _on(w: Wake, d: Design) -> Iterator[Step]:
    acts = w.way.up.acts
    if not acts:
        return
    states = np.array([*(a.state for a in acts), acts[-1].after], dtype=np.int64)
    rows, asked = settle(w.way.plant, states), set[str]()
    times: dict[int, int] = {}
    for n, a in enumerate(acts):
        lever = w.way.plant.levers[a.k]
        times[a.k] = times.get(a.k, 0) + 1
        name = lever.key if times[a.k] == 1 else f"{lever.key}.{times[a.k]}"
        m = _Moment(n, a, name, n, n + 1, rows)
        for step in _before(w, d, m):
            if step.key not in asked:
                asked.add(step.key)
                yield step
        yield Step(
            f"act.{name}",
            ON,
            w.way.says(a),
            _why(w, d, m),
            "act",
            "closed" if a.closing and not lever.button else "on" if a.closing else "open",
            shows=f"state-{n}",
            box=lever.body,
            lever=lever.key,
        )
        yield from _after(w, d, m)
    yield Step(
        "on.serving",
        ON,
        "It serves",
        "No alarm on any display, state of charge alike on unit and pack, every lamp as its manual"
        " says. Settings next, under Set.",
        shows=f"state-{len(acts)}",
    )
    yield from _duties(d)


def _duties(d: Design) -> Iterator[Step]:
    """What is seen or tried on every job of its kind, once it serves."""
    for f in d.duties:
        if f.asked is not None and f.asked.station == "Wake":
            yield Step(f"duty.{f.key}", ON, "Seen or tried", f.says, "duty", box=f.place)


def _before(w: Wake, d: Design, m: _Moment) -> Iterator[Step]:
    """What is read or prepared before an act: what holds it otherwise."""
    lever, shows = w.way.plant.levers[m.act.k], f"state-{m.n}"
    at = inside(lever.says)
    if not m.act.closing:
        return
    if m.act.readied & UNEQUAL:
        yield Step(
            f"gate.{m.name}.equal",
            ON,
            (
                f"Volts of {inside(lever.place)} against the bus, before its button"
                if lever.button
                else f"Volts across {at}, still open"
            ),
            "Pack against bus, pole to pole of one sign. More than this: charge the lower one alone"
            " first.",
            "volt",
            f"{w.facts.equal_v:g} V at most, either way",
            least=-w.facts.equal_v,
            most=w.facts.equal_v,
            shows=shows,
            box=lever.body,
        )
    if m.act.readied & INRUSH:
        yield from _precharge(w, d, m)
    elif lever.kind == "battery" and m.newly("packed") and d.bank:
        yield Step(
            f"gate.{m.name}.volts",
            ON,
            f"Battery volts before {at} closes",
            "At its battery side, plus to minus: a minus in front means reversed.",
            "volt",
            f"{d.bank.v_min.n:.4g} to {d.bank.v_max.n:.4g} V",
            least=d.bank.v_min.n,
            most=d.bank.v_max.n,
            shows=shows,
            box=lever.body,
        )
    if m.newly("loads") and not lever.button and lever.id != "main-panel/main":
        source = "its supply side, open"
        lever_feeds = int(m.rows.a[m.pre, m.act.k] | m.rows.b[m.pre, m.act.k])
        of_grid = bool(lever_feeds & 1)
        band = SUPPLY if of_grid else OUTPUT
        for between, volts in grid_pairs(d) if of_grid else island_pairs(d):
            title = f"{between} at {at}"
            key = f"gate.{m.name}.{as_key(between)}"
            yield _volts(key, ON, title, f"Measured at {source}.", volts, band, lever.body, shows)
    if m.newly("follows") and _export_limited(d):
        yield Step(
            f"gate.{m.name}.ct",
            ON,
            "The CT test has passed, or the unit stands by",
            "An export limit is planned: without transformers that read right the unit would push"
            " out what it likes. Link has the test; it wants the unit on, so let it stand by or"
            " charge until it has passed.",
            shows=shows,
        )


def _precharge(w: Wake, d: Design, m: _Moment) -> Iterator[Step]:
    """A resistor by hand, at no more than an extra-low voltage and across what can be reached; else
    the maker's word.
    """
    lever, shows = w.way.plant.levers[m.act.k], f"state-{m.n}"
    key, most = f"gate.{m.name}.precharge", d.bank.v_max.n if d.bank else None
    if lever.button or most is None or most > BY_HAND_V:
        above = "" if lever.button else f" above {BY_HAND_V:g} V DC"
        yield Step(
            key,
            ON,
            f"Who precharges, before: {inside(lever.says)}",
            f"No sheet names a precharge, and none can be laid here by hand{above}: have the"
            " maker's word that the electronics do it, and enter it on the shelf.",
            shows=shows,
            box=lever.body,
        )
        return
    least = CHARGED * d.bank.v_min.n if d.bank else 0.0
    wait = d.inrush.by_hand if d.inrush else None
    how_long = f"for {wait.text} at least" if wait else "until the volts rise no more"
    yield Step(
        key,
        ON,
        f"Precharge across {inside(lever.says)}, still open",
        f"A resistor of {HAND_OHM:g} Ω across the open breaker {how_long}; then the volts of the"
        " unit's port, with the resistor still on.",
        "volt",
        f"{least:.4g} V at least",
        least=least,
        shows=shows,
        box=lever.body,
        wait_s=wait.n if wait else None,
    )


def _after(w: Wake, d: Design, m: _Moment) -> Iterator[Step]:
    """What is seen and read once an act is done."""
    unit, shows = d.inverter, f"state-{m.n + 1}"
    lever = w.way.plant.levers[m.act.k]
    if lever.controls and m.act.closing and lever.kind == "battery":
        own = d.controller.starting if d.controller else None
        yield _wakes(f"see.{m.name}.controller", _controller(d, lever), own, shows)
    on, forms, follows = (m.newly(x) for x in ("on", "forms", "follows"))
    for i, name in enumerate(w.way.plant.unit_names):
        if on >> i & 1:
            yield _wakes(f"see.{m.name}.{i + 1}", name, unit.starting if unit else None, shows)
        if forms >> i & 1:
            yield from _output(w, d, m, i, shows)
        if follows >> i & 1:
            yield Step(
                f"wait.{m.name}.grid.{i + 1}",
                ON,
                f"{name}: waits for the grid",
                "It watches the grid before it joins: up to 5 min under most grid profiles.",
                "wait",
                "it says that it is connected",
                shows=shows,
                wait_s=START_S,
            )


def _wakes(key: str, name: str, s: Starting | None, shows: str) -> Step:
    seen = [x for x in (s.lamp, s.sound) if x] if s else []
    app = " Its first start waits for the maker's app." if s and s.first_app else ""
    again = " It asks a restart once the battery type is set." if s and s.restart else ""
    wait = s.wait_s if s and s.wait_s else START_S
    expects = ", ".join(seen) or "lamp or display on, no alarm"
    says = (
        f"Up to {wait / 60:.2g} min.{app}{again}" if wait > 90 else f"Up to {wait:g} s.{app}{again}"
    )
    return Step(key, ON, f"{name} wakes", says, "wait", expects, shows=shows, wait_s=wait)


def _output(w: Wake, d: Design, m: _Moment, i: int, shows: str) -> Iterator[Step]:
    name = w.way.plant.unit_names[i]
    unit = d.inverter
    if unit is None:
        return
    box = f"inverter-{i + 1}"
    out = any(
        x.kind == "backup" and x.unit == i and m.act.state >> k & 1
        for k, x in enumerate(w.way.plant.levers)
    )
    where = "with its breaker closed" if out else "nothing connected behind it"
    for between, volts in pairs_of(unit.supply):
        key = f"see.{m.name}.{i + 1}.{as_key(between)}"
        says = f"At its output, {where}."
        step = _volts(key, ON, f"{name}: {between}", says, volts, OUTPUT, box, shows)
        line, _, other = between.partition(" to ")
        yield replace(step, reads=f"{i + 1}:output {line} V") if other == "N" else step
    yield Step(
        f"see.{m.name}.{i + 1}.N-to-PE",
        ON,
        f"{name}: N to PE",
        "At its output. More means that neutral is bonded nowhere, or twice with current in it.",
        "volt",
        f"{NEUTRAL_V:g} V at most",
        least=-NEUTRAL_V,
        most=NEUTRAL_V,
        box=box,
        shows=shows,
        reads=f"{i + 1}:N to PE V",
    )


def island_pairs(d: Design) -> list[tuple[str, float]]:
    """What a board reads that the units alone feed: single-phase units only the lines they are
    on.
    """
    unit, supply = d.inverter, house_supply(d.plan, d.inverter)
    if unit is None:
        return pairs_of(supply)
    on = {line for line, count in units_on(d.plan, unit).items() if count}
    pairs = pairs_of(supply if len(on) > len(unit.lines) else unit.supply)
    if on == set(unit.lines) or len(on) == len(MAINS[supply].lines):
        return pairs
    return [(f"{line} to N", MAINS[supply].to_neutral) for line in sorted(on)]


def grid_pairs(d: Design) -> list[tuple[str, float]]:
    """What the loads' board reads with the grid on: every line of the house, but of a board that
    the units alone feed.
    """
    ids = {b.id for b in d.bodies}
    if "loads-panel" in ids and not ids & {"gateway", "transfer-switch"}:
        return island_pairs(d)
    return pairs_of(house_supply(d.plan, d.inverter))


def _export_limited(d: Design) -> bool:
    return d.plan.energy.tariff.export_limit_w is not None


def _sun_joins(w: Wake, m: _Moment) -> list[str]:
    """The PV inverters beside the units that an act gives both sun and a voltage to follow."""
    plant, out = w.way.plant, []
    for e, (_, _, _, moved_by, whose, _) in enumerate(plant.edges.tolist()):
        if moved_by != PV_RELAY or whose < 0:
            continue
        id, name = plant.pv_names[whose]
        sun = plant.of_switch.get(f"{id}/PV switch")
        before, after = (
            bool(m.rows.closed[n, e]) and (sun is None or bool(state >> sun & 1))
            for n, state in ((m.pre, m.act.state), (m.post, m.act.after))
        )
        out += [name] if after and not before else []
    return out


def _controller(d: Design, lever: Lever) -> str:
    """The charge controller that a lever is of, by its name."""
    id = f"controller-{lever.unit - CONTROLLERS}"
    return d.network.label(id) if d.network else id


def _why(w: Wake, d: Design, m: _Moment) -> str:
    """Why an act stands where it stands: what comes of it."""
    out = []
    lever = w.way.plant.levers[m.act.k]
    if lever.controls:
        charges = lever.kind == "pv"
        out.append(f"{_controller(d, lever)} {'charges in light' if charges else 'wakes'}")
    for what, says in (
        ("on", "wakes"),
        ("forms", "makes its own voltage"),
        ("follows", "joins the grid"),
    ):
        bits = m.newly(what)
        names = [n for i, n in enumerate(w.way.plant.unit_names) if bits >> i & 1]
        if names:
            out.append(f"{listed(names)} {says if len(names) == 1 else _plural(says)}")
    if names := _sun_joins(w, m):
        starts = "starts by itself" if len(names) == 1 else "start by themselves"
        out.append(f"{listed(names)} {starts}, after the wait on its sheet")
    bits = m.newly("loads")
    names = [inside(n) for i, n in enumerate(w.way.plant.load_names) if bits >> i & 1]
    if names:
        out.append(f"{listed(names)} come alive")
    return (
        f"{'; '.join(out)[:1].upper()}{'; '.join(out)[1:]}." if out else "Nothing wakes by it yet."
    )


def _plural(says: str) -> str:
    return {"wakes": "wake", "makes its own voltage": "make their own voltage"}.get(
        says, "join the grid"
    )
