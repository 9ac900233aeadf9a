"""What a crew types, and what it is taken for. Conversions against the SI definitions (1 in = 25.4
mm, 1 lbf = 4.4482216 N).
"""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from gumboot.core.basis import units

LBF, IN = 4.4482216152605, 0.0254


@pytest.mark.parametrize(
    ("text", "kind", "want"),
    [
        ("28 ms", "time", 28),
        ("0.03 s", "time", 30),
        ("38 ft", "length", 38 * 12 * IN),
        ("38'", "length", 38 * 12 * IN),
        ("11.6 m", "length", 11.6),
        ("11,6 m", "length", 11.6),
        ("1160 cm", "length", 11.6),
        ("450 mm", "length", 0.45),
        ("14 F", "temperature", -10),
        ("-10 C", "temperature", -10),
        ("−10 °C", "temperature", -10),
        ("14°F", "temperature", -10),
        ("11 ft-lb", "torque", 11 * 12 * IN * LBF),
        ("15 Nm", "torque", 15),
        ("15 N·m", "torque", 15),
        ("35 in-lb", "torque", 35 * IN * LBF),
        ("35 in lbs", "torque", 35 * IN * LBF),
        ("35 lb-in.", "torque", 35 * IN * LBF),
        ("8 kW", "power", 8000),
        ("5 000 W", "power", 5000),
        ("12 000,5 W", "power", 12000.5),
        ("4 mΩ", "resistance", 0.004),
        ("350 mohm", "resistance", 0.35),
        ("1 MΩ", "resistance", 1_000_000),
        ("200A", "current", 200),
        ("200 amps", "current", 200),
        ("20 %", "percent", 20),
        ("56 V", "voltage", 56),
        ("28°", "angle", 28),
    ],
)
def test_the_crews_own_words(text, kind, want):
    assert units.parse(text, kind) == pytest.approx(want, rel=1e-7)


@pytest.mark.parametrize(
    ("nm", "unit", "value"),
    [(15, "ft*lbf", 11.06), (2.94, "inch*lbf", 26), (3.95, "inch*lbf", 35), (5.65, "inch*lbf", 50)],
)
def test_common_torques(nm, unit, value):
    """15 N·m, 26, 35 and 50 in·lb: SI definition."""
    per = {"ft*lbf": 12 * IN * LBF, "inch*lbf": IN * LBF}[unit]
    assert nm == pytest.approx(value * per, rel=2e-3)
    assert pytest.approx(units.NM_INLB, rel=1e-7) == 1 / (IN * LBF)
    assert pytest.approx(units.NM_FTLB, rel=1e-7) == 1 / (12 * IN * LBF)


@pytest.mark.parametrize(
    ("text", "kind"),
    [
        ("", "length"),
        ("abc", "length"),
        ("12 furlongs", "length"),
        ("12 V", "length"),
        ("1 2", "length"),
        ("--3 m", "length"),
        ("3 m 4", "torque"),
        ("nan", "length"),
        ("inf", "torque"),
        ("1e9 m", "length"),
    ],
)
def test_what_is_not_a_quantity_says_what_to_type(text, kind):
    with pytest.raises(units.NotAQuantity, match="type a number and unit, such as"):
        units.parse(text, kind)


@pytest.mark.parametrize(("text", "says"), [("5 kVA", "power factor"), ("1.5 hp", "shaft")])
def test_what_a_plate_says_instead_of_watts_is_explained(text, says):
    with pytest.raises(units.NotAQuantity, match=says):
        units.parse(text, "power")


def test_a_bare_number_is_in_the_crews_unit():
    assert units.parse("10", "length", "us") == pytest.approx(3.048)
    assert units.parse("10", "length", "si") == 10
    assert units.parse("32", "temperature", "us") == pytest.approx(0)


@given(st.floats(0.2, 400), st.sampled_from(["us", "si"]))
def test_a_bare_reading_is_in_the_unit_the_termination_is_shown_in(nm, system):
    """Shown "22.9 ft·lb", read off the wrench as "22.9": the same torque."""
    number, unit = units.show_torque(nm, system).split(" ")
    assert unit == units.torque_unit(nm, system)
    assert units.parse(number, "torque", bare=unit) == pytest.approx(nm, rel=0.04, abs=0.07)


@given(st.floats(0.1, 400).map(lambda x: round(x, 1)), st.sampled_from(["us", "si"]))
def test_lengths_shown_are_read_back(m, system):
    assert units.parse(units.show_length(m, system), "length") == pytest.approx(m, abs=0.016)


@given(st.floats(0.2, 400), st.sampled_from(["us", "si"]))
def test_torques_shown_are_read_back(nm, system):
    assert units.parse(units.show_torque(nm, system), "torque") == pytest.approx(
        nm, rel=0.04, abs=0.07
    )


@given(st.text(max_size=30), st.sampled_from(sorted(units.KINDS)))
def test_any_text_is_a_number_or_a_message(text, kind):
    try:
        assert isinstance(units.parse(text, kind), float)
    except units.NotAQuantity as exc:
        assert "type" in str(exc)


@pytest.mark.parametrize(
    ("mm", "text"),
    [
        (16, "5/8 in (16 mm)"),
        (25.4, "1 in (25.4 mm)"),
        (12, "1/2 in (12 mm)"),
        (28, "1 1/8 in (28 mm)"),
    ],
)
def test_strip_lengths_on_a_tape(mm, text):
    assert units.show_strip(mm, "us") == text
