"""Leads pin to pin: T568B against its own pairs, functions meet their like, one pin one core; buses
as lines; addresses as binary; 12 V loops by Ohm's law; sheets of before read as ports.
"""

import copy
import json
from dataclasses import replace
from importlib.resources import files

import networkx
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from gumboot.catalogue import catalogue
from gumboot.core.basis.figure import given as figure
from gumboot.core.kit import Catalogue, Device, Pack, SignalPort, Switches
from gumboot.core.kit.signal import PAIRS, Pin, Plug, upgraded
from gumboot.core.link.address import banks_of
from gumboot.core.link.bus import buses_of, longest, longest_stub
from gumboot.core.link.harness import bus_findings
from gumboot.core.link.leads import loop_volts
from gumboot.core.network.cores import CAT, T568B, TWISTED, cores, meets
from gumboot.core.plan import Plan
from gumboot.demo import plans
from tests.designs import design
from tests.shapes import SHAPES

DEMOS = ("TERN_HOLLOW", "SALTINGS_BARN", "MOSSBANK_TERRACE", "JUNIPER_CUT", "HERON_SLIP")
WISHES = {"grid_operator": True, "heat_pump": 1, "network": "wire"}


def changed(document, change):
    """A plan's document with something changed."""
    out = copy.deepcopy(document)
    change(out)
    return out


def made(name, **linking):
    document = changed(getattr(plans, name), lambda d: d.update(linking={**WISHES, **linking}))
    return design(Plan.model_validate(document), catalogue())


def plug(*pins, connector="8P8C", **more):
    if connector != "8P8C":
        more = {"strip_mm": 7, **more}
    return Plug.model_validate({"label": "X", "connector": connector, "pins": pins, **more})


def test_t568b_is_four_twisted_pairs():
    """ANSI/TIA-568, from memory: pairs on 4-5, 1-2, 3-6, 7-8; each a colour and white with it."""
    assert {frozenset(p) for p in TWISTED} == {
        frozenset(p) for p in ((4, 5), (1, 2), (3, 6), (7, 8))
    }
    for white, plain in TWISTED:
        assert T568B[white - 1] == f"white/{T568B[plain - 1]}"
    assert len(set(T568B)) == 8


@pytest.mark.parametrize("name", DEMOS)
def test_every_lead_of_the_demo_is_one_to_one_and_functions_meet_their_like(name):
    d = made(name)
    assert d.harness.leads
    for x in d.harness.leads:
        live = [c for c in x.cable.cores if c.does != "shield"]
        for at in (0, 1):
            pins = [(c.pin, c.far_pin)[at] for c in live]
            assert len(set(pins)) == len(pins), x.id
        assert all(meets(c.does, c.meets) for c in live), x.id
        colours = [c.colour for c in live if c.colour]
        assert len(set(colours)) == len(colours), "no core is used twice"
        by_pair = {}
        for c in live:
            if c.pair and c.colour:
                by_pair.setdefault(c.pair, []).append(c.colour.removeprefix("white/"))
        assert all(len(set(v)) == 1 for v in by_pair.values()), "a signal keeps to one pair"
        assert sum(s.shield for s in (x.here, x.there)) <= 1, "a shield lands at one end"


def test_leads_are_made_by_function_and_not_straight():
    lead = made("TERN_HOLLOW").harness.lead("link-BMS link")
    assert [(c.does, c.pin, c.far_pin) for c in lead.cable.cores if c.does != "shield"] == [
        ("CAN H", "7", "4"),
        ("CAN L", "8", "5"),
    ]
    assert lead.crossed and lead.known and lead.there.shield
    assert lead.cable.protocol == "open pack CAN 1"


FUNCTIONS = sorted({f for pair in PAIRS for f in pair if not f.startswith("CT") and f != "COM"})


