"""The string finder against brute force, and what it may never propose."""

import itertools
import re

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gumboot.catalogue import catalogue
from gumboot.core.kit import Tracker
from gumboot.core.plan import Plan
from gumboot.core.size.finder import Face, find, options
from gumboot.core.size.strings import takers
from gumboot.demo.plans import HERON_SLIP, SALTINGS_BARN
from tests.conftest import altered
from tests.designs import design

BOOK = catalogue()
HERON, SALTINGS = Plan.model_validate(HERON_SLIP), Plan.model_validate(SALTINGS_BARN)
S8, T10, SHEET = (
    BOOK.inverters["marram-s8"],
    BOOK.inverters["marram-t10"],
    BOOK.modules["reedbed-430"],
)


def on(plan, inverter):
    """The inverters of a plan, as strings land on them."""
    return list(takers(plan, inverter, None, None))


def brute(plan, inverter, faces):
    """Every way at all, tracker by tracker, without order or pruning; as sets so that swapped alike
    trackers count once.
    """
    unit = on(plan, inverter)[0]
    per = [[None, *options(SHEET, faces, plan, unit, t)] for t in inverter.trackers]
    kinds = [
        tuple(sorted(t.model_dump(exclude={"id", "terminals"}).items(), key=lambda x: x[0]))
        for t in inverter.trackers
    ]
    seen = set()
    for row in itertools.product(*per):
        need = [0] * len(faces)
        for o in row:
            if o:
                need[o.face] += o.strings * o.modules
        if (
            any(row)
            and all(n <= f.modules for n, f in zip(need, faces, strict=True))
            and sum(need) * SHEET.p_max_w <= (inverter.pv_power_max_w or 1e9)
        ):
            seen.add(
                tuple(
                    sorted(
                        (
                            (str(kinds[i]), (o.face, o.strings, o.modules))
                            if o
                            else (str(kinds[i]), ())
                        )
                        for i, o in enumerate(row)
                    )
                )
            )
    return seen


@pytest.mark.parametrize(("plan", "inverter"), [(HERON, S8), (SALTINGS, T10)])
@pytest.mark.parametrize("faces", [[Face(12)], [Face(14, 30, 90), Face(9, 30, 270)], [Face(5)]])
def test_it_finds_every_legal_arrangement_once(plan, inverter, faces):
    assert find(plan, on(plan, inverter), SHEET, faces).count == len(brute(plan, inverter, faces))


faces = st.lists(
    st.builds(
        Face,
        st.integers(1, 40),
        st.sampled_from([20.0, 35.0]),
        st.sampled_from([90.0, 180.0, 270.0]),
        st.sampled_from(["roof", "rack"]),
    ),
    min_size=1,
    max_size=3,
)


@given(faces, st.sampled_from([(HERON, S8), (SALTINGS, T10)]))
@settings(max_examples=25, deadline=None)
def test_what_it_proposes_stops_nowhere_and_is_ranked(roof, case):
    plan, inverter = case
    found = find(plan, on(plan, inverter), SHEET, roof)
    keys = [(-a.used, -round(a.margin, 4)) for a in found.best]
    assert keys == sorted(keys)
    for a in found.best[:3]:
        letters = iter("ABCDEFGHIJ")
        strings = [
            {
                "letter": next(letters),
                "inverter": x.inverter,
                "tracker": x.tracker,
                "modules": x.modules,
                "mounting": roof[x.face].mounting,
                "tilt_deg": roof[x.face].tilt_deg,
                "azimuth_deg": roof[x.face].azimuth_deg,
                "run": {"length_m": 5, "method": "raceway" if plan is HERON else "B1"},
            }
            for x in a.lots
            for _ in range(x.strings)
        ]
        d = design(altered(plan, "/strings", strings), BOOK)
        assert not [
            f for f in d.findings if f.level == "stop" and ("pv-" in f.key or "tracker" in f.key)
        ]
        assert not [f for f in d.findings if f.key.endswith("pv-power")]
        assert a.margin >= 0 and a.used <= sum(f.modules for f in roof)


def test_unlike_faces_never_share_a_tracker():
    for a in find(HERON, on(HERON, S8), SHEET, [Face(6, 30, 90), Face(6, 30, 270)]).best:
        assert len({(x.inverter, x.tracker) for x in a.lots}) == len(a.lots)


def test_why_nothing_fits():
    assert (
        "too few" in find(HERON, on(HERON, S8), SHEET, [Face(3)]).reason
        or "No string" in find(HERON, on(HERON, S8), SHEET, [Face(3)]).reason
    )
    cold = altered(HERON, "/site/t_min_c", -50)
    assert "colder than" in find(cold, on(cold, S8), BOOK.modules["reedbed-300"], [Face(20)]).reason


def test_with_very_many_trackers_it_says_that_it_followed_the_fullest():
    many = S8.model_copy(
        update={
            "trackers": tuple(S8.trackers[2].model_copy(update={"id": str(i)}) for i in range(7)),
            "pv_power_max_w": 90000,
        }
    )
    found = find(HERON, on(HERON, many), SHEET, [Face(60), Face(40, 30, 90), Face(40, 30, 270)])
    assert not found.complete and found.best[0].used > 100


NARROW = S8.trackers[0]


@pytest.mark.parametrize(
    ("tracker", "module", "modules", "says"),
    [
        ({"i_sc_max_a": 12.0}, {}, 20, r"push 14 A, tracker \S+ bears 12 A"),
        ({"pairs": 1, "pair_a": 13.0}, {}, 20, r"its pair of connectors on tracker \S+ carry 13 A"),
        ({"pairs": 3, "pair_a": 6.0}, {}, 20, r"two pairs of connectors on tracker \S+ carry 12 A"),
        ({}, {}, 1, r"the shortest has \d modules, and no roof face has as many"),
        (
            {"v_min": 480.0, "v_start": 490.0},
            {},
            20,
            r"\d+ modules are the most below \d+ V .*480 V",
        ),
        ({"v_start": 480.0}, {}, 20, r"\d+ modules are the most .* starts at 480 V"),
        ({}, {"v_oc_v": 900.0}, 20, r"one module makes \d+ V in the cold, \d+ V is the limit"),
    ],
)
def test_where_no_string_fits_the_limit_is_named(tracker, module, modules, says):
    unit = S8.model_copy(update={"trackers": (NARROW.model_copy(update=tracker),)})
    found = find(HERON, on(HERON, unit), SHEET.model_copy(update=module), [Face(modules)])
    assert not found.best
    assert re.search(
        f"^No string of {SHEET.maker} {SHEET.model} fits .*{says}.*\\.$", found.reason
    ), found.reason


def test_a_sheet_silent_about_a_pair_lets_it_carry_what_its_tracker_bears_shorted():
    """A module pushes more shorted than a tracker works with: the usual case, and no fault."""
    bare = {"id": "1", "v_min": 120, "v_max": 430, "i_mp_max_a": 13, "i_sc_max_a": 17}
    assert Tracker.model_validate(bare).pair_a == 17
    assert Tracker.model_validate({**bare, "i_sc_max_a": 34, "pairs": 2}).pair_a == 17
    unit = S8.model_copy(update={"trackers": (Tracker.model_validate(bare),)})
    assert SHEET.i_sc_a == 14 and find(HERON, on(HERON, unit), SHEET, [Face(8)]).best
