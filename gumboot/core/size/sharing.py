"""How packs in parallel share the current: the resistor network of packs, leads and jumpers, solved
node by node.

  one end                diagonal               star
+ ●─┬──┬──┐            + ●─┬──┬──┐            + ●═╤══╤══╗
   P1 P2 P3               P1 P2 P3               P1 P2 P3      equal leads to one bus
− ●─┴──┴──┘              └──┴──┴─● −          − ●═╧══╧══╝
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure, given, picked
from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.basis.sizes import area_mm2, spoken
from gumboot.core.basis.units import FT_M, show_length
from gumboot.core.codes import iec, nec
from gumboot.core.kit import Pack
from gumboot.core.network.circuit import End
from gumboot.core.plan import Plan
from gumboot.core.size.bank import Bank
from gumboot.core.size.conductors import SizedCircuit

Scheme = Literal["one end", "diagonal", "star"]
SCHEMES: tuple[Scheme, ...] = get_args(Scheme)
NO_LEAD = 1e-7  # Ω, of what has none
OVER_MEAN = 0.10  # a pack more than this over the mean is a caution, common practice


@dataclass(frozen=True, slots=True)
class Sharing:
    """What each pack carries in A under each take-off scheme that it may have, at the bank's whole
    current; the most of the chosen one; the packs' own numbers.
    """

    chosen: Scheme
    amps: dict[Scheme, tuple[float, ...]]
    most: Figure
    numbers: tuple[str, ...]

    @property
    def free(self) -> bool:
        """Whether the crew chooses the take-off."""
        return len(self.amps) > 1

    @property
    def over_mean(self) -> float:
        """How far the worst pack of the chosen scheme is above the mean, as a fraction."""
        own = self.amps[self.chosen]
        return max(own) / (sum(own) / len(own)) - 1


def shares(
    scheme: Scheme, r_pack: float, leads: Sequence[float], total_a: float
) -> tuple[float, ...]:
    """Amps of each pack of equal voltage. r_pack, leads in Ω: one pack inside, and one way of each
    lead (star) or of each jumper.

    Nodes: a + and a − rail node at each pack; take-off where the scheme says. leads[i] is the lead
    of pack i (star), or for
    i > 0 the jumper from pack i − 1 to pack i.
    """
    n = len(leads)
    if n == 1:
        return (total_a,)
    if scheme == "star":
        g = np.array([1 / (r_pack + 2 * r) for r in leads])
        return tuple(float(x) for x in total_a * g / g.sum())
    g_pack = 1 / r_pack
    m = np.zeros((2 * n, 2 * n))  # + rail nodes 0…n−1, − rail nodes n…2n−1
    for i in range(n):
        _join(m, i, n + i, g_pack)
    for i in range(1, n):
        _join(m, i - 1, i, 1 / leads[i])
        _join(m, n + i - 1, n + i, 1 / leads[i])
    # Superposition: with equal voltages behind equal resistances, shares are those of drawing the
    # current from the rails alone.
    drawn = np.zeros(2 * n)
    drawn[0] -= total_a
    drawn[n if scheme == "one end" else 2 * n - 1] += total_a
    v = np.zeros(2 * n)
    v[1:] = np.linalg.solve(m[1:, 1:], drawn[1:])
    return tuple(float((v[n + i] - v[i]) * g_pack) for i in range(n))


def _join(m: np.ndarray, a: int, b: int, g: float) -> None:
    m[a, a] += g
    m[b, b] += g
    m[a, b] -= g
    m[b, a] -= g


def one_way_ohm(s: SizedCircuit) -> float:
    """One way of a DC circuit in Ω."""
    if s.size.endswith("mm²"):
        return iec.resistance(s.size, s.cable.strands).n * s.conditions.run.length_m / 1000 / s.sets
    return nec.dc_resistance(s.size).n * s.conditions.run.length_m / FT_M / 1000 / s.sets


def _fairer(plan: Plan, rows: Sequence[SizedCircuit], m: Sharing) -> Cure:
    """Leads of a star cut to one length; else the take-off that shares best, where other leads
    would not follow from the wall.
    """
    longest = max(rows, key=lambda s: s.conditions.run.length_m).conditions.run
    if m.chosen == "star":
        alike = longest.model_dump(mode="json")
        says = f"Cut all leads to one length, {show_length(longest.length_m, plan.units)}"
        changes = [Change(f"/runs/{s.id}", alike) for s in rows]
        serve = [s.size for s in rows if not s.trial.fails] or [s.size for s in rows]
        thickest = max(serve, key=area_mm2)
        unlike = [s.id for s in rows if s.size != thickest]
        if unlike:
            says += f", of {spoken(thickest)}"
            changes += [Change(f"/fitted/{x}/size", thickest) for x in unlike]
        return Cure(says, tuple(changes))
    better = min(SCHEMES, key=lambda k: max(m.amps[k]))
    if any(s.circuit.source.body in w.placed for w in plan.walls for s in rows):
        return Cure(f"Take off by {better}, with leads of one length")
    return (
        Cure(f"Take off by {better}", (Change("/kit/takeoff", better),))
        if better != m.chosen
        else Cure("Cut all leads to one length")
    )


def share_out(
    plan: Plan, bank: Bank, pack: Pack, sized: Sequence[SizedCircuit]
) -> tuple[Sharing | None, list[Finding]]:
    """Sharing among the packs of a bus, or of a chain to its unit, the worst of several, and what
    is wrong with each; None where none share.
    """
    made = [
        _shared(x, plan, bank, pack)
        for x in _groups([s for s in sized if s.circuit.family == "pack"])
        if len(x.packs) >= max(bank.count, 2)
    ]
    if not made:
        return None, []
    found = [f for m, x in made if (f := _judged(m, x, plan, bank, pack))]
    return max((m for m, _ in made), key=lambda m: m.most.n), found


@dataclass(frozen=True, slots=True)
class _Group:
    """Packs that share: what they meet at, their runs, and each pack's end."""

    at: str
    runs: list[SizedCircuit]
    packs: list[End]

    @property
    def over_bus(self) -> bool:
        return self.at.startswith("dc-bus")


