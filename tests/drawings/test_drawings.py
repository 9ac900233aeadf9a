"""The drawings: well formed, complete, in words too, and without crossings that a person would
avoid.
"""

import re
import xml.etree.ElementTree as ET

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.units import show_length
from gumboot.core.codes import nec
from gumboot.drawings.one_line import one_line
from gumboot.drawings.terminal_block import terminal_block
from tests.conftest import altered
from tests.designs import design

NS = {"s": "http://www.w3.org/2000/svg"}


def drawn(plan):
    d = design(plan, catalogue())
    return d, ET.fromstring(one_line(d))


def kits(plan):
    for inverters in (1, 2, 3, 6):
        for packs in (1, 2, 3, 6, 8):
            yield altered(altered(plan, "/kit/inverters", inverters), "/kit/packs", packs)


def points(path):
    return [(float(x), float(y)) for x, y in re.findall(r"[ML]([\d.]+) ([\d.]+)", path.get("d"))]


def test_every_circuit_is_one_link_with_conductor_breaker_and_length(tern):
    for plan in kits(tern):
        d, svg = drawn(plan)
        wires = {
            a.get("data-at"): a for a in svg.findall("s:a", NS) if a.get("class").startswith("wire")
        }
        for s in d.circuits:
            words = " ".join(t.text for t in wires[s.id].findall("s:text", NS))
            assert f"C{s.circuit.number} · {nec.spoken(s.size)}" in words
            assert show_length(s.circuit.run.length_m, "us") in words
            assert s.protection is None or s.protection.text in words
            assert s.conductor_text in wires[s.id].get("aria-label")


def test_nothing_crosses_with_one_or_two_inverters(tern):
    """No conductor passes a bar that it does not end on, nor another conductor."""
    for plan in kits(tern):
        if plan.kit.inverters > 2:
            continue
        _, svg = drawn(plan)
        runs = [points(p) for p in svg.iterfind(".//s:a/s:path[@class='run']", NS)]
        bars = [points(p) for p in svg.iterfind(".//s:path[@class='bar']", NS)]
        for (x0, y), (x1, _) in runs:
            for (bx, top), (_, bottom) in bars:
                assert not (x0 + 1 < bx < x1 - 1 and top < y < bottom), (plan.kit, y, bx)
        heights = [(round(y, 1), x0, x1) for (x0, y), (x1, _) in runs]
        for i, (y, a0, a1) in enumerate(heights):
            assert not any(y == other and a0 < b1 and b0 < a1 for other, b0, b1 in heights[i + 1 :])


def test_no_body_stands_on_another(tern):
    for plan in kits(tern):
        _, svg = drawn(plan)
        boxes = [
            tuple(float(r.get(k)) for k in ("x", "y", "width", "height"))
            for r in svg.iterfind(".//s:rect[@class='body']", NS)
        ]
        for i, (x, y, w, h) in enumerate(boxes):
            for bx, by, bw, bh in boxes[i + 1 :]:
                assert not (x < bx + bw and bx < x + w and y < by + bh and by < y + h), (
                    plan.kit,
                    (x, y),
                    (bx, by),
                )


def test_everything_lies_inside_the_sheet(tern):
    for plan in kits(tern):
        _, svg = drawn(plan)
        width, height = (float(v) for v in svg.get("viewBox").split()[2:])
        for r in svg.iter("{http://www.w3.org/2000/svg}rect"):
            assert float(r.get("x")) >= 0 and float(r.get("x")) + float(r.get("width")) <= width
            assert float(r.get("y")) >= 0 and float(r.get("y")) + float(r.get("height")) <= height


def test_a_standalone_drawing_carries_its_styles_and_a_page_one_none(tern):
    d = design(tern, catalogue())
    assert (
        "<style>" in one_line(d, standalone=True)
        and "<style" not in one_line(d)
        and "style=" not in one_line(d)
    )


def test_words_for_those_who_cannot_see_it(tern):
    _, svg = drawn(tern)
    assert (
        "Main panel to grid combiner: 3 × 1 AWG + 6 AWG earth, protection 125 A"
        in svg.find("s:desc", NS).text
    )


def test_stops_are_marked_by_word_not_colour_alone(tern):
    _, svg = drawn(tern)
    wire = next(a for a in svg.findall("s:a", NS) if a.get("data-at") == "battery-2")
    assert "stop" in [t.text for t in wire.findall("s:text", NS)]


def test_without_kit_it_says_so(tern):
    _, svg = drawn(altered(tern, "/kit/inverter", "gone"))
    assert "Choose the kit" in svg.find("s:text", NS).text


@pytest.mark.parametrize(
    "body", ["inverter-1", "pack-1", "main-panel", "loads-panel", "dc-bus", "array-A"]
)
def test_the_terminal_block_has_every_termination_of_its_body_apart_from_the_others(tern, body):
    d = design(tern, catalogue())
    svg = ET.fromstring(terminal_block(d, next(b for b in d.bodies if b.id == body)))
    terminations = svg.findall("s:a", NS)
    assert {a.get("data-termination") for a in terminations} == {
        t.key for t in d.terminations if t.body == body and t.kind not in ("dead", "cover")
    }
    _, _, wide, high = (float(x) for x in svg.get("viewBox").split())
    at = []
    for a in terminations:
        pad = next(e for e in a.iter() if e.get("class") == "pad")
        x, y = (
            (float(pad.get("cx")), float(pad.get("cy")))
            if pad.get("cx")
            else (
                float(pad.get("x")) + float(pad.get("width")) / 2,
                float(pad.get("y")) + float(pad.get("height")) / 2,
            )
        )
        moved = [e.get("transform") for e in a.iter() if e.get("transform")]
        at.append((x, y, *moved))
        assert 0 < x < wide and 0 < y < high
    assert len(set(at)) == len(at)
    gaps = [
        abs(p[0] - q[0]) + abs(p[1] - q[1])
        for i, p in enumerate(at)
        for q in at[:i]
        if len(p) == len(q) == 2
    ]
    assert not gaps or min(gaps) >= 15


def test_a_block_is_to_scale(tern):
    """The middles of BAT + and − of the S8 are 60 mm apart on its sheet, the block 440 mm wide."""
    d = design(tern, catalogue())
    svg = ET.fromstring(terminal_block(d, next(b for b in d.bodies if b.id == "inverter-1")))
    x = {
        a.get("data-termination"): float(
            next(e for e in a.iter() if e.get("class") == "pad").get("cx")
        )
        for a in svg.findall("s:a", NS)
        if "battery-1." in a.get("data-termination") and ".PE" not in a.get("data-termination")
    }
    frame = next(r for r in svg.findall("s:rect", NS) if r.get("class") == "body")
    assert abs(x["battery-1.−@inverter-1"] - x["battery-1.+@inverter-1"]) / (
        float(frame.get("width")) * 440 / 448
    ) == pytest.approx(60 / 440, rel=0.01)
