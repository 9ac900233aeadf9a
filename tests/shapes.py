"""Plans of every shape that the network can say, most of them unlike the demo's: data for tests."""

import copy
from typing import Any

from gumboot.core.plan import Plan
from gumboot.demo.plans import (
    HERON_SLIP,
    JUNIPER_CUT,
    MOSSBANK_TERRACE,
    SALTINGS_BARN,
    TERN_HOLLOW,
)

SHORT = {"length_m": 3, "method": "C"}


def other(document: dict[str, Any], **changes: Any) -> dict[str, Any]:
    """A demo plan off its walls, with values changed: kit__packs=4."""
    plan = copy.deepcopy(document)
    plan.pop("walls", None)
    for path, value in changes.items():
        *steps, last = path.split("__")
        at = plan
        for step in steps:
            at = at.setdefault(step, {})
        at[last] = value
    return plan


def runs(document: dict[str, Any], **more: Any) -> dict[str, Any]:
    """The runs of a plan and some more."""
    return {**document["runs"], **{k.replace("_", "-"): v for k, v in more.items()}}


PV = {"power_w": 4600, "line": "L2"}
BY_C = {"length_m": 1.5, "method": "C"}
BOTH = {"grid_feeder": SHORT, "backup_feeder": SHORT}
THREE = {"supply__kind": "three-phase 400/230 V", "kit__gateway": "fenwright-g63"}
GENERATOR = {"power_w": 14000}
US = {"length_m": 3, "method": "raceway"}
CABIN = other(
    JUNIPER_CUT,
    kit__inverter="marram-k4",
    loads=[{**x, "legs": "L1"} for x in JUNIPER_CUT["loads"]],
)
SHOP = other(
    SALTINGS_BARN,
    code="nec-2023",
    units="us",
    supply={"kind": "three-phase 208Y/120 V", "main_breaker_a": 200, "bus_a": 225},
    kit__inverter="marram-u15",
    kit__pack="saltmarsh-u5",
    kit__gateway=None,
    backup={"loads": "whole house", "changeover": "transfer switch", "board_a": 100},
    strings=[{**x, "run": {**x["run"], "method": "raceway"}} for x in SALTINGS_BARN["strings"]],
    runs={k: {**r, "method": "raceway"} for k, r in SALTINGS_BARN["runs"].items()},
    safeguards=[],
)
TERRACE = other(
    MOSSBANK_TERRACE,
    kit__inverter="marram-h6",
    kit__packs=2,
    kit__existing_pv=None,
    kit__module="reedbed-430",
    kit__gateway=None,
    kit__meter=None,
    kit__ct=None,
    fitted={},
    supply__electrode="own",
    backup={"loads": "essential board", "bond": "inverter", "neutral": "switched", "board_a": 40},
    strings=[
        {"letter": "A", "inverter": 1, "tracker": "1", "modules": 7, "mounting": "roof"}
        | {"run": {"length_m": 14, "method": "B1"}},
        {"letter": "B", "inverter": 1, "tracker": "2", "modules": 6, "mounting": "roof"}
        | {"run": {"length_m": 12, "method": "B1"}},
    ],
    runs=runs(MOSSBANK_TERRACE, pack=BY_C, battery=BY_C, grid=BY_C, backup=BY_C),
)


def on_controllers(method: str, *rows: tuple[int, int]) -> list[dict[str, Any]]:
    """Strings on charge controllers: (controller, modules) of each."""
    return [
        {"letter": chr(ord("P") + i), "controller": c, "modules": n, "mounting": "rack"}
        | {"run": {"length_m": 12, "method": method}}
        for i, (c, n) in enumerate(rows)
    ]


