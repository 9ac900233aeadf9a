"""Job files written by the version before the network was laid out: read today they hold all they
held, their log stands as it stood, and the design is the one the crew worked to.
"""

from __future__ import annotations

import gzip
import json
from pathlib import Path

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.journal import log
from gumboot.exports import job_file
from tests.designs import design

FILES = sorted((Path(__file__).parent / "before").glob("*.json.gz"))
SIZED = ("id", "number", "conductor", "earth", "protection_a", "sets", "material")


def opened(path):
    """(the document as it was written, what is read of it, the design it gives today)"""
    raw = gzip.decompress(path.read_bytes())
    taken = job_file.read(raw)
    return json.loads(raw), taken, design(taken.plan, catalogue())


@pytest.fixture(scope="module", params=FILES, ids=lambda p: p.name.split(".")[0])
def job(request):
    return opened(request.param)


def test_the_log_is_whole_and_stands(job):
    document, taken, made = job
    assert log.first_broken(taken.uid, taken.entries) is None
    assert [e.hash for e in taken.entries] == [e["hash"] for e in document["log"]]
    known = {t.key for t in made.terminations}
    stands = log.read(taken.entries)
    kinds = ("step", "reading")
    written = {e["body"]["termination"] for e in document["log"] if e["kind"] in kinds}
    assert set(stands.events) == written
    assert written - {*ONE_END} <= known, "a reading hangs on a termination that is still there"


def test_it_goes_out_as_it_came_in(job):
    document, taken, _made = job
    assert taken.uid == document["uid"]
    plan = taken.plan.model_dump(mode="json")

    def held(old, new, at="plan"):
        if isinstance(old, dict):
            for k, v in old.items():
                held(v, new[k], f"{at}/{k}")
        elif isinstance(old, list):
            assert len(old) == len(new), at
            for i, (a, b) in enumerate(zip(old, new, strict=True)):
                held(a, b, f"{at}/{i}")
        else:
            assert old == new, at

    held(document["plan"], plan)


MORE_ENDS = {  # 250.66: off grid too a conductor goes to the electrode
    "juniper-cut": ("electrode.PE@loads-panel", "electrode.PE@electrode"),
}
MORE_LEADS = ("link-generator start", "link-shutdown loop", "guard-")  # from their ports, since
ONE_END = (  # a shield lands at one end; its other end is cut back
    "link-meter.3@main-panel",
    "link-gateway control.3@gateway",
)
ADDED = ("parallel",)  # lines that menus have had since
MENDED = {  # what the rules then got wrong, and what they say now
    # 110.14(C)(1): 250 A breakers want 250 kcmil at 75 °C terminals, 187.5 A wants 3/0
    ("heron-slip", "pack-1", "conductor"): ("2/0", "250"),
    ("heron-slip", "pack-2", "conductor"): ("2/0", "250"),
    ("heron-slip", "battery-1", "conductor"): ("2/0", "250"),
    ("tern-hollow", "pack-1", "conductor"): ("2/0", "250"),
    ("tern-hollow", "pack-2", "conductor"): ("2/0", "250"),
    ("tern-hollow", "pack-3", "conductor"): ("2/0", "250"),
    ("tern-hollow", "battery-1", "conductor"): ("2/0", "250"),
    ("juniper-cut", "pack-1", "conductor"): ("1", "3/0"),
    ("juniper-cut", "battery-1", "conductor"): ("1", "3/0"),
    # 250.122(B): 4 AWG that a 70 A breaker asks for is no growth
    ("tern-hollow", "grid-1", "earth"): ("4", "8"),
    ("tern-hollow", "grid-2", "earth"): ("4", "8"),
    ("tern-hollow", "backup-1", "earth"): ("4", "8"),
    ("tern-hollow", "backup-2", "earth"): ("4", "8"),
    # 543.1.2: what the bank's fault asks for, where the table would ask more
    ("mossbank-terrace", "battery-1", "earth"): ("16 mm²", "6 mm²"),
    ("saltings-barn", "battery-1", "earth"): ("10 mm²", "6 mm²"),
    # 60364-7-712: 1.1 times 15.7 A, where the plate's greatest current is not known
    ("mossbank-terrace", "existing-pv", "protection_a"): (16.0, 20.0),
    # 4 AWG at 75 °C terminals carries 85 A, 68 A for long
    ("tern-hollow", "charge_a", "value"): (100, 68),
    ("tern-hollow", "discharge_a", "value"): (100, 68),
}


def test_circuits_terminations_and_settings_are_the_same(job):
    document, taken, made = job
    name = taken.plan.site.name.lower().replace(" ", "-")
    old, new = document["design"], json.loads(json.dumps(job_file.design_json(made)))
    for part, keys in (("circuits", SIZED), ("settings", ("id", "value", "unit"))):
        now = {x["id"]: x for x in new[part]}
        kept = [k for k in now if k not in ADDED]
        if part == "settings":  # menus have grown since; no line went
            kept = [k for k in kept if k in {x["id"] for x in old[part]}]
            assert set(kept) == {x["id"] for x in old[part]}
        else:
            assert kept == [x["id"] for x in old[part]]
        for a, b in ((x, now[x["id"]]) for x in old[part]):
            for k in keys:
                want = MENDED.get((name, a["id"], k), (a[k], a[k]))
                assert (a[k], b[k]) == want, (name, a["id"], k)
    now = [
        t["key"]
        for t in new["terminations"]
        if t["key"] not in MORE_ENDS.get(name, ()) and not since(t["key"])
    ]
    assert now == [
        t["key"] for t in old["terminations"] if t["key"] not in ONE_END and not since(t["key"])
    ]


def since(key):
    """Whether a termination belongs to a lead that is listed by its ports since."""
    return any(x in key for x in MORE_LEADS)


def test_an_inverter_on_two_ways_of_one_board_counts_once():
    """16 A on each line, the greatest by its sheet (10 kW in three phases at 400 V are 14.4 A),
    whether it comes by its own breaker or through the gateway.
    """
    (path,) = [p for p in FILES if p.name.startswith("saltings")]
    _document, _taken, made = opened(path)
    assert made.figures["bus.output"].value == 16.0