@given(st.lists(st.sampled_from(FUNCTIONS), unique=True, min_size=1, max_size=8), st.randoms())
def test_any_two_plugs_of_the_same_functions_meet_function_by_function(functions, dice):
    """By brute force: wherever the pins lie, each meets the one that does the same."""
    here, there = list(range(1, 9)), list(range(1, 9))
    dice.shuffle(here)
    dice.shuffle(there)
    a = plug(*(f"{n} {f}" for n, f in zip(here, functions, strict=False)))
    b = plug(*(f"{n} {f}" for n, f in zip(there, functions, strict=False)))
    rows = cores(a, b)
    assert {(c.pin, c.far_pin) for c in rows} == {
        (str(n), str(m)) for n, m, _ in zip(here, there, functions, strict=False)
    }
    assert all(c.does == c.meets for c in rows)
    coloured = [c.colour for c in rows if c.does.startswith(CAT)]
    assert all(coloured) and len(set(coloured)) == len(coloured)


def test_contacts_meet_inputs_and_loops():
    rows = cores(
        plug("3 start", "4 start return"), plug("1 NO", "2 COM", connector="spring clamps")
    )
    assert [(c.does, c.meets) for c in rows] == [("start", "NO"), ("start return", "COM")]
    assert not meets("CAN H", "CAN L") and not meets("D+", "D−")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"pins": ["4 CAN H", "4 CAN L"]}, "two pins have the number 4"),
        ({"pins": ["4 teapot"]}, "no function of a pin"),
        ({"pins": ["CAN H"]}, "no function of a pin"),
        ({"connector": "screw clamps", "strip_mm": 7}, "type the torque"),
        ({"connector": "spring clamps"}, "type how far"),
        ({"pins": ["1 loop"], "jumper": ["1", "2"]}, "the two pins that it joins"),
    ],
)
def test_a_port_that_cannot_be_is_refused_with_what_to_type(change, words):
    port = {"label": "BMS", "connector": "8P8C", "serves": ["BMS"], **change}
    with pytest.raises(ValidationError, match=words):
        SignalPort.model_validate(port)


def test_pins_are_read_as_other_sheets_write_them():
    for text, does in (("1 A", "D+"), ("2 B", "D−"), ("3 H", "CAN H"), ("4 CT1 S1", "CT 1 S1")):
        assert Pin.model_validate(text).does == does


def test_every_shipped_device_with_a_link_has_its_pins():
    for entry in catalogue().entries.values():
        for port in getattr(entry, "signals", ()):
            assert port.pins, (entry.id, port.label)
            if port.far:
                assert port.far.pins, (entry.id, port.label)


def test_links_of_older_editions_are_read_as_ports():
    """What a crew entered before ports: its leads stay, with the keys that readings hang on."""
    old = {
        "kind": "inverter",
        "links": [
            {
                "name": "BMS link",
                "conductors": "CAN: H, L, shield",
                "to": "bank",
                "here": {"label": "BMS", "end": "plug", "form": "8P8C plug"},
                "there": {"label": "COMM IN", "end": "plug", "form": "8P8C plug"},
            },
            {
                "name": "meter",
                "conductors": "two CT pairs",
                "to": "meter",
                "here": {
                    "label": "CT",
                    "end": "spring",
                    "form": "spring clamp, ferrule 0.5 mm²",
                    "poles": ["CT1 S1", "CT1 S2"],
                    "strip_mm": 7,
                },
                "there": {"label": "feeders", "end": "clip", "form": "CT", "poles": ["CT L1"]},
            },
        ],
    }
    ports = [SignalPort.model_validate(p) for p in upgraded(old)["signals"]]
    assert [p.serves for p in ports] == [("BMS",), ("CT",)]
    assert [p.does for p in ports[1].pins] == ["CT 1 S1", "CT 1 S2"] and ports[1].far.pins
    assert upgraded(upgraded(old)) == upgraded(old) and "links" not in upgraded(old)


def test_shipped_entries_say_ports_and_not_links():
    for name in ("inverters", "gateways", "packs", "meters"):
        rows = json.loads(files("gumboot.catalogue").joinpath(f"{name}.json").read_text())
        assert not any({"links", "chain"} & e.keys() for e in rows)


# buses


def test_a_bus_of_packs_is_a_line_by_networkx():
    d = made("TERN_HOLLOW")
    for b in d.harness.buses:
        g = networkx.Graph([(x.here.body, x.there.body) for x in b.leads])
        line = networkx.is_tree(g) and max(dict(g.degree).values()) <= 2
        assert b.line == line
        ends = {n for n, k in g.degree if k == 1}
        assert {b.stations[i].body for i in (0, -1)} == ends
    assert [s.label for s in d.harness.buses[0].stations] == [
        "Inverter 1",
        "Pack 1",
        "Pack 2",
        "Pack 3",
    ]


