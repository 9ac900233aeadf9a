"""IEC 60364: a cable is read by the method of its place and its cores, its company and its ends."""

from types import SimpleNamespace

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.codes import iec
from gumboot.core.kit import Catalogue, Inverter
from gumboot.core.plan import Plan
from gumboot.core.size.loops import hot
from gumboot.demo.plans import JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN
from tests.core.codes.test_iec_tables import table
from tests.designs import design
from tests.shapes import other

BOOK = catalogue()


def sized(document, id, book=BOOK, **changes):
    d = design(Plan.model_validate(other(document, **changes)), book)
    return next(s for s in d.circuits if s.id == id)


def shelf(**cables):
    """The shelf with cables changed, by id."""
    rows = [
        c.model_copy(update=cables[c.id.replace("-", "_")])
        if c.id.replace("-", "_") in cables
        else c
        for c in BOOK.conductors
    ]
    rest = [
        *BOOK.inverters.values(),
        *BOOK.gateways.values(),
        *BOOK.packs.values(),
        *BOOK.modules.values(),
        *BOOK.devices,
    ]
    return Catalogue([*rest, *rows])


@pytest.mark.parametrize(
    ("method", "multi", "single"), [("A1", 26, 26), ("B1", 30, 32), ("C", 36, 36)]
)
def test_a_cable_of_cores_has_its_own_method(method, multi, single):
    """4 mm², PVC, two loaded, 30 °C: B1 32 A, B2 30 A; A1 26 A, A2 25 A (Table B.52.2, from
    memory). The grouping and ambient of the place are taken out by asking the table's cell.
    """
    runs = {**MOSSBANK_TERRACE["runs"], "grid": {"length_m": 4, "method": method}}
    fix = {"grid-1": {"size": "4 mm²"}}
    s = sized(MOSSBANK_TERRACE, "grid-1", runs=runs, fitted=fix)
    cell = next(f for f in s.trial.in_place.walk() if f.symbol == "I_t")
    want = {"A1": 25, "B1": 30, "C": 36}[method]
    assert cell.n == want and s.cable.cores == "multi"
    one = shelf(installation_cable={"cores": "single"})
    alone = sized(MOSSBANK_TERRACE, "grid-1", one, runs=runs, fitted=fix)
    assert next(f for f in alone.trial.in_place.walk() if f.symbol == "I_t").n == single


@pytest.mark.parametrize(("sets", "factor"), [(1, 1.0), (2, 0.85), (3, 0.79)])
def test_sets_in_parallel_count_as_circuits(sets, factor):
    """Table B.52.17 item 2: two on a wall 0.85, three 0.79; 2 × 10 mm² carry 136 A of 160."""
    assert iec.group_factor(sets, "C").n == factor
    runs = {
        **MOSSBANK_TERRACE["runs"],
        "loads": {"length_m": 4, "method": "C", "parallel": sets, "ambient_c": 30},
    }
    s = sized(MOSSBANK_TERRACE, "loads", runs=runs)
    group = next(f for f in s.trial.in_place.walk() if f.symbol == "k_g")
    assert s.sets == sets and group.n == factor


def test_terminals_at_seventy_degrees():
    """Table 52.1: XLPE of 25 mm² singles in free air carries 161 A, its 70 °C terminals 131 A (PVC,
    method F); marked for 90 °C they take it whole.
    """
    assert (
        iec.ampacity("25 mm²", 90, "F", 2).n == 161 and iec.ampacity("25 mm²", 70, "F", 2).n == 131
    )
    hot = shelf(installation_cable={"temp_c": 90, "cores": "single"})
    runs = {
        **MOSSBANK_TERRACE["runs"],
        "loads": {"length_m": 4, "method": "F", "ambient_c": 30},
    }
    fix = {"loads": {"size": "25 mm²"}}
    s = sized(MOSSBANK_TERRACE, "loads", hot, runs=runs, fitted=fix)
    assert s.trial.in_place.n == 161 and s.trial.at_terminal.n == 131
    assert "70 °C terminals" in s.trial.terminals


def test_cables_in_the_ground_group_harder_than_in_a_duct():
    """B.52.18 against B.52.17 item 1, from memory: touching in the ground is never better."""
    for n in range(2, 7):
        assert iec.group_factor(n, "D2").n < iec.group_factor(n, "B1").n
        assert iec.group_factor(n, "B1").n - iec.group_factor(n, "D2").n < 0.11
    rows = [float(r["buried"]) for r in table("iec_b_52_18")]
    assert rows == sorted(rows, reverse=True)


def test_earth_of_a_battery_by_its_fault():
    """543.1.2: 57.6 V over 10 mΩ is 5.76 kA; for 0.02 s at k = 115 or 143: 7.1 or 5.7 mm²."""
    s = sized(MOSSBANK_TERRACE, "battery-1")
    fault = s.circuit.fault
    k = iec.K_PE[s.cable.temp_c if s.cable.temp_c in iec.K_PE else 70]
    need = (fault.n**2 * 0.02) ** 0.5 / k
    area = float(str(s.protective.value).removesuffix(" mm²"))
    smaller = [float(x.removesuffix(" mm²")) for x in iec.SIZES]
    assert area >= need and max(a for a in smaller if a < area) < max(need, 4)
    assert s.protective.source.endswith("543.1.2")


