"""Where neutral meets earth: exactly one bond in every state of the switches, and one that may be
relied on.

An island may not rely on the network's own bond under the IEC: the network's conductors may be what
failed. It wants a bond and an electrode of its own (60364-5-55 551.4.3.2.1).
"""

from __future__ import annotations

from typing import Literal

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Asked, Change, Cure, Finding, Level, check, duty, stop
from gumboot.core.kit import Gateway, Inverter
from gumboot.core.network.bonds import Bonded
from gumboot.core.network.shape import CHANGED_OVER
from gumboot.core.plan import Plan

WHEN = {
    "grid on": "With the grid on",
    "islanded": "In an island",
    "on the generator": "On the generator",
}
N_PE_V = 5.0  # neutral to earth with one bond and little load: common practice
KEYS = {"grid on": "bond.grid", "islanded": "bond.island", "on the generator": "bond.generator"}
OWN_BOND = "IEC 60364-5-55 551.4.3.2.1"


def bond_findings(
    plan: Plan, inverter: Inverter, gateway: Gateway | None, rows: tuple[Bonded, ...]
) -> list[Finding]:
    """None or two bonds in any state is a stop, with the switch to throw; one is still to be
    measured.
    """
    rule, place = plan.book.clauses["bond"], _place(plan, gateway)
    if lacking := _no_relay(plan, inverter, gateway, place):
        return lacking
    found: dict[str, Finding] = {}
    for x in rows:
        if len(x.bonds) != 1:
            cures = _cures(x, plan, inverter, gateway)
            key = KEYS[x.state]
            found.setdefault(key, stop(key, place, _says(x), rule, *cures))
    if found:
        return list(found.values())
    leans = _relied_on(plan, inverter, gateway, rows, place)
    if any(f.level is Level.STOP for f in leans):
        return leans
    return [*leans, *_once(plan, rows, rule, place)]


def _place(plan: Plan, gateway: Gateway | None) -> str:
    if gateway:
        return "gateway"
    return "transfer-switch" if plan.supply.kind != "off-grid" else "loads-panel"


def _says(x: Bonded) -> str:
    thrown = f", the changeover in its {x.stands[0]}" if x.stands else ""
    if not x.bonds:
        return (
            f"With the house {x.state}{thrown}, neutral is bonded to earth nowhere: no protective"
            " device could clear an earth fault."
        )
    names = " and by ".join(b.name for b in x.bonds)
    return (
        f"With the house {x.state}{thrown}, neutral is bonded to earth {len(x.bonds)} times, by"
        f" {names}: neutral current would run in the earth conductors."
    )


def _no_relay(plan: Plan, inverter: Inverter, gateway: Gateway | None, place: str) -> list[Finding]:
    """A relay is planned that the kit does not have. Where nothing is backed up no island wants
    one.
    """
    own = _own(inverter, gateway)
    on_grid = plan.supply.kind != "off-grid"
    if on_grid and plan.backup.loads == "nothing":
        return []
    at = own or ("service" if on_grid else "loads panel")
    words = {**NAMES, "service": "the service", "loads panel": "the loads panel"}[at]
    elsewhere = [Cure(f"Let {words} make the bond", (Change("/backup/bond", at),))]
    if own is None and on_grid and plan.book.own_bond:  # an island may not lean on the network
        elsewhere = [
            Cure("Choose a gateway or an inverter that can make the bond"),
            Cure("Back nothing up", (Change("/backup/loads", "nothing"),)),
        ]
    if plan.backup.bond == "inverter" and not inverter.bond_relay:
        says = f"{inverter.model} has no neutral-earth relay."
        return [stop("bond.relay", "inverter-1", says, "inverter sheet", *elsewhere)]
    if plan.backup.bond == "gateway" and not (gateway and gateway.bond_relay):
        says = "No gateway with a neutral-earth relay is planned."
        return [stop("bond.relay", place, says, "gateway sheet", *elsewhere)]
    return []


def _own(inverter: Inverter, gateway: Gateway | None) -> str | None:
    """Who of the kit can make a bond in an island."""
    if gateway is not None and gateway.bond_relay:
        return "gateway"
    return "inverter" if inverter.bond_relay else None


NAMES = {"gateway": "the gateway's relay", "inverter": "the inverter's relay"}