SHAPES: dict[str, dict[str, Any]] = {
    "one bank for all": other(TERN_HOLLOW),
    "a bank per inverter, on buses": other(
        TERN_HOLLOW, kit__banks="one per inverter", kit__packs=4
    ),
    "a pack at each unit": other(TERN_HOLLOW, kit__banks="one per inverter", kit__packs=2),
    "packs in a chain to the unit": other(HERON_SLIP, kit__hookup="chain", kit__packs=3),
    "each pack to an input": other(HERON_SLIP, kit__hookup="inputs", kit__packs=2),
    "packs fused at the bus": other(TERN_HOLLOW, kit__pack_fuses=True),
    "a chain onto a bus": other(HERON_SLIP, kit__takeoff="one end", kit__packs=3),
    "a stack per inverter": other(
        SALTINGS_BARN, kit__inverters=3, kit__packs=3, runs=runs(SALTINGS_BARN, **BOTH)
    ),
    "two stacks on one unit": other(SHOP, kit__packs=2, kit__hookup="inputs"),
    "stacks in a combiner": other(SALTINGS_BARN, kit__packs=2, runs=runs(SALTINGS_BARN, pack=BY_C)),
    "stacks in a combiner at each of two units": other(
        SALTINGS_BARN,
        kit__inverters=2,
        kit__packs=4,
        runs=runs(SALTINGS_BARN, pack=BY_C, grid_feeder=BY_C, backup_feeder=BY_C),
    ),
    "an old array beside a new one": other(
        HERON_SLIP,
        strings=[
            HERON_SLIP["strings"][0],
            {
                **HERON_SLIP["strings"][1],
                **{"module": "reedbed-300", "there": True, "modules": 9},
            },
        ],
    ),
    "optimizers at the modules": other(
        HERON_SLIP,
        strings=[
            {**x, "module": "reedbed-430o", "modules": n}
            for x, n in zip(HERON_SLIP["strings"], (12, 9), strict=True)
        ],
    ),
    "rows joined at the array": other(
        HERON_SLIP, strings=[{**HERON_SLIP["strings"][0], "tracker": "3", "rows": 2}]
    ),
    "towers bridged": other(SALTINGS_BARN, kit__towers=2),
    "cabinets": other(HERON_SLIP, kit__pack="tidewell-5r", kit__packs=10),
    "single-phase units on three lines": other(
        MOSSBANK_TERRACE,
        kit__inverters=3,
        kit__packs=3,
        kit__banks="one per inverter",
        runs=runs(MOSSBANK_TERRACE, **BOTH),
        **THREE,
    ),
    "one single-phase unit on L2": other(MOSSBANK_TERRACE, kit__lines="l2", **THREE),
    "a single-phase PV inverter on three lines": other(
        SALTINGS_BARN,
        kit__existing_pv={**PV, "side": "grid side"},
        runs=runs(SALTINGS_BARN, existing_pv=SHORT),
    ),
    "two PV inverters": other(
        SALTINGS_BARN, kit__existing_pv=PV, kit__more_pv=[{"power_w": 6000, "side": "grid side"}]
    ),
    "a tap beside the house's panel": other(
        TERN_HOLLOW,
        supply__connection="supply-side tap",
        supply__service_size="4/0",
        backup__loads="essential board",
        backup__board_a=100,
        runs=runs(TERN_HOLLOW, tap={"length_m": 2}),
    ),
    "a tap before the whole house": other(HERON_SLIP, supply__connection="supply-side tap"),
    "a PV inverter on the house's panel beside a tap": other(
        HERON_SLIP,
        supply__connection="supply-side tap",
        backup={"loads": "essential board", "neutral": "solid"},
        kit__existing_pv={"power_w": 7600, "side": "grid side", "obeys_frequency": "yes"},
        runs=runs(HERON_SLIP, existing_pv=US, tap=US),
    ),
    "a tap at the meter": other(
        HERON_SLIP,
        supply__connection="supply-side tap",
        runs=runs(HERON_SLIP, tap={"length_m": 2}),
    ),
    "interlocked breakers": other(HERON_SLIP, backup__changeover="interlocked breakers"),
    "loose breakers": other(HERON_SLIP, backup__changeover="loose breakers"),
    "essential board, neutral switched": other(
        HERON_SLIP,
        backup__loads="essential board",
        backup__neutral="switched",
        backup__bond="inverter",
        backup__board_a=60,
    ),
    "essential board, neutral solid": other(
        HERON_SLIP, backup__loads="essential board", backup__board_a=60
    ),
    "nothing backed up": other(HERON_SLIP, backup__loads="nothing"),
    "islanding box": other(HERON_SLIP, kit__gateway="fenwright-i100"),
    "generator on the board": other(
        TERN_HOLLOW, kit__generator={**GENERATOR, "lands": "loads panel"}
    ),
    "generator with a bypass": other(
        TERN_HOLLOW, kit__generator={**GENERATOR, "lands": "inverter with bypass"}
    ),
    "a managed load on the generator port": other(
        TERN_HOLLOW,
        kit__generator=None,
        kit__port_use={"use": "managed load", "power_w": 4500},
        runs=runs(TERN_HOLLOW, port_use={"length_m": 9}),
    ),
    "a PV inverter on the generator port": other(
        HERON_SLIP,
        kit__port_use={"use": "PV inverter", "power_w": 5000},
        runs=runs(HERON_SLIP, port_use={"length_m": 9}),
    ),
    "packs inside the units": other(
        HERON_SLIP,
        kit__inverter="fenwright-w7",
        kit__pack=None,
        kit__packs=0,
        kit__gateway="fenwright-g200",
        kit__inverters=2,
        strings=[],
        runs=runs(HERON_SLIP, grid_feeder={"length_m": 4}),
    ),
    "off grid, lead": other(JUNIPER_CUT),
    "off grid, two units": other(
        JUNIPER_CUT, kit__inverters=2, runs=runs(JUNIPER_CUT, backup_feeder={"length_m": 2})
    ),
    "generator on every unit": other(
        TERN_HOLLOW,
        kit__generator={"power_w": 20_000, "lands": "every inverter", "interlock": True},
        runs=runs(TERN_HOLLOW, generator_unit=US),
    ),
    "off grid, a generator on both units": other(
        JUNIPER_CUT,
        kit__inverters=2,
        kit__generator={"power_w": 14_000, "lands": "every inverter", "interlock": True},
        runs=runs(JUNIPER_CUT, backup_feeder=US, generator_unit=US),
    ),
    "AC-coupled": other(MOSSBANK_TERRACE),
    "TN-S with an electrode of its own": other(
        MOSSBANK_TERRACE, supply__earthing="TN-S", supply__electrode="own"
    ),
    "one line of 120 V": CABIN,
    "two units on one line of 120 V": other(
        CABIN,
        kit__inverters=2,
        strings=[{**x, "inverter": n} for n, x in enumerate(CABIN["strings"], 1)],
        runs=runs(CABIN, backup_feeder=US),
    ),
    "two units of 120 V make 120/240 V": other(
        CABIN,
        kit__inverters=2,
        kit__lines="L1 L2",
        loads=JUNIPER_CUT["loads"],
        strings=[{**x, "inverter": n} for n, x in enumerate(CABIN["strings"], 1)],
        runs=runs(CABIN, backup_feeder=US),
    ),
    "a generator on two units of 120 V": other(
        CABIN,
        kit__inverters=2,
        kit__lines="L1 L2",
        kit__generator={"power_w": 12_000, "lands": "every inverter", "interlock": True},
        strings=[{**x, "inverter": n} for n, x in enumerate(CABIN["strings"], 1)],
        runs=runs(CABIN, backup_feeder=US, generator_unit=US, generator=US),
    ),
    "three phases of 208 V": SHOP,
    "two lines of a 208 V service": other(
        HERON_SLIP,
        supply__kind="two lines of 208Y/120 V",
        kit__inverter="marram-s7",
        kit__inverters=2,
        kit__packs=3,
        kit__generator={"power_w": 16_000, "lands": "every inverter"},
        loads=[
            {"id": "a", "name": "Range", "running_w": 2080, "legs": "L1+L2", "must": True},
            {"id": "b", "name": "Fridge", "running_w": 300, "kind": "motor", "legs": "L1"},
        ],
        runs=runs(HERON_SLIP, grid_feeder=US, backup_feeder=US, generator=US, generator_unit=US),
    ),
    "units of 120 V on three lines": other(
        SHOP,
        kit__inverter="marram-k4",
        kit__inverters=3,
        kit__pack="tidewell-14",
        kit__packs=2,
        kit__series=1,
        site__name="Turnstone Works",
        strings=[],
        runs=runs(SHOP, grid_feeder=US, backup_feeder=US, pack=US),
    ),
    "a single-phase hybrid": TERRACE,
    "a single-phase hybrid off grid at 230 V, lead": other(
        TERRACE,
        kit__inverter="marram-k5",
        kit__pack="saltmarsh-l800",
        kit__packs=1,
        kit__series=24,
        kit__generator={"power_w": 6000, "lands": "inverter", "bonded": False},
        supply={"kind": "off-grid", "earthing": "TN-S", "electrode": "own"},
        backup={"loads": "whole house", "bond": "inverter", "board_a": 40},
        runs=runs(TERRACE, generator=BY_C),
    ),
    "on a sub-board": other(
        TERRACE,
        supply__connection="sub-board breaker",
        supply__sub_board={"breaker_a": 40, "bus_a": 63},
        runs=runs(TERRACE, sub_feeder={"length_m": 28, "method": "D2", "there": True}),
        fitted={"sub-feeder": {"size": "10 mm²", "earth": "10 mm²"}},
    ),
    "two units on a sub-board, a PV inverter at the main": other(
        TERN_HOLLOW,
        supply__connection="sub-board breaker",
        supply__sub_board={"breaker_a": 125, "bus_a": 200, "backfeed": "elsewhere"},
        backup={"loads": "essential board", "board_a": 100},
        kit__existing_pv={"power_w": 3800, "side": "grid side"},
        runs=runs(TERN_HOLLOW, existing_pv=US, sub_feeder={**US, "length_m": 25, "material": "Al"}),
    ),
    "a gateway behind a sub-board": other(
        MOSSBANK_TERRACE,
        supply__connection="sub-board breaker",
        supply__sub_board={"breaker_a": 50},
        backup__loads="transfer-switched circuits",
    ),
    "charge controllers": other(
        JUNIPER_CUT,
        kit__controller="marram-p100",
        kit__controllers=2,
        strings=on_controllers("raceway", (1, 4), (1, 4), (2, 4), (2, 4)),
        runs=runs(JUNIPER_CUT, controller=US, controller_pv=US),
    ),
    "a charge controller beside trackers": other(
        TERRACE,
        kit__controller="marram-p70",
        kit__controllers=1,
        strings=[*TERRACE["strings"], *on_controllers("B1", (1, 4))],
        runs=runs(TERRACE, controller=BY_C, controller_pv=BY_C),
    ),
    "charge controllers on a bank for each": other(
        TERN_HOLLOW,
        kit__banks="one per inverter",
        kit__packs=2,
        kit__controller="marram-p100",
        kit__controllers=2,
        strings=[*TERN_HOLLOW["strings"], *on_controllers("raceway", (1, 3), (1, 3), (2, 4))],
        runs=runs(TERN_HOLLOW, controller=US, controller_pv=US),
    ),
    "TT": other(MOSSBANK_TERRACE, supply__earthing="TT", supply__loop_ohm=80),
}


