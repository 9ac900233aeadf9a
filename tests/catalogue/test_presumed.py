"""An inverter of whose sheet only the first section is entered: its ports follow from its power,
drawn, sized, and named as missing.
"""

import copy

import pytest
from pydantic import ValidationError

from gumboot.catalogue import catalogue
from gumboot.core.brief.suits import series_that_fits, suits_unit
from gumboot.core.kit import Catalogue, entry
from gumboot.core.kit.missing import missing
from gumboot.core.kit.presumed import NOT_ENTERED
from gumboot.core.kit.terminal import Terminal
from gumboot.core.plan import Plan
from gumboot.demo.plans import HERON_SLIP
from tests.designs import design

FIRST = {
    "kind": "inverter",
    "id": "own-1",
    "maker": "Ownwright",
    "model": "One",
    "supply": "split-phase 120/240 V",
    "power_w": 7600,
    "battery_v_min": 40,
    "battery_v_max": 60,
    "charge_max_a": 150,
    "trackers": [{"id": "1", "v_min": 120, "v_max": 430, "i_mp_max_a": 16, "i_sc_max_a": 20}],
}


def unit(**more):
    return entry.validate_python(copy.deepcopy({**FIRST, **more}))


def ports(u):
    return {n: p for n in ("battery", "grid", "backup", "generator") if (p := getattr(u, n))}


@pytest.mark.parametrize(
    ("more", "amps"),
    [
        # by hand: 7600 / 0.94 / 40, 7600 / 240
        ({}, {"battery": 202.1, "grid": 31.7, "backup": 31.7}),
        ({"charge_max_a": 250}, {"battery": 250, "grid": 31.7, "backup": 31.7}),
        ({"pass_through_a": 63}, {"battery": 202.1, "grid": 63, "backup": 63}),
        ({"topology": "ac-coupled"}, {"battery": 202.1, "grid": 31.7}),
        ({"topology": "all-in-one", "pack_inside": "tidewell-in13"}, {"grid": 31.7}),
        ({"supply": "single-phase 230 V"}, {"battery": 202.1, "grid": 33.0, "backup": 33.0}),
        ({"supply": "three-phase 400/230 V"}, {"battery": 202.1, "grid": 11.0, "backup": 11.0}),
        (  # lines that are entered stand alone: a unit without a grid port is one
            {"backup": {"i_max_a": 30, "protection_max_a": 40}},
            {"battery": 202.1, "backup": 30},
        ),
    ],
)
def test_ports_nobody_entered_follow_from_the_power(more, amps):
    found = ports(unit(**more))
    assert {n: p.i_max_a for n, p in found.items()} == pytest.approx(amps, abs=0.05)
    for name, p in found.items():
        assert (p.source == NOT_ENTERED) is (name not in more)
        assert p.protection_max_a >= 1.25 * p.i_max_a and p.terminals


def test_what_is_no_number_is_said_at_its_field_and_not_here():
    for wrong in ({"power_w": "much"}, {"battery_v_min": 0}, {"charge_max_a": None}):
        with pytest.raises(ValueError) as told:
            unit(**wrong)
        assert [x["loc"][-1] for x in told.value.errors()] == list(wrong)


def test_the_battery_is_drawn_and_sized_and_a_stop_names_the_ports():
    book = Catalogue([unit(), *catalogue().entries.values()])
    plan = copy.deepcopy(HERON_SLIP)
    plan["kit"]["inverter"] = "own-1"
    plan["strings"] = plan["strings"][:1]
    d = design(Plan.model_validate(plan), book)
    assert {"pack-1", "main-panel"} <= {b.id for b in d.bodies}
    assert d.bank is not None and {"bat-1", "battery-1"} & {s.id for s in d.circuits}
    told = [f for f in d.findings if f.place == "shelf/own-1#terminals" and "ports" in f.says]
    assert [f.level for f in told] == ["stop"] and "31.7 A at grid" in told[0].says