@pytest.mark.parametrize(
    ("kind", "rate", "metres"),
    [
        ("CAN", 1_000_000, 25),  # CiA 102, from memory
        ("CAN", 800_000, 25),  # between two rates: the faster one's, never the slower's
        ("CAN", 500_000, 100),
        ("CAN", 250_000, 250),
        ("CAN", 125_000, 500),
        ("CAN", 50_000, 1000),
        ("RS-485", 9600, 1200),  # TIA-485, from memory
        ("RS-485", 1_000_000, 120),
    ],
)
def test_how_long_a_bus_may_be(kind, rate, metres):
    assert longest(kind, rate) == pytest.approx(metres)


def test_a_star_is_a_stop_and_a_fixed_terminator_in_the_middle_a_check():
    """Two units on one pair of the meter's bus: three leads meet at one clamp."""
    d = made("TERN_HOLLOW")
    leads = d.harness.leads
    bms = next(x for x in leads if x.cable.serves == "BMS")
    more = [type(bms)(**{**vars(bms), "number": 90 + i}) for i in range(2)]
    star = buses_of([*leads, *more], {})[0]
    assert star.star and not star.line


def test_a_short_lead_beside_the_line_is_a_stub_and_no_star():
    """ISO 11898-2 (from memory): 0.3 m at 1 Mbit/s; at 500 kbit/s twice that."""
    assert [longest_stub(r) for r in (1_000_000, 500_000, 250_000)] == [0.3, 0.6, 1.2]
    assert longest_stub(9600) == 5.0 and longest_stub(None) == 0.3
    leads = [x for x in made("TERN_HOLLOW").harness.leads if x.cable.serves in ("BMS", "chain out")]
    (whole,) = [b for b in buses_of(leads, {}) if len(b.leads) > 1]
    middle = whole.leads[0].there if whole.leads[0].here.body == "inverter-1" else None
    at = middle or whole.leads[0].here

    def branched(metres):
        side = replace(at, body="gauge", label="Gauge")
        length = figure("L", metres, "m", "Lead", "measured")
        cable = replace(whole.leads[0].cable, id="link-gauge")
        more = replace(whole.leads[0], cable=cable, here=at, there=side, length=length)
        long = figure("L", 2.0, "m", "Lead", "measured")
        return buses_of([*(replace(x, length=long) for x in whole.leads), more], {})[0]

    short, long = branched(0.5), branched(0.7)
    assert short.line and [s.body for _, s in short.stubs] == ["gauge"]
    assert [s.body for s in short.stations] == [s.body for s in whole.stations]
    assert long.star == at.body and not long.line
    (found,) = [f for f in bus_findings(long) if f.key.startswith("link.star")]
    assert "0.6 m" in found.says and not list(bus_findings(short))


# addresses


def test_addresses_are_binary_from_the_first_switch():
    for first in (0, 1):
        row = Switches(label="ADDR", count=4, first=first)
        for n in range(first, 16):
            assert row.pattern(str(n)) == f"{n:04b}"[::-1]
        assert row.pattern("16") is None and row.holds == 16 - first


def test_a_pattern_that_means_something_else_is_no_address():
    row = Switches(label="ADDR", count=4, patterns=("programming = 1111",))
    assert row.pattern("programming") == "1111" and row.pattern("15") is None
    own = Switches(label="ID", count=2, patterns=("1 = 00", "2 = 10"))
    assert own.pattern("1") == "00" and own.pattern("3") is None
    with pytest.raises(ValidationError, match="2 figures of 0 and 1"):
        Switches(label="ID", count=2, patterns=("1 = 012",))


def test_more_packs_than_addresses_is_a_stop():
    shelf = catalogue()
    small = shelf.packs["tidewell-14"].model_copy(
        update={"switches": (Switches(label="ADDR", count=1),), "parallel_max": 8}
    )
    kit = Catalogue([small, *(e for e in shelf.entries.values() if e.id != small.id)])
    found = design(Plan.model_validate(plans.TERN_HOLLOW), kit).harness.found
    assert [f.key for f in found if f.level.value == "stop"] == [
        "link.address.pack-2",
    ] or any("cannot say it" in f.says for f in found)