def worst() -> dict[str, Any]:
    """As much as one plan may hold: six units, 25 packs, every string and load there may be, six
    walls full to their bounds.
    """
    p = Plan.model_validate(TERN_HOLLOW).model_dump(mode="json")
    string, load, wall = p["strings"][0], p["loads"][0], p["walls"][0]
    p["kit"] |= {"inverters": 6, "packs": 25}
    p["kit"]["more_pv"] = [{"power_w": 3000, "side": "grid side"}] * 5
    p["strings"] = [{**string, "letter": chr(65 + i), "inverter": i % 6 + 1} for i in range(26)]
    p["loads"] = [{**load, "id": f"l{i}"} for i in range(120)]
    hung = ["dc-bus", *(f"inverter-{n}" for n in range(1, 7)), *(f"pack-{n}" for n in range(1, 26))]
    size = {"width_mm": 300, "height_mm": 300}
    p["walls"] = [
        {
            **wall,
            "id": letter,
            "width_mm": 20_000,
            "height_mm": 6_000,
            "neighbours": [
                {"kind": "door", "x_mm": 100 + 480 * i, "y_mm": 3000, **size} for i in range(40)
            ],
            "backing": [
                {"material": "rail", "x_mm": 0, "y_mm": 500 + 90 * i, "width_mm": 19_000}
                | {"height_mm": 60}
                for i in range(20)
            ],
            "extras": [
                {"id": f"x{letter}{i}", "label": "t", "width_mm": 500, "height_mm": 100}
                for i in range(20)
            ],
            "placed": {f"x{letter}{i}": {"x_mm": 900 * i, "y_mm": 4000} for i in range(20)}
            | {b: {"x_mm": 200 + 900 * n, "y_mm": 900} for n, b in enumerate(hung[k::6])},
        }
        for k, letter in enumerate("ABCDEF")
    ]
    return p
