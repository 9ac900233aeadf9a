"""What leaves the wall: template, drill sheet and DXF, read back by other libraries and
measured.
"""

import csv
import io
import itertools

import ezdxf
import pdfplumber
import pypdf
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.core.wall import drill_sheet, steps
from gumboot.demo.plans import JUNIPER_CUT, SALTINGS_BARN, TERN_HOLLOW
from gumboot.drawings.template import BAR_MM, EDGE_MM, PAPERS, template_sheets
from gumboot.exports.drill import drill_csv, wall_dxf
from tests.designs import design

MM = 72 / 25.4
WALLS = {
    n: design(Plan.model_validate(p), catalogue()).walls[0]
    for n, p in (("tern", TERN_HOLLOW), ("saltings", SALTINGS_BARN), ("juniper", JUNIPER_CUT))
}
every = pytest.mark.parametrize("name", WALLS)


@every
def test_the_sheet_has_each_hole_that_holds_once(name):
    w = WALLS[name]
    rows = drill_sheet(w)
    holding = {h.id for x in w.fixings for h in x.holes if h.holds} | {h.id for h in w.rails}
    assert {d.hole.id for d in rows} == holding and [d.number for d in rows] == list(
        range(1, len(rows) + 1)
    )
    table = list(csv.DictReader(io.StringIO(drill_csv(w))))
    assert [(float(r["x_mm"]), float(r["y_mm"])) for r in table] == [(d.x, d.y) for d in rows]
    assert all(
        float(r["above_level_line_mm"]) == pytest.approx(float(r["y_mm"]) - 1000) for r in table
    )
    if w.rails:
        assert rows[0].hole.id.startswith("rail-")  # what things hang on comes first
    assert len(steps(w)) >= 4 and steps(w)[0].startswith("Sweep")


@every
def test_dxf_is_at_one_to_one(name):
    """Holes as circles of their bit at their place within 0.1 mm; the wall its own size;
    millimetres.
    """
    w = WALLS[name]
    document = ezdxf.read(io.StringIO(wall_dxf(w)))
    assert not document.audit().errors and document.units == ezdxf.units.MM
    space = document.modelspace()
    circles = sorted(
        (c.dxf.center.x, c.dxf.center.y, 2 * c.dxf.radius)
        for c in space.query('CIRCLE[layer=="HOLES"]')
    )
    ours = sorted((d.x, d.y, d.hole.anchor.hole_mm) for d in drill_sheet(w))
    assert len(circles) == len(ours)
    for c, o in zip(circles, ours, strict=True):
        assert c == pytest.approx(o, abs=0.1)
    wall = next(iter(space.query('LWPOLYLINE[layer=="WALL"]')))
    xs, ys = zip(*((p[0], p[1]) for p in wall.get_points()), strict=True)
    assert (max(xs) - min(xs), max(ys) - min(ys)) == (w.scene.wall.width_mm, w.scene.wall.height_mm)


@pytest.mark.parametrize("paper", PAPERS)
@pytest.mark.long
def test_the_template_is_at_one_to_one(supervisor, paper):
    """Every hole of every sheet within 0.1 mm of its place on the wall, by the paths of the PDF;
    the bar measures 100 mm; each sheet is one page.
    """
    job = next(
        j["id"] for j in supervisor.get("/jobs.json").json()["jobs"] if j["name"] == "Juniper Cut"
    )
    answer = supervisor.get(f"/jobs/{job}/wall-A/template.pdf?paper={paper}")
    assert answer.status_code == 200, answer.text[:600]
    data = answer.content
    w = WALLS["juniper"]
    sheets = list(template_sheets(w, paper))
    seen = set()
    with pdfplumber.open(io.BytesIO(data)) as pdf:
        assert len(pdf.pages) == len(sheets)
        for page, sheet in zip(pdf.pages, sheets, strict=True):
            assert (float(page.width) / MM, float(page.height) / MM) == pytest.approx(
                PAPERS[paper][::-1] if sheet.across else PAPERS[paper], abs=0.2
            )

            def at(x, top, s=sheet):
                return s.part.left + x / MM - EDGE_MM, s.part.top - (top / MM - EDGE_MM)

            rounds = [
                ((c["x0"] + c["x1"]) / 2, (c["top"] + c["bottom"]) / 2, c["x1"] - c["x0"])
                for c in page.curves
                if abs((c["x1"] - c["x0"]) - (c["bottom"] - c["top"])) < 0.2
            ]
            for held in (h for x in w.fixings if x.box == sheet.box for h in x.holes):
                if not (
                    sheet.part.left + 5 < held.x < sheet.part.right - 5
                    and sheet.part.bottom + 5 < held.y < sheet.part.top - 5
                ):
                    continue
                near = min(
                    ((*at(x, y), d) for x, y, d in rounds),
                    key=lambda p: abs(p[0] - held.x) + abs(p[1] - held.y),
                )
                assert near[:2] == pytest.approx((held.x, held.y), abs=0.1)
                assert near[2] / MM == pytest.approx(held.anchor.hole_mm, abs=0.1)
                seen.add(held.id)
            assert (
                sum(page.to_image(resolution=20).original.convert("L").histogram()[:128])
                < 0.1 * 1e4
            )  # black ink on white paper
            bars = [
                ln
                for ln in page.lines
                if abs((ln["x1"] - ln["x0"]) / MM - BAR_MM) < 0.1
                and abs(ln["top"] - ln["bottom"]) < 0.01
            ]
            assert bars
    assert seen == {h.id for x in w.fixings for h in x.holes}


def test_a_template_larger_than_paper_is_tiled_with_overlap():
    w = WALLS["tern"]
    of_pack = [s for s in template_sheets(w, "a4") if s.box == "pack-1"]
    assert of_pack[0].columns > 1 and len(of_pack) == of_pack[0].rows * of_pack[0].columns
    for a, b in itertools.pairwise(of_pack):
        if a.row == b.row:
            assert a.part.right - b.part.left == pytest.approx(10)


def test_the_drill_sheet_on_paper(supervisor):
    job = next(
        j["id"] for j in supervisor.get("/jobs.json").json()["jobs"] if j["name"] == "Saltings Barn"
    )
    answer = supervisor.get(f"/jobs/{job}/wall-A/drill.pdf")
    words = "".join(p.extract_text() for p in pypdf.PdfReader(io.BytesIO(answer.content)).pages)
    assert "drill sheet" in words and "1990 mm" in words and "Only licensed people" in words
    assert "level line" in words and "lift table or hoist" in words