def test_no_two_packs_of_a_bank_have_one_address():
    d = made("TERN_HOLLOW")
    rows = [s for b in d.harness.banks for s in b.settings if s.sets == "address"]
    assert len({s.pattern for s in rows}) == len(rows) == 3
    assert banks_of(None, [], {}, []) == ()


# protocols


def test_unit_and_pack_without_a_protocol_in_common_stop_with_what_would_speak():
    shelf = catalogue()
    deaf = shelf.packs["tidewell-14"].model_dump()
    for port in deaf["signals"]:
        port["protocols"] = ["something else"]
        port["pins"] = [f"{p['no']} {p['does']}" for p in port["pins"]]
    kit = Catalogue(
        [Pack.model_validate(deaf), *(e for e in shelf.entries.values() if e.id != "tidewell-14")]
    )
    d = design(Plan.model_validate(plans.TERN_HOLLOW), kit)
    stop = next(f for f in d.findings if f.key == "link.protocol")
    assert stop.level.value == "stop" and "something else" in stop.says
    assert any(c.changes for c in stop.cures)
    assert not any(x.cable.serves == "BMS" for x in d.harness.leads)


def test_two_devices_of_one_address_stop():
    d = made("TERN_HOLLOW", router="192.168.1.1", addresses={"inverter-1": "192.168.1.1"})
    found = next(f for f in d.findings if f.key == "link.ip.inverter-1")
    assert "the router have one address" in found.says and found.cures[0].changes


# loops


@pytest.mark.parametrize("metres", [2.0, 15.0, 60.0])
def test_a_loop_by_ohms_law(metres):
    """ρ L / A by hand: 0.01724 Ω·mm²/m over the wire's area; 24 AWG is 0.2047 mm²."""
    area = {"24 AWG": 0.2047, "20 AWG": 0.5176, "18 AWG": 0.8230, "16 AWG": 1.309}
    size, left = loop_volts(figure("L", metres, "m", "Length", "wall"), 1.0, 11.0)
    want = 12 - 2 * 0.01724 * metres / area[size] * 1.0
    assert left.n == pytest.approx(want, abs=0.02)
    thinner = [a for a in area if area[a] < area[size]]
    assert all(12 - 2 * 0.01724 * metres / area[t] < 11.0 + 1e-3 for t in thinner)


def test_each_loop_opens_a_contact_of_its_own():
    loops = [x for x in made("TERN_HOLLOW").harness.leads if x.cable.serves == "shutdown"]
    far = [tuple(c.far_pin for c in x.cable.cores) for x in loops]
    assert far == [("11", "12"), ("21", "22")]
    document = changed(plans.TERN_HOLLOW, lambda d: d["kit"].update(inverters=3))
    three = design(Plan.model_validate(document), catalogue())
    assert any(f.key.startswith("link.contact.") for f in three.findings)


def test_packs_in_cabinets_have_an_address_each_and_one_terminator():
    d = design(Plan.model_validate(SHAPES["cabinets"]), catalogue())
    (bank,) = d.harness.banks
    rows = [s for s in bank.settings if s.sets == "address"]
    assert len(rows) == d.plan.kit.packs == len({s.pattern for s in rows})
    ended = [s for s in bank.settings if s.means == "terminator in"]
    assert len(ended) == 1 and ended[0].body == bank.packs[-1]
    chained = [s for s in d.harness.steps if "/" in s.key and s.key.startswith("lead.")]
    cabinets = len({p.partition("/")[0] for p in bank.packs})
    assert len(chained) == d.plan.kit.packs - cabinets, "a lead, and a step, from each to the next"


@pytest.mark.parametrize("shape", list(SHAPES))
def test_every_shape_has_its_harness(shape):
    """Pins one to one, steps told apart, no bus that branches, and nothing found wrong with shipped
    kit.
    """
    h = design(Plan.model_validate(SHAPES[shape]), catalogue()).harness
    assert len({s.key for s in h.steps}) == len(h.steps)
    assert all(b.line for b in h.buses)
    assert [f for f in h.found if f.level.value == "stop"] == []
    for x in h.leads:
        pins = [c.pin for c in x.cable.cores if c.does != "shield"]
        assert len(set(pins)) == len(pins)