def test_the_current_of_a_port_nobody_entered_is_that_of_full_power_on_the_bank():
    """P / (η V_low) by hand, or what the unit charges with; never by the unit's own lowest volts,
    which for high voltage is a fifth of the stack's.
    """
    stack = entry.validate_python(
        {
            **{"kind": "pack", "id": "own-v", "maker": "Ownwright", "model": "V", "form": "stack"},
            **{"chemistry": "LFP", "cells": 32, "capacity_ah": 50, "series_max": 4},
            **{"discharge_max_a": 30, "charge_max_a": 30, "bms_v_max": 116.8, "bms_v_min": 83.2},
        }
    )
    wide = {"battery_v_min": 100, "battery_v_max": 500, "power_w": 7600, "charge_max_a": 15}
    for charge, amps in ((15, 7600 / (0.94 * 4 * 32 * 3.0)), (25, 25)):
        book = Catalogue([unit(**wide | {"charge_max_a": charge}), stack])
        plan = Plan.model_validate(
            HERON_SLIP
            | {
                "kit": {
                    "inverter": "own-1",
                    "inverters": 1,
                    "pack": "own-v",
                    "packs": 1,
                    "series": 4,
                }
            }
            | {"strings": []}
        )
        bank = design(plan, book).bank
        assert bank is not None and bank.i_inverter.n == pytest.approx(amps, rel=1e-6)


BLOCK = {
    "kind": "pack",
    "id": "own-block",
    "maker": "Ownwright",
    "model": "B",
    "form": "block",
    "chemistry": "flooded",
    "cells": 3,
    "capacity_ah": 400,
    "discharge_max_a": 200,
    "charge_max_a": 80,
    "bms_v_min": 5.25,
    "bms_v_max": 7.8,
    "parallel_max": 2,
}


@pytest.mark.parametrize(
    ("more", "most", "lacks"),
    [
        ({}, 10, False),
        ({"cells": 1}, 32, False),
        ({"cells": 6}, 5, False),
        ({"series_max": 8}, 8, False),
        ({"form": "stack", "chemistry": "LFP", "cells": 16}, 16, True),
        ({"form": "stack", "chemistry": "LFP", "cells": 16, "series_max": 7}, 7, False),
        ({"form": "pack", "chemistry": "LFP", "cells": 16}, 1, False),
    ],
)
def test_cells_are_put_in_series_though_their_sheet_does_not_say_how_many(more, most, lacks):
    """Lead blocks as every 48 V bank is made of them; a stack's number is its maker's to say."""
    pack = entry.validate_python({**BLOCK, **more})
    assert pack.series_most == most
    told = [m for m in missing(pack) if "in series" in m.what]
    assert [m.grave for m in told] == [True] * lacks
    if not more:
        assert suits_unit(pack, unit(chemistries=["LFP", "flooded"], battery_v_max=64))
        assert series_that_fits(pack, unit(chemistries=["flooded"], battery_v_max=64)) == 8


def test_a_device_that_no_volts_fit_is_missed_for_its_volts():
    """A shelf with buses to 1000 V has none for a pack of 1200 V, however many amperes."""
    u = unit(battery_v_min=800, battery_v_max=1280, charge_max_a=30, units_max=2)
    high = entry.validate_python(
        {**BLOCK, "id": "own-hv", "form": "pack", "chemistry": "LFP", "cells": 330}
        | {"bms_v_min": 870, "bms_v_max": 1200}
    )
    book = Catalogue([u, high, *catalogue().entries.values()])
    plan = copy.deepcopy(HERON_SLIP)
    plan["kit"] |= {"inverter": "own-1", "pack": "own-hv", "packs": 2, "gateway": None}
    plan["strings"] = []
    d = design(Plan.model_validate(plan), book)
    says = [f.says for f in d.findings if f.key.startswith("kit.device.dc")]
    assert says and all("1200 V" in x for x in says)
    assert any("those it has bear" in x for x in says) and not any(
        "largest is 600" in x for x in says
    )


def test_what_turns_a_terminal_is_known_by_its_stud_or_asked_where_torque_goes_by_it():
    """ISO 4032: M8 is 13 mm across flats (from memory). A screw without torque is looked up by its
    driver (NEC Annex I), so that has to be typed.
    """
    plus = {"id": "+", "label": "bar +", "conductor": "+", "end": "lug", "stud": "M8", "most": "2"}
    known = Terminal.model_validate({**plus, "torque_nm": 9, "source": "sheet"})
    assert known.bit == "socket 13 mm"
    screw = {**plus, "end": "bare", "stud": "", "source": "sheet"}
    assert Terminal.model_validate({**screw, "torque_nm": 2}).bit == "by its screw"
    with pytest.raises(ValidationError, match="what turns it, such as slot 6 mm"):
        Terminal.model_validate(screw)