def test_the_least_that_an_earth_terminal_takes_is_fitted():
    unit = BOOK.inverters["fenwright-a5"]
    thick = unit.model_copy(update={"earth": unit.earth.model_copy(update={"least": "10 mm²"})})
    rest = [
        *BOOK.gateways.values(),
        *BOOK.packs.values(),
        *BOOK.modules.values(),
        *BOOK.devices,
        *BOOK.conductors,
    ]
    s = sized(MOSSBANK_TERRACE, "battery-1", Catalogue([thick, *rest]))
    assert (
        s.protective.value == "10 mm²" and "least that the earth terminals" in s.protective.lookup
    )


def test_what_binds_is_said():
    s = sized(SALTINGS_BARN, "grid-1")
    assert s.limited_by == "its protection" and "what binds" in s.permitted.assumption


def _rows(x):
    return isinstance(x, list) and all(isinstance(y, dict) for y in x)


def test_a_cable_behind_a_fuse_carries_a_tenth_more():
    """A gG fuse melts for sure at I_2 = 1.6 I_n (IEC 60269-1, from 16 A) and I_2 ≤ 1.45 I_z
    (60364-4-43 433.1): 200 A ask 1.6 / 1.45 · 200 = 220.7 A of the cable, and 200 A of its ends.
    """
    runs = {k: {**r, "method": "C"} for k, r in JUNIPER_CUT["runs"].items()}
    strings = [{**s, "run": {**s["run"], "method": "C"}} for s in JUNIPER_CUT["strings"]]
    iec = {"code": "iec-60364", "units": "si", "runs": runs, "strings": strings}

    def one_line(x):
        """The sheet of a split-phase unit as one of a single line would read."""
        if isinstance(x, dict):
            return {k: one_line(v) for k, v in x.items()}
        kept = [y for y in x if y.get("conductor") != "L2"] if _rows(x) else x
        return [one_line(y) for y in kept] if isinstance(x, list) else x

    shelf = catalogue()
    sheet = one_line(shelf.inverters["marram-c6"].model_dump(mode="json"))
    sheet |= {"id": "own", "supply": "single-phase 230 V", "voltage_v": 230.0}
    kit = [Inverter.model_validate(sheet), *shelf.packs.values(), *shelf.modules.values()]
    own = Catalogue([*kit, *shelf.devices, *shelf.conductors])
    iec |= {"kit": {**JUNIPER_CUT["kit"], "inverter": "own"}}

    def fails(size, amps):
        fitted = {"pack-1": {"size": size, "protection_a": amps}}
        d = design(Plan.model_validate({**JUNIPER_CUT, **iec, "fitted": fitted}), own)
        s = next(s for s in d.circuits if s.id == "pack-1")
        assert s.circuit.source.port == "fuse"
        return s.trial.in_place.n, " ".join(s.trial.fails)

    carries, says = fails("50 mm²", 200)
    assert 200 < carries < 220.7 and "its fuse of 200 A asks 221 A" in says
    carries, says = fails("70 mm²", 200)
    assert carries > 220.7 and "asks" not in says and not says


def test_an_earth_grows_to_a_terminal_that_names_the_other_system():
    """A stud that takes 8 AWG (8.37 mm²) or more gets 10 mm², the next of the book's sizes."""
    kit = {**MOSSBANK_TERRACE["kit"], "pack": "tidewell-5r", "packs": 2}
    runs = {**MOSSBANK_TERRACE["runs"], "pack": {"length_m": 1, "method": "C"}}
    d = design(Plan.model_validate({**MOSSBANK_TERRACE, "kit": kit, "runs": runs}), catalogue())
    s = next(s for s in d.circuits if s.circuit.family == "pack")
    stud = next(t for t in s.circuit.source.terminals if t.conductor == "PE")
    assert stud.least == "8" and s.protective.value == "10 mm²"
    assert not [f for f in d.findings if f.key.endswith(".earth.range")]


def test_a_loop_is_as_hot_as_its_insulation_stands():
    """1 + 0.004 (T - 20): 1.20 for PVC at 70 °C, 1.28 for XLPE at 90 °C. IEC 60364-6 Annex D."""
    d = design(Plan.model_validate(MOSSBANK_TERRACE), catalogue())
    s = next(s for s in d.circuits if s.circuit.family == "grid")
    cable = s.cable.model_copy(update={"temp_c": 90})
    assert s.cable.temp_c == 70 and hot(s).n == pytest.approx(1.20)
    assert hot(SimpleNamespace(cable=cable)).n == pytest.approx(1.28)