def test_a_pair_has_a_bit_rate_of_its_own():
    """CAN and RS-485 of one plug are two ports: 500 kbit/s is no rate of a pack's RS-485."""
    for entry in catalogue().entries.values():
        for port in getattr(entry, "signals", ()):
            assert len(port.buses) <= 1, (entry.id, port.label)
            if port.buses == ("RS-485",):
                assert port.bit_rate and port.bit_rate <= 115_200, (entry.id, port.label)


def with_button(device):
    """Tern Hollow with one button on the shelf, chosen for its shutdown."""
    shelf = catalogue()
    others = [e for e in shelf.entries.values() if getattr(e, "role", "") != "button"]
    own = Device.model_validate({**BUTTON, **device})
    document = changed(plans.TERN_HOLLOW, lambda d: d["safeguards"][1].update(device=own.id))
    return design(Plan.model_validate(document), Catalogue([*others, own]))


BUTTON = {
    "kind": "device",
    "id": "own-button",
    "role": "button",
    "label": "button of one contact",
    "book": "nec-2023",
    "up_to_a": 10,
    "volts_ac": 240,
}
ONE = [
    {
        "label": "X",
        "serves": ["shutdown"],
        "connector": "screw clamps",
        "pins": ["31 NC", "32 COM"],
        "strip_mm": 8,
        "torque_nm": 0.8,
    }
]


def test_loops_end_at_the_button_that_is_chosen():
    d = with_button({"signals": ONE})
    loops = [x for x in d.harness.leads if x.cable.serves == "shutdown"]
    assert [tuple(c.far_pin for c in x.cable.cores) for x in loops] == [("31", "32"), ("", "")]
    assert [f.key for f in d.harness.found if "contact" in f.key] == [
        "link.contact.link-shutdown loop-2"
    ]


def test_a_button_whose_sheet_shows_no_contacts_is_no_stop():
    """Its contacts are by the unit's sheet then, or by the manual; none is said to be missing."""
    d = with_button({})
    unit = catalogue().inverters["marram-s8"]
    silent = unit.model_copy(
        update={
            "signals": tuple(
                p.model_copy(update={"far": None}) if "shutdown" in p.serves else p
                for p in unit.signals
            )
        }
    )
    kit = Catalogue([silent, *(e for e in d.catalogue.entries.values() if e.id != silent.id)])
    found = design(d.plan, kit).harness.found
    assert not any("contact" in f.key for f in found)
    assert sum(f.key.startswith("link.pins.link-shutdown") for f in found) == 2


def test_two_wires_in_a_clamp_made_for_one_are_said():
    """Meter and battery on one pair, the clamps of the unit made for a wire each."""
    from tests.core.link.test_own_kit import JOBS, KIT

    name = "one unit, four packs, meter and bank on one pair"
    unit = KIT.inverters["own-h6"]
    single = unit.model_copy(
        update={"signals": tuple(p.model_copy(update={"holds": 1}) for p in unit.signals)}
    )
    kit = Catalogue([single, *(e for e in KIT.entries.values() if e.id != unit.id)])
    tight = [
        f.key
        for f in design(Plan.model_validate(JOBS[name]), kit).harness.found
        if f.key.startswith("link.tight")
    ]
    assert tight == ["link.tight.link-BMS link", "link.tight.link-meter"]
    whole = design(Plan.model_validate(JOBS[name]), KIT).harness.found
    assert not any(f.key.startswith("link.tight") for f in whole)


def test_a_protocol_in_common_at_two_bit_rates_is_said_so():
    shelf = catalogue()
    pack = shelf.packs["tidewell-14"]
    slow = pack.model_copy(
        update={"signals": tuple(p.model_copy(update={"bit_rate": 250_000}) for p in pack.signals)}
    )
    kit = Catalogue([slow, *(e for e in shelf.entries.values() if e.id != pack.id)])
    found = design(Plan.model_validate(plans.TERN_HOLLOW), kit).harness.found
    says = next(f.says for f in found if f.key == "link.protocol")
    assert "both know" in says and "CAN 500 kbit/s" in says and "CAN 250 kbit/s" in says
