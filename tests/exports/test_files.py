"""What leaves Size in open formats: CSV, DXF, PDF; read back by other libraries."""

import csv
import io

import ezdxf
import pypdf
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from gumboot.exports.drill import drill_csv
from gumboot.exports.dxf import to_dxf
from gumboot.exports.job_file import design_json
from gumboot.exports.materials import SCHEDULE, materials, schedule_csv
from tests.conftest import altered, off_wall
from tests.designs import design
from tests.shapes import SHAPES

PLANS = {
    "tern": TERN_HOLLOW,
    "heron": HERON_SLIP,
    "saltings": SALTINGS_BARN,
    "mossbank": MOSSBANK_TERRACE,
    "juniper": JUNIPER_CUT,
}
DESIGNS = {n: design(Plan.model_validate(p), catalogue()) for n, p in PLANS.items()}
every = pytest.mark.parametrize("name", PLANS)


@every
def test_the_schedule_has_a_row_a_circuit(name):
    rows = list(csv.DictReader(io.StringIO(schedule_csv(DESIGNS[name]))))
    assert tuple(rows[0]) == SCHEDULE and [r["number"] for r in rows] == [
        f"C{s.circuit.number}" for s in DESIGNS[name].circuits
    ]
    for r, s in zip(rows, DESIGNS[name].circuits, strict=True):
        assert (
            float(r["permitted_a"]) == pytest.approx(s.permitted.n, abs=0.01)
            and r["label"] == s.label_text
            and r["binds"]
        )
    ahead = {r["residual_current"] for r in rows}
    assert (name == "saltings") == any("RCD 300 mA type" in x for x in ahead)


def test_the_twin_tells_of_devices_and_safeguards():
    written = design_json(DESIGNS["saltings"])
    grid = next(x for x in written["devices"] if x["place"] == "main-panel.breaker-1")
    assert grid["required_a"] == pytest.approx(22) and grid["device"] and not grid["chosen"]
    assert written["safeguards"][0]["label"].startswith("RCD 300 mA")
    assert all(x["device"] for x in written["safeguards"])


def test_findings_stand_where_the_chapter_that_found_them_does():
    d = DESIGNS["saltings"]
    found = {f.key for f in (*d.findings, *d.duties)}
    assert set(d.stations) == found and d.stations["rcd.0.trips"] == "size"


@every
def test_the_bill_counts_what_the_terminations_use(name):
    d = DESIGNS[name]
    rows = {i.what: i for i in materials(d)}
    lugs = sum(i.count for w, i in rows.items() if w.startswith("lug,"))
    assert lugs == sum(t.method == "lug" for t in d.terminations)
    assert rows.get("PV connector, half a pair", type("none", (), {"count": 0})).count == sum(
        t.method == "pv-connector" for t in d.terminations
    )
    assert all(i.count > 0 for i in rows.values())


def test_cable_carries_ten_per_cent():
    """Heron Slip: grid 25 ft and backup 20 ft of 6 AWG, three live conductors each: 135 ft and 10 %
    are 149 ft; Saltings by metre and by core.
    """
    heron, saltings = (design(off_wall(p), catalogue()) for p in (HERON_SLIP, SALTINGS_BARN))
    assert (
        next(
            i
            for i in materials(heron)
            if i.what.endswith("building wire, stranded copper, 90 °C, 6 AWG")
        ).count
        == 149
    )
    multi = next(i for i in materials(saltings) if "5 × 4 mm²" in i.what)
    assert (multi.count, multi.unit) == (39, "m")  # 14 + 2 + 13 + 6 = 35 m, 38.5 with 10 %
    assert any(i.what.startswith("gland, M") for i in materials(DESIGNS["saltings"])) and any(
        "ferrite" in i.what for i in materials(DESIGNS["saltings"])
    )


def test_a_name_that_looks_like_a_formula_stays_a_text():
    plan = altered(Plan.model_validate(HERON_SLIP), "/runs/grid/raceway", "=1+1")
    rows = list(csv.DictReader(io.StringIO(schedule_csv(design(plan, catalogue())))))
    assert next(r for r in rows if r["circuit"] == "Main panel to inverter")["raceway"] == "'=1+1"


