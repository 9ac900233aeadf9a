"""Where neutral meets earth, state by state, and where two sources could meet.

Grid on:    the service's own bond, and no other.
Islanded:   exactly one, of: the service's (neutral solid through the changeover), the inverter's
relay, the gateway's relay, the loads panel's.
Generator:  exactly one: as islanded, and the generator's own where its neutral is bonded to its
frame.
"""

from __future__ import annotations

from dataclasses import dataclass

from gumboot.core.basis.finding import Change, Cure, Finding, check, stop
from gumboot.core.codes import nec
from gumboot.core.kit import Gateway, Inverter
from gumboot.core.plan import Plan

RULES = {
    "nec-2023": f"{nec.BOOK} 250.24, 250.30, 250.34",
    "iec-60364": "IEC 60364-8-82, 60364-5-54",
}
MEETS = {"nec-2023": f"{nec.BOOK} 702.5, 705.40", "iec-60364": "IEC 60364-5-55 551.7"}
NAMES = {
    "service": "the service",
    "inverter": "the inverter's relay",
    "gateway": "the gateway's relay",
    "loads panel": "the loads panel",
    "generator": "the generator's frame",
}


@dataclass(frozen=True, slots=True)
class Bonds:
    """The places of the neutral-earth bond in each state; exactly one in each is right."""

    grid: tuple[str, ...]
    islanded: tuple[str, ...]
    generator: tuple[str, ...]

    def states(self) -> tuple[tuple[str, tuple[str, ...]], ...]:
        """Each state that the job has, with its bonds."""
        return tuple(
            (n, p)
            for n, p in (
                ("grid on", self.grid),
                ("islanded", self.islanded),
                ("on the generator", self.generator),
            )
            if p != ("-",)
        )


def bonds_of(plan: Plan, gateway: Gateway | None) -> Bonds:
    """Who bonds neutral to earth on the backed-up side, in each state."""
    off_grid = plan.supply.kind == "off-grid"
    switched = gateway.neutral == "switched" if gateway else plan.backup.neutral == "switched"
    bond = plan.backup.bond
    islanded: tuple[str, ...] = ("service",) if not off_grid and not switched else ()
    islanded += (bond,) if bond != "service" else ()
    grid = (
        ("-",) if off_grid else ("service",) + (("loads panel",) if bond == "loads panel" else ())
    )
    generator = plan.kit.generator
    running = (
        ("-",) if generator is None else islanded + (("generator",) if generator.bonded else ())
    )
    return Bonds(grid, islanded if plan.backup.loads != "nothing" or off_grid else ("-",), running)


def bond_findings(plan: Plan, inverter: Inverter, gateway: Gateway | None) -> list[Finding]:
    """None or two bonds in any state is a stop, with the switch to throw; one is still to be
    measured.
    """
    bonds, rule = bonds_of(plan, gateway), RULES[plan.code]
    found: list[Finding] = []
    place = (
        "gateway"
        if gateway
        else "transfer-switch"
        if plan.supply.kind != "off-grid"
        else "loads-panel"
    )
    for state, places in bonds.states():
        if len(places) == 1:
            continue
        key = {
            "grid on": "bond.grid",
            "islanded": "bond.island",
            "on the generator": "bond.generator",
        }[state]
        if not places:
            says = (
                f"With the house {state}, neutral is bonded to earth nowhere: no protective device"
                " could clear an earth fault."
            )
        else:
            says = (
                f"With the house {state}, neutral is bonded to earth {len(places)} times, by"
                f" {' and by '.join(NAMES[p] for p in places)}: neutral current would run in the"
                " earth conductors."
            )
        found.append(
            stop(key, place, says, rule, *_bond_cures(state, places, plan, inverter, gateway))
        )
    if plan.backup.bond == "inverter" and not inverter.bond_relay:
        found.append(
            stop(
                "bond.relay",
                "inverter-1",
                f"{inverter.model} has no neutral-earth relay.",
                "inverter sheet",
                Cure("Choose another place for the bond"),
            )
        )
    if plan.backup.bond == "gateway" and not (gateway and gateway.bond_relay):
        found.append(
            stop(
                "bond.relay",
                place,
                "No gateway with a neutral-earth relay is planned.",
                "gateway sheet",
                Cure("Choose another place for the bond"),
            )
        )
    if not any(f.key.startswith("bond.") for f in found) and bonds.islanded != ("-",):
        who = NAMES[bonds.islanded[0]]
        when = "In an outage" if plan.supply.kind != "off-grid" else "Here"
        says = (
            f"{when} neutral is bonded to earth once, by {who}; every other bond must be off or"
            " absent."
        )
        found.append(
            check(
                "bond.one",
                place,
                says,
                rule,
                Cure(
                    "Measure neutral to earth in every position of the changeover, and with the"
                    " generator plugged in"
                ),
            )
        )
    return found


