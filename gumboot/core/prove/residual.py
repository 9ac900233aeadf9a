"""Residual-current devices, on the grid and where the unit alone feeds them.

t(I_Δn) ≤ 300 ms, type S 130 to 500 ms      IEC 61008-1
0.5 · I_Δn < I ≤ I_Δn                       IEC 61008-1, 9.9
"""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import MEMORY, given
from gumboot.core.basis.finding import Finding
from gumboot.core.design import Design
from gumboot.core.network.guards import host
from gumboot.core.prove.due import LIVE, Due, Stage
from gumboot.core.size.safeguards import DELAYED_MS, TRIPS_MS, lives, residuals, where

WAITS_MS = 130.0  # a delayed device lets others go first: IEC 61008-1, from memory


def residual_dues(
    d: Design, stage: Stage, stands: str, duties: dict[str, Finding]
) -> Iterator[Due]:
    """Every residual-current device: how soon, and at how much."""
    if not d.plan.book.loops:
        return
    island = stage == "In the island"
    bodies = {b.id: b for b in d.bodies}
    circuits = {x.id: x.circuit for x in d.circuits}
    for n, s in residuals(d.plan):
        if island and not lives(d.plan, d.circuits, s):
            continue
        most = DELAYED_MS if s.delayed else TRIPS_MS
        least = WAITS_MS if s.delayed else 0.0
        key = f"rcd.{n}.{'island' if island else 'grid'}"
        closes = f"rcd.{n}.trips" if island or not lives(d.plan, d.circuits, s) else ""
        at, named = host(s, bodies, circuits), where(s, d.circuits)
        yield Due(
            f"{key}.time",
            stage,
            f"{s.trip_ma} mA device at {named}{', in the island' if island else ''}: how soon it"
            " trips",
            "ms",
            "residual-current tester",
            (
                f"At {s.trip_ma} mA, both half-waves; a type B also with smooth direct current.",
                "The longer time.",
                *(island_words(d) if island else ()),
            ),
            stands,
            "IEC 60364-6 6.4.3.8; times IEC 61008-1",
            place=at,
            who="a licensed person",
            hazard=f"{LIVE} Loads on it go dark.",
            expects=f"{least:g} to {most:g} ms" if least else f"{most:g} ms at most",
            least=least,
            most=most,
            limit=given("t", most, "ms", "Trips within", "IEC 61008-1", MEMORY),
            duty=closes if closes in duties else "",
            problem="rcd_trips",
            probes=("L", "PE"),
        )
        if not island or d.plan.supply.kind == "off-grid":
            yield Due(
                f"{key}.ramp",
                stage,
                f"{s.trip_ma} mA device at {named}: at how much it trips",
                "milliamp",
                "residual-current tester, ramp",
                ("Loads off: their leakage counts.",),
                stands,
                "IEC 60364-6 6.4.3.8; IEC 61008-1",
                place=at,
                who="a licensed person",
                hazard=LIVE,
                expects=f"{s.trip_ma / 2:g} to {s.trip_ma:g} mA",
                least=s.trip_ma / 2,
                most=float(s.trip_ma),
                problem="rcd_trips",
                probes=("L", "PE"),
            )


def island_words(d: Design) -> tuple[str, ...]:
    """What a short draws in the island beside what trips a breaker: where none trips, this device
    is what protects.
    """
    rows = [x for x in d.loops if x.islanded is not None and x.islanded.n < x.trip.n]
    if not rows:
        return ()
    x = min(rows, key=lambda x: x.islanded.n if x.islanded else 0.0)
    assert x.islanded is not None  # noqa: S101 - chosen so
    return (
        f"The units push {x.islanded.text} into a short; a breaker wants {x.trip.text} and does not"
        " trip at once: this device is what protects.",
    )
