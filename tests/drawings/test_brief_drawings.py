"""The pictures of the brief: well-formed, every circuit there, and the pixels say what the numbers
say.
"""

import base64
import io
import re
from xml.etree import ElementTree

import numpy as np
import pytest
from PIL import Image

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from gumboot.drawings.load_board import load_board
from gumboot.drawings.raster import BLUE, CLAY, PAPER, bands, two_ways
from gumboot.drawings.year import (
    LASTING,
    day_picture,
    months_picture,
    outage_calendar,
    spoken_day,
    sweep_picture,
    year_carpet,
)
from tests.designs import design

SVG = "{http://www.w3.org/2000/svg}"


def texts(svg):
    return [t.text for t in ElementTree.fromstring(svg).iter(f"{SVG}text")]


def pixels(svg):
    data = re.search(r"data:image/png;base64,([^\"]+)", svg)[1]
    return np.asarray(Image.open(io.BytesIO(base64.b64decode(data))).convert("RGB"))


@pytest.mark.parametrize("document", [TERN_HOLLOW, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT])
def test_every_circuit_is_on_the_board_with_a_toggle_on_each_of_its_legs(document):
    plan = Plan.model_validate(document)
    svg = load_board(design(plan, catalogue()))
    shown = texts(svg)
    assert all(
        any(t and (t == x.name or (t.endswith("…") and x.name.startswith(t[:-1]))) for t in shown)
        for x in plan.loads
    )
    toggles = len(re.findall(r'class="pin(?:-good)?"', svg))
    assert toggles == sum(len(x.legs.split("+")) for x in plan.loads if x.backed)
    assert len(re.findall(r'class="pin-good"', svg)) == sum(
        len(x.legs.split("+")) for x in plan.loads if x.backed and x.must
    )
    assert ("too-much" in svg) == (document is TERN_HOLLOW)


def test_no_loads_no_drawing():
    assert load_board(design(Plan.model_validate(HERON_SLIP), catalogue())) == ""


def flat(**changes):
    series = {
        k: np.zeros(35_040)
        for k in (
            "sun",
            "load",
            "bought",
            "sold",
            "charged",
            "discharged",
            "stored",
            "unserved",
            "generator",
            "buy",
            "sell",
        )
    }
    return {**series, **changes}


def test_a_carpet_has_midnight_below_and_january_left():
    bought = np.zeros((365, 96))
    bought[0, 0], bought[364, 95] = 8000, 8000
    sold = np.zeros((365, 96))
    sold[180, 48] = 8000
    bought[1:300, 40] = sold[1:300, 41] = 8000
    shown = pixels(year_carpet("grid", flat(bought=bought.ravel(), sold=sold.ravel()), 10))
    assert shown.shape == (96, 365, 3)
    assert (
        tuple(shown[95, 0]) == BLUE
        and tuple(shown[0, 364]) == BLUE
        and tuple(shown[95 - 48, 180]) == CLAY
        and tuple(shown[5, 5]) == PAPER
    )


def test_an_outage_calendar_names_the_worst():
    hours = np.full(8760, 100.0)
    hours[24 * 9 + 18] = 3.5
    hours[0] = 10
    svg = outage_calendar(hours, 24 * 9 + 18, 3.5, 2025)
    assert "worst: 10 January 18:00, 3.5 h" in svg
    shown = pixels(svg)
    assert (
        shown.shape == (24, 365, 3)
        and tuple(shown[23 - 18, 9]) == LASTING[1][0]
        and tuple(shown[23, 0]) == LASTING[1][1]
        and tuple(shown[0, 200]) == LASTING[1][4]
    )


def test_bands_and_shades():
    assert bands(np.array([3.9, 4.0, 71.9, 72.0]), *LASTING).tolist() == [
        list(LASTING[1][k]) for k in (0, 1, 3, 4)
    ]
    assert two_ways(np.array([-1.0, 0.0, 1.0]), CLAY, BLUE).tolist() == [
        list(CLAY),
        list(PAPER),
        list(BLUE),
    ]


def test_days_skip_the_leap_day():
    assert [spoken_day(n, 2024) for n in (58, 59, 364)] == [
        "28 February",
        "1 March",
        "31 December",
    ] and spoken_day(59, 2025) == "1 March"


def test_a_day_a_sweep_and_the_months_are_well_formed():
    rng = np.random.default_rng(1)
    some = flat(
        sun=rng.random(35_040) * 5000,
        load=rng.random(35_040) * 2000,
        stored=rng.random(35_040) * 9000,
        buy=np.where(np.arange(35_040) % 96 < 24, 0.1, 0.3),
    )
    day = day_picture(10, some, 10, {"stored": some["stored"]}, "€", False)
    assert {"0.1", "0.3", "€/kWh", "best possible"} <= set(texts(day))
    assert "from the generator" in texts(day_picture(10, some, 10, None, "", True))
    candidates = [
        {
            "packs": n,
            "array": a,
            "bill": 900 - 100 * min(n, 2) - 50 * a,
            "bought": 0,
            "sold": 0,
            "unserved": 0,
            "generator": 0,
            "self_sufficiency": 0,
        }
        for a in (0.5, 1.0)
        for n in range(4)
    ]
    swept = {
        "now": 3,
        "knee": 2,
        "packs": [0, 1, 2, 3],
        "arrays": [0.5, 1.0],
        "candidates": candidates,
        "steps": [100, 100, -1e-9],
    }
    said = texts(sweep_picture(swept, False, True, "€"))
    assert {"knee", "planned", "1 × array", "0.5 × array", "100", "0"} <= set(
        said
    ) and "-0" not in said
    months = [
        {
            "month": m,
            "sun": 500,
            "load": 400,
            "bought": 100,
            "sold": 150,
            "unserved": 20 if m == 1 else 0,
            "bill": 9,
        }
        for m in range(1, 13)
    ]
    assert "went without" in texts(months_picture(months))