def _groups(runs: Sequence[SizedCircuit]) -> list[_Group]:
    """The packs of each bus; those in a chain by the one that leads there, which has no run of its
    own where it stands right at its unit.
    """
    leads = {s.circuit.source.body: s.circuit.load.body for s in runs}
    out: dict[str, _Group] = {}
    for s in runs:
        at = s.circuit.load.body
        while at in leads:
            at = leads[at]
        first = [] if at.startswith("dc-bus") else [s.circuit.load]
        group = out.setdefault(at, _Group(at, [], first))
        group.runs.append(s)
        group.packs.append(s.circuit.source)
    return list(out.values())


def _shared(x: _Group, plan: Plan, bank: Bank, pack: Pack) -> tuple[Sharing, _Group]:
    leads = [max(one_way_ohm(s), NO_LEAD) for s in x.runs]
    chosen, schemes = plan.kit.takeoff, SCHEMES
    if not x.over_bus:
        chosen, schemes, leads = "one end", ("one end",), [NO_LEAD, *leads]
    elif pack.form == "stack":
        chosen, schemes = "star", ("star",)
    amps = {k: shares(k, bank.resistance.n, leads, bank.i_all.n) for k in schemes}
    own = amps[chosen]
    worst = max(range(len(own)), key=lambda i: own[i])
    r = given(
        "R_lead", leads[worst], "Ω", "Its lead or jumper, one way", "conductor table and brief"
    )
    most = picked(
        "I_most",
        own[worst],
        "A",
        f"The hardest-worked pack, take-off {chosen}",
        f"nodal solution of the network of {len(own)} packs",
        bank.i_all,
        bank.resistance,
        r,
        source="Kirchhoff's laws",
    )
    numbers = tuple(e.body.removeprefix("pack-") for e in x.packs)
    return Sharing(chosen, amps, most, numbers), x


def _judged(m: Sharing, x: _Group, plan: Plan, bank: Bank, pack: Pack) -> Finding | None:
    """The hardest-worked pack of a group, over what it may give or far over the mean."""
    own = m.amps[m.chosen]
    hardest = x.packs[max(range(len(own)), key=lambda i: own[i])]
    enough = bank.i_all.n / len(own) <= pack.discharge_max_a
    cures = [Cure("Plan more packs, or limit the current in Set")]
    if enough and x.over_bus:
        cures = [_fairer(plan, x.runs, m)]
    elif enough:
        ends = "Take plus from the first pack and minus from the last, where the maker lets you"
        to_bus = Cure("Bring the packs to a bus", (Change("/kit/hookup", "bus"),))
        cures = [to_bus, Cure(ends)]
    _, _, n = x.at.partition("dc-bus-" if x.over_bus else "pack-")
    at, shown = f"bank.share.{n}" if n and n != "1" else "bank.share", (m.most,)
    if m.most.n > pack.discharge_max_a:
        says = (
            f"{hardest.label} carries {m.most.text} of the whole {bank.i_all.text}; it may give"
            f" {pack.discharge_max_a:g} A."
        )
        return stop(at, hardest.body, says, "Kirchhoff's laws; pack sheet", *cures, figures=shown)
    if m.over_mean > OVER_MEAN:
        says = f"{hardest.label} carries {m.most.text}, {m.over_mean:.0%} more than the mean: it"
        says += " ages first."
        return check(at, hardest.body, says, COMMON_PRACTICE, *cures, figures=shown)
    return None