def _relied_on(
    plan: Plan,
    inverter: Inverter,
    gateway: Gateway | None,
    rows: tuple[Bonded, ...],
    place: str,
) -> list[Finding]:
    """An island that leans on the network, or has no electrode of its own, where the book minds."""
    islanded = next((x for x in rows if x.state == "islanded"), None)
    if not plan.book.own_bond or plan.supply.kind == "off-grid" or islanded is None:
        return []
    if islanded.bonds[0].id == "service":
        says = (
            "In an outage neutral is bonded to earth only by the network, whose conductors may be"
            " what failed."
        )
        own = _own(inverter, gateway)
        switched = (Change("/backup/neutral", "switched"),) if gateway is None else ()
        cure = (
            Cure(f"Let {NAMES[own]} make the bond", (Change("/backup/bond", own), *switched))
            if own and (switched or plan.backup.bond != own)
            else Cure("Choose a gateway or an inverter that parts from the network and bonds")
        )
        nothing = Cure("Back nothing up", (Change("/backup/loads", "nothing"),))
        return [
            stop("bond.network", place, says, OWN_BOND, cure, *(() if cure.changes else (nothing,)))
        ]
    return _electrode(plan)


def _electrode(plan: Plan) -> list[Finding]:
    supply = plan.supply
    if supply.earthing == "TT" or supply.electrode == "own":
        return []
    there = Cure("It has one, measured", (Change("/supply/electrode", "own"),))
    if supply.electrode == "none":
        says = "The installation has no earth electrode of its own: an island would have no earth."
        cure = Cure("Plan an electrode", (Change("/supply/electrode", "own"),))
        return [stop("bond.electrode", "main-panel", says, OWN_BOND, cure)]
    says = (
        "Whether the installation has an earth electrode of its own is not known; an island needs"
        " one."
    )
    return [check("bond.electrode", "main-panel", says, OWN_BOND, there)]


def _once(plan: Plan, rows: tuple[Bonded, ...], rule: str, place: str) -> list[Finding]:
    """One bond in every state: each is to be measured."""
    by_state = {x.state: x for x in rows}
    asked = Asked("Prove", "voltage", most=N_PE_V)
    out = []
    for state, x in by_state.items():
        says = (
            f"{WHEN[state]}, neutral is bonded to earth once, by {x.bonds[0].name},"
            f" and every other bond is off or absent: neutral to earth reads {N_PE_V:g} V at most."
        )
        key, by = f"bond.one.{state.replace(' ', '-')}", f"{rule}; {N_PE_V:g} V: {COMMON_PRACTICE}"
        out.append(duty(key, place, says, by, asked))
    return out


def _neutral(plan: Plan, does: Literal["opens", "leaves"]) -> str:
    """What is to part house and grid so: the changeover, else the unit itself."""
    words = {"opens": "switches neutral too", "leaves": "leaves neutral solid"}
    if plan.backup.loads in CHANGED_OVER:
        return f"Use a changeover that {words[does]}"
    return f"Plan it so that the unit itself {words[does]}: its manual has to say so"


def _cures(x: Bonded, plan: Plan, inverter: Inverter, gateway: Gateway | None) -> list[Cure]:
    ids = [b.id for b in x.bonds]
    if x.state == "on the generator" and "generator" in ids and len(ids) > 1:
        says = "Use a generator whose neutral floats, or take its bonding strap out and label it"
        return [Cure(says, (Change("/kit/generator/bonded", False),))]
    cures: list[Cure] = []
    own = _own(inverter, gateway)
    off_grid = plan.supply.kind == "off-grid" or (inverter.grid is None and gateway is None)
    if x.state == "on the generator" and not ids:
        says = "Use a generator whose neutral is bonded to its frame, with an electrode there"
        cures.append(Cure(says, (Change("/kit/generator/bonded", True),)))
    if not ids:
        if own and plan.backup.bond != own:
            cures.append(Cure(f"Let {NAMES[own]} make the bond", (Change("/backup/bond", own),)))
        elif off_grid:
            cure = Change("/backup/bond", "loads panel")
            cures.append(Cure("Bond neutral in the loads panel", (cure,)))
        opens = plan.backup.neutral == "switched" and inverter.neutral != "switched"
        if gateway is None and not off_grid and opens:
            cure = Change("/backup/neutral", "solid")
            cures.append(Cure(_neutral(plan, "leaves"), (cure,)))
    elif "service" in ids and plan.backup.bond != "service":
        opens = gateway is not None and gateway.neutral == "switched"
        parts = opens and inverter.neutral != "solid"
        if own and plan.backup.bond != own and parts:
            cures.append(Cure(f"Let {NAMES[own]} make the bond", (Change("/backup/bond", own),)))
        if off_grid or not plan.book.own_bond:  # else an island would lean on the network
            cure = Change("/backup/bond", "service")
            cures.append(Cure("Leave the bond at the service alone", (cure,)))
        if gateway is None and plan.backup.bond != "loads panel" and inverter.neutral != "solid":
            cure = Change("/backup/neutral", "switched")
            cures.append(Cure(_neutral(plan, "opens"), (cure,)))
    if not any(c.changes for c in cures) and not off_grid:
        nothing = Cure("Back nothing up", (Change("/backup/loads", "nothing"),))
        choose = Cure("Choose a gateway or an inverter that can make the bond")
        return [*cures, choose, nothing]
    return cures or [Cure("Choose a gateway or an inverter that can make the bond")]
