"""What is wrong with a termination: sizes, classes, metals, insulation, screws, studs, room to
bend, and tools that do not reach.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from functools import lru_cache

from gumboot.core.basis.figure import COMMON_PRACTICE, Figure
from gumboot.core.basis.finding import Cure, Finding, check, stop
from gumboot.core.basis.sizes import area_mm2, fits, spoken
from gumboot.core.basis.units import show_place, show_torque
from gumboot.core.basis.words import inside
from gumboot.core.codes import OutsideTable
from gumboot.core.codes.book import Code
from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import Catalogue, Controller, Inverter
from gumboot.core.kit.presumed import NOT_ENTERED
from gumboot.core.kit.terminal import Conductor, Terminal
from gumboot.core.land.listing import cable_of, rated_torque
from gumboot.core.land.termination import Termination
from gumboot.core.land.tools import Wrench, lacking
from gumboot.core.network import End
from gumboot.core.plan import Plan
from gumboot.core.size.conductors import SizedCircuit


def termination_findings(
    terminations: Sequence[Termination],
    sized: Sequence[SizedCircuit],
    plan: Plan,
    inverter: Inverter,
    catalogue: Catalogue,
    controller: Controller | None = None,
) -> list[Finding]:
    """All that follows from plan and catalogue; what the crew's own tools lack is
    `tool_findings`.
    """
    found: dict[str, Finding] = {}
    for s in sized:
        for e in (s.circuit.load, s.circuit.source):
            for conductor in s.circuit.conductors:
                for f in end_findings(s, e, conductor, plan, catalogue):
                    found.setdefault(f.key, f)
    return [
        *found.values(),
        *screw_findings(terminations, sized, plan, inverter, controller),
        *lug_findings(terminations, catalogue),
    ]


def end_findings(
    s: SizedCircuit, e: End, conductor: Conductor, plan: Plan, catalogue: Catalogue
) -> Iterator[Finding]:
    """One kind of conductor at one end of a circuit."""
    t, place = e.terminal(conductor), s.id
    earth = conductor == "PE"
    size = str(s.protective.value) if earth else s.size
    cable = cable_of(s, conductor, plan, catalogue)
    at = f"{e.label}, {t.label}"
    key = f"{s.id}.{e.body}.{t.id}"
    if earth and not fits(size, t.least, t.most):
        yield stop(
            f"{key}.range",
            place,
            f"{at} takes {spoken(t.least)} to {spoken(t.most)}; the earth conductor is"
            f" {spoken(size)}.",
            t.source,
            Cure("Land it on an earth bar that takes it, and bond that bar"),
        )
    if cable.material not in t.metals:
        yield stop(
            f"{key}.metal",
            place,
            f"{at} is for {' and '.join(t.metals)} only; the conductor is {cable.material}.",
            t.source,
            Cure("Run this circuit in copper, or fit a listed adapter"),
        )
    if cable.strands not in t.strands and t.end != "ferrule":
        words = {"solid": "solid", "stranded": "stranded", "fine": "fine-strand"}
        takes = " or ".join(words[x] for x in t.strands)
        cure = (
            Cure("Crimp a ferrule on, where the maker allows one")
            if cable.strands == "fine"
            else Cure(f"Splice to a {takes} tail, or use {takes} cable")
        )
        yield check(
            f"{key}.strands",
            place,
            f"{at} takes {takes} conductors; this one is {words[cable.strands]}.",
            t.source,
            cure,
        )
    if t.insulation_c and cable.temp_c < t.insulation_c:
        yield check(
            f"{key}.insulation",
            place,
            f"{at} asks for insulation of {t.insulation_c} °C; the cable has {cable.temp_c} °C.",
            t.source,
            Cure(f"Use cable of {t.insulation_c} °C, still sized by its {t.temp_c} °C column"),
        )
    if t.screwed and t.source != NOT_ENTERED and rated_torque(t, size) is None:
        says = (
            f"No torque is known for {at}: its maker gives none, and the book has none for"
            f" {spoken(size)} with {t.bit}."
        )
        yield stop(
            f"{key}.torque",
            place,
            says,
            "NEC Annex I; IEC 60947-1 Table 4",
            Cure(
                "Read the terminal's own plate, ask its maker, and put the torque into the"
                " catalogue"
            ),
        )
    if s.sets > t.holds * t.screws and not earth:
        yield stop(
            f"{key}.holds",
            place,
            f"{s.sets} conductors would come under one screw at {at}, which holds {t.holds}.",
            t.source,
            Cure("Run one set of a larger size, or land the sets on a bar"),
        )
    if t.room_mm:
        need = bend_room(size, plan.code)
        if need and need.n > t.room_mm + 0.05:
            says = (
                f"{spoken(size)} needs {show_place(need.n, plan.units)} to bend before {at}; there"
                f" is {show_place(t.room_mm, plan.units)}."
            )
            yield check(
                f"{key}.bend",
                place,
                says,
                need.source,
                Cure("Enter from the far side, or fit a larger box before it"),
                Cure("Use a finer-stranded cable where the code official agrees"),
                figures=(need,),
            )


@lru_cache(maxsize=256)
def bend_room(size: str, code: Code) -> Figure | None:
    """Room in mm to bend one conductor before its terminal, by the book; None where it has none."""
    try:
        return BOOKS[code].bend(size)
    except (OutsideTable, ValueError):
        return None


def screw_findings(
    terminations: Sequence[Termination],
    sized: Sequence[SizedCircuit],
    plan: Plan,
    inverter: Inverter,
    controller: Controller | None,
) -> Iterator[Finding]:
    """Screws enough: on the earth bars of inverters and charge controllers, and on every terminal
    that several circuits share.
    """
    kit = plan.kit
    own: list[tuple[str, str, int]] = [
        (f"inverter-{n}", f"inverter {n}", inverter.earth_screws)
        for n in range(1, kit.inverters + 1)
    ]
    for n in range(1, kit.controllers_fitted + 1 if controller else 0):
        screws = controller.earth_screws if controller else 1
        own.append((f"controller-{n}", f"charge controller {n}", screws))
    for body, name, screws in own:
        used = sum(t.body == body and t.conductor == "PE" for t in terminations)
        if used > screws:
            has = "1 screw" if screws == 1 else f"{screws} screws"
            yield check(
                f"{body}.earth-screws",
                body,
                f"{used} earth conductors come to {name}; its bar has {has} and takes one"
                " conductor a screw.",
                COMMON_PRACTICE,
                Cure(f"Fit a separate earth bar and bond it to the {name.rpartition(' ')[0]}"),
            )
    on: dict[tuple[str, str, str], tuple[Terminal, int]] = {}
    labels = {e.body: e.label for s in sized for e in (s.circuit.load, s.circuit.source)}
    for s in sized:
        for e in (s.circuit.load, s.circuit.source):
            for c in s.circuit.conductors:
                t = e.terminal(c)
                if not e.body.startswith(("inverter", "controller")) or c != "PE":
                    port = "" if t.screws > 1 else e.port
                    on[e.body, port, t.id] = (t, on.get((e.body, port, t.id), (t, 0))[1] + s.sets)
    for (body, port, _), (t, count) in on.items():
        most = t.holds * t.screws
        known = t.source != NOT_ENTERED  # else its sheet is asked for
        if known and count > most and (t.screws > 1 or t.end != "lug"):
            where = f"{inside(labels[body])}, {t.label}{f' of {port}' if port else ''}"
            says = f"{count} conductors come to {where}, which holds {most}."
            yield check(
                f"{body}.{port or 'bar'}.{t.id}.screws",
                body,
                says,
                t.source,
                Cure("Fit a second bar, or join them before it"),
            )


def lug_findings(terminations: Sequence[Termination], catalogue: Catalogue) -> Iterator[Finding]:
    """A lug or ferrule for every size, and a lug with the stud's hole."""
    for method, chart in (("lug", catalogue.lugs), ("ferrule", catalogue.ferrules)):
        for size in sorted(
            {t.size for t in terminations if t.method == method and t.size not in chart},
            key=area_mm2,
        ):
            unknown = "strip length and die" if method == "lug" else "sleeve and crimper"
            says = (
                f"No {method} for {spoken(size)} is on the shelf, so its {unknown} are not known."
            )
            yield check(
                f"{method}.{size}",
                "catalogue",
                says,
                "catalogue",
                Cure(f"Enter the {method} on the shelf, or fit another size"),
            )
    for (size, stud), t in {(t.size, t.stud): t for t in terminations if t.stud}.items():
        lug = catalogue.lugs.get(size)
        if lug and lug.studs and stud not in lug.studs:
            says = f"{t.place}, {t.terminal}: no lug for {spoken(size)} has an {stud} hole."
            yield check(
                f"lug.{size}.{stud}",
                t.circuit,
                says,
                "catalogue",
                Cure(
                    "Order a lug with that hole, or fit a size that has one; never drill a lug out"
                ),
            )


def tool_findings(
    terminations: Sequence[Termination], wrenches: Sequence[Wrench], plan: Plan, day: date
) -> list[Finding]:
    """Torques that nobody's tool reaches on a day, told before the day."""
    rows = lacking(terminations, wrenches, day)
    if not rows:
        return []
    what = "; ".join(
        f"{show_torque(x.torque_nm, plan.units)} with {x.bit} ({x.terminations}"
        f" termination{'s' if x.terminations > 1 else ''})"
        for x in rows
    )
    return [
        check(
            "tools.none-reaches",
            "tools",
            f"No tool of the crew, in date, reaches {what}.",
            "20 to 100 % of the scale, common practice; ISO 6789-1",
            Cure("Buy or borrow what Tools lists, or renew a calibration, before the day"),
        )
    ]