@every
def test_the_dxf_is_sound_and_layered_by_system(name):
    d = DESIGNS[name]
    document = ezdxf.read(io.StringIO(to_dxf(d)))
    assert not document.audit().has_errors
    layers = {e.dxf.layer for e in document.modelspace()}
    systems = {"pv": "PV", "dc": "BATTERY-DC", "ac": "AC"}
    assert {systems[s.circuit.system] for s in d.circuits} <= layers and {
        "BODIES",
        "TEXT",
        "TITLE",
        "LINKS",
    } <= layers
    texts = " ".join(e.dxf.text for e in document.modelspace().query("TEXT"))
    assert all(f"C{s.circuit.number} " in texts for s in d.circuits)


@pytest.mark.long
@pytest.mark.parametrize(
    ("paper", "size"), [("a4", (842, 595)), ("letter", (792, 612)), ("tabloid", (1224, 792))]
)
def test_the_drawing_prints_on_one_page(planner, new_job, tern, paper, size):
    answer = planner.get(f"/jobs/{new_job(tern)}/one-line.pdf?paper={paper}")
    pages = pypdf.PdfReader(io.BytesIO(answer.content)).pages
    assert len(pages) == 1 and tuple(round(float(x)) for x in pages[0].mediabox[2:]) == size
    assert "Transfer switch" in pages[0].extract_text()


@pytest.mark.long
def test_the_calculation_sheet_follows_every_circuit(planner, new_job, heron):
    answer = planner.get(f"/jobs/{new_job(heron)}/calculations.pdf")
    text = " ".join(
        p.extract_text() for p in pypdf.PdfReader(io.BytesIO(answer.content)).pages
    ).replace("\n", " ")
    assert (
        "1.25 · 190 = 237.5" in text.replace("  ", " ")
        and "Table 310.17" in text
        and "from memory" in text
        and "†" in text
    )
    assert all(s.circuit.name in text for s in DESIGNS["heron"].circuits)


@pytest.mark.parametrize("file", ["schedule.csv", "materials.csv", "one-line.dxf", "one-line.svg"])
def test_files_are_for_the_crew_alone(planner, stranger, new_job, tern, file):
    job_id = new_job(tern)
    assert (
        planner.get(f"/jobs/{job_id}/{file}").status_code == 200
        and stranger.get(f"/jobs/{job_id}/{file}").status_code == 404
    )


@pytest.mark.parametrize(
    ("name", "cts", "meter"), [("saltings", 3, True), ("mossbank", 2, True), ("tern", 2, False)]
)
def test_the_bill_has_meter_and_current_transformers(name, cts, meter):
    """One for each live conductor; beside a PV inverter one more each."""
    rows = {i.what: i.count for i in materials(DESIGNS[name])}
    assert sum(n for w, n in rows.items() if w.startswith("current transformer")) == cts
    assert any(w.startswith("meter,") for w in rows) == meter


@pytest.mark.parametrize(
    ("shape", "brought"),
    [
        ("generator on every unit", {"battery bus": 1, "transfer switch": 1, "panel": 3}),
        ("interlocked breakers", {"battery bus": 1, "interlock": 1}),
        ("a tap at the meter", {"battery bus": 1, "fused disconnect": 1, "transfer switch": 1}),
        ("off grid, lead", {"battery bus": 1, "panel": 1, "generator inlet": 1, "interlock": 1}),
        ("stacks in a combiner", {"battery combiner": 1, "board": 1}),
        ("one single-phase unit on L2", {}),
    ],
)
def test_the_bill_has_the_boards_a_job_brings_and_none_the_house_has(shape, brought):
    d = design(Plan.model_validate(SHAPES[shape]), catalogue())
    rows = {i.what: i.count for i in materials(d) if i.group == "Boards"}
    for what, n in brought.items():
        assert [c for w, c in rows.items() if w.startswith(what)] == [n], what
    assert not any("Main panel" in w or "House panel" in w for w in rows)
    assert brought or not rows


@every
def test_the_bill_has_an_anchor_for_every_hole(name):
    d = DESIGNS[name]
    sheets = [drill_csv(w) for w in d.walls]
    rows = [r for sheet in sheets for r in csv.DictReader(io.StringIO(sheet))]
    held = sum(i.count for i in materials(d) if i.group == "Fixings")
    assert held == sum(bool(r["anchor"]) for r in rows)
    assert held or not rows