def _bond_cures(
    state: str, places: tuple[str, ...], plan: Plan, inverter: Inverter, gateway: Gateway | None
) -> list[Cure]:
    cures: list[Cure] = []
    if state == "on the generator" and "generator" in places and len(places) > 1:
        return [
            Cure(
                "Use a generator whose neutral floats, or take its bonding strap out and label it",
                (Change("/kit/generator/bonded", False),),
            )
        ]
    own = next(
        (
            x
            for x, has in (
                ("gateway", gateway is not None and gateway.bond_relay),
                ("inverter", inverter.bond_relay),
            )
            if has
        ),
        None,
    )
    off_grid = plan.supply.kind == "off-grid"
    if not places:
        if own:
            cures.append(Cure(f"Let {NAMES[own]} make the bond", (Change("/backup/bond", own),)))
        elif off_grid:
            cures.append(
                Cure("Bond neutral in the loads panel", (Change("/backup/bond", "loads panel"),))
            )
        if gateway is None and not off_grid:
            cures.append(
                Cure(
                    "Use a changeover that leaves neutral solid",
                    (Change("/backup/neutral", "solid"),),
                )
            )
    elif "service" in places and plan.backup.bond != "service":
        cures.append(
            Cure("Leave the bond at the service alone", (Change("/backup/bond", "service"),))
        )
        if gateway is None and plan.backup.bond != "loads panel":
            cures.append(
                Cure(
                    "Use a changeover that switches neutral too",
                    (Change("/backup/neutral", "switched"),),
                )
            )
    return cures or [Cure("Choose a gateway or an inverter that can make the bond")]


def meeting_findings(plan: Plan, inverter: Inverter, gateway: Gateway | None) -> list[Finding]:
    """Two sources on one bus: a stop with the cure named. Where a listed device keeps them apart, a
    check to see it on site.
    """
    rule, found, kit = MEETS[plan.code], list[Finding](), plan.kit
    off_grid = plan.supply.kind == "off-grid"
    if off_grid and inverter.backup is None:
        says = f"{inverter.model} has no output of its own: off grid it would feed nothing."
        found.append(
            stop(
                "source.island",
                "inverter-1",
                says,
                rule,
                Cure("Choose an inverter-charger, or a hybrid with a backup port"),
            )
        )
    changed = plan.backup.loads in ("whole house", "transfer-switched circuits")
    if (
        not off_grid
        and gateway is None
        and inverter.backup is None
        and plan.backup.loads != "nothing"
    ):
        says = (
            f"{inverter.model} has no backup port, and no gateway is planned: in an outage it would"
            " feed the street, or nothing."
        )
        found.append(
            stop(
                "source.island",
                "main-panel",
                says,
                rule,
                Cure("Choose a gateway that fits"),
                Cure("Back nothing up", (Change("/backup/loads", "nothing"),)),
            )
        )
    elif not off_grid and gateway is None and changed and inverter.backup is not None:
        if plan.backup.changeover == "loose breakers":
            says = (
                "Two breakers without an interlock let grid and inverter meet on one bus: the"
                " inverter is destroyed, or the street is back-fed."
            )
            cures = [
                Cure(f"Fit {w}", (Change("/backup/changeover", v),))
                for w, v in (
                    ("a listed transfer switch", "transfer switch"),
                    ("an interlock between the two breakers", "interlocked breakers"),
                )
            ]
            found.append(stop("source.meet", "transfer-switch", says, rule, *cures))
        else:
            says = (
                "Grid and inverter output must never meet on one bus: the changeover has to break"
                " before it makes."
            )
            found.append(
                check(
                    "source.meet",
                    "transfer-switch",
                    says,
                    rule,
                    Cure(
                        "See on site that both positions cannot be on together; never a pair of"
                        " breakers without interlock"
                    ),
                )
            )
    if kit.generator:
        found += _generator_findings(plan, inverter, rule)
    if kit.existing_pv and kit.existing_pv.side == "backup side":
        found += _existing_findings(plan, inverter, rule)
    return found


def _generator_findings(plan: Plan, inverter: Inverter, rule: str) -> list[Finding]:
    generator, found = plan.kit.generator, list[Finding]()
    assert generator is not None  # noqa: S101 - the caller looked
    if generator.lands != "inverter" and not generator.interlock:
        says = (
            "The generator's breaker and the panel's main have no interlock: generator and inverter"
            " can meet on one bus."
        )
        found.append(
            stop(
                "source.generator",
                "loads-panel",
                says,
                rule,
                Cure("Fit an interlock plate", (Change("/kit/generator/interlock", True),)),
            )
        )
    if (
        generator.lands != "loads panel"
        and inverter.generator is None
        and not (plan.supply.kind == "off-grid" and inverter.grid)
    ):
        says = f"{inverter.model} has no input for a generator."
        found.append(
            stop(
                "generator.port",
                "generator",
                says,
                "inverter sheet",
                Cure(
                    "Land it in the loads panel behind an interlock",
                    (Change("/kit/generator/lands", "loads panel"),),
                ),
            )
        )
    if generator.lands != "loads panel" and generator.power_w <= inverter.power_w:
        says = (
            f"The generator gives {generator.power_w / 1000:g} kW and the inverter it feeds is one"
            f" of {inverter.power_w / 1000:g} kW: loads and charger together stall it."
        )
        found.append(
            stop(
                "generator.small",
                "generator",
                says,
                "common practice",
                Cure(f"Choose a generator above {inverter.power_w / 1000:g} kW"),
            )
        )
    return found


def _existing_findings(plan: Plan, inverter: Inverter, rule: str) -> list[Finding]:
    """A PV inverter on the backed-up side: in an outage the battery inverter must take what it
    gives, and be able to throttle it.
    """
    pv, found = plan.kit.existing_pv, list[Finding]()
    assert pv is not None  # noqa: S101 - the caller looked
    power = plan.kit.inverters * inverter.power_w
    if pv.power_w > power:
        says = (
            f"In an outage the {pv.power_w / 1000:g} kW PV inverter can push more than the"
            f" {power / 1000:g} kW the battery inverter takes in."
        )
        found.append(
            stop(
                "pv.island",
                "pv-inverter",
                says,
                "common practice",
                Cure(
                    "Move the PV inverter to the grid side",
                    (Change("/kit/existing_pv/side", "grid side"),),
                ),
            )
        )
    if pv.obeys_frequency == "no":
        says = (
            "The PV inverter does not obey a rising frequency: with a full battery in an outage"
            " nothing could hold it back."
        )
        found.append(
            stop(
                "pv.frequency",
                "pv-inverter",
                says,
                "EN 50549-1 4.6; common practice",
                Cure(
                    "Move the PV inverter to the grid side",
                    (Change("/kit/existing_pv/side", "grid side"),),
                ),
            )
        )
    elif pv.obeys_frequency == "unknown":
        says = (
            "It is not known whether the PV inverter lowers its output when frequency rises:"
            " islanded, that is all that protects a full battery."
        )
        found.append(
            check(
                "pv.frequency",
                "pv-inverter",
                says,
                "EN 50549-1 4.6; common practice",
                Cure(
                    "Read its grid settings, then say so in Brief",
                    (Change("/kit/existing_pv/obeys_frequency", "yes"),),
                ),
            )
        )
    return found


def shutdown_findings(plan: Plan) -> list[Finding]:
    """The array made dead from the ground. NEC 690.12."""
    if plan.code != "nec-2023" or not any(s.mounting == "roof" for s in plan.strings):
        return []
    says = (
        "Conductors on a roof must be brought to a safe voltage by a switch at ground level; that"
        " switch is not in this plan."
    )
    return [
        check(
            "pv.rapid-shutdown",
            "array",
            says,
            f"{nec.BOOK} 690.12",
            Cure("Confirm the rapid-shutdown equipment and its initiator with the inspector"),
        )
    ]
