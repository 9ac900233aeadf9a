"""Files taken in: I-V curves, transfers, load steps, discharges; a multifunction tester's; heat."""

import io

import numpy as np
import pytest

from gumboot.catalogue import catalogue
from gumboot.core.plan import Plan
from gumboot.core.prove.curves.diode import of_sheet
from gumboot.demo.plans import HERON_SLIP, SALTINGS_BARN, TERN_HOLLOW
from tests.core.prove.test_curves import wave


@pytest.fixture
def barn(new_job):
    return new_job(Plan.model_validate(SALTINGS_BARN))


def table(heads, *columns, delimiter=","):
    out = io.StringIO()
    out.write(delimiter.join(heads) + "\n")
    for row in zip(*columns, strict=True):
        out.write(delimiter.join(f"{x:.6g}" for x in row) + "\n")
    return out.getvalue()


def send(person, job, what, sent, **more):
    data = sent.encode() if isinstance(sent, str) else sent
    files = {"file": ("run.csv", data)} if data else None
    return person.post(f"/jobs/{job}/prove/curves", {"what": what, **more}, files=files)


def kept(person, job):
    return person.get(f"/jobs/{job}/prove/curves.json").json()["curves"]


def rows(person, job):
    page = person.get(f"/jobs/{job}/prove.json").json()
    return {r["key"]: r for s in page["stages"] for r in s["rows"]}


def string(modules, light=850, cell=48):
    m = catalogue().modules[SALTINGS_BARN["kit"]["module"]]
    d = of_sheet(m.i_sc_a, m.v_oc_v, m.i_mp_a, m.v_mp_v, 0.0005, m.beta_voc_per_c)
    v, i = d.at(light, cell).times(modules).curve(80)
    inside = (v >= 0) & (i >= 0)
    return v[inside], i[inside]


def test_a_curve_is_read_drawn_and_stands_as_the_strings_reading(installer, barn):
    n = SALTINGS_BARN["strings"][0]["modules"]
    text = table(("Voltage (V)", "Current (A)"), *string(n))
    lacks = send(installer, barn, "iv", text, string="A", cell="48")
    assert lacks.status_code == 422 and "light in the array" in lacks.text
    installer.post(f"/jobs/{barn}/prove", {"sky.light": "850", "sky.cell": "48"})
    more = {"string": "A", "light": "850", "cell": "48"}
    assert send(installer, barn, "iv", text, **more).status_code == 303
    (curve,) = kept(installer, barn)
    assert curve["verdict"] == "done" and curve["says"] == "as expected"
    assert rows(installer, barn)["string.A.open"]["verdict"] == "done"
    assert rows(installer, barn)["string.A.short"]["complete"]
    page = installer.get(f"/jobs/{barn}/prove/curves").text
    assert (
        'class="curve-band"' in page
        and 'class="curve measured"' in page
        and 'class="curve expected"' in page
    )
    short = table(("Voltage (V)", "Current (A)"), *string(n - 1))
    assert send(installer, barn, "iv", short, **more).status_code == 303
    assert "1 module short" in kept(installer, barn)[0]["says"]
    assert "why?of=low_voc" in installer.get(f"/jobs/{barn}/prove/curves").text


def test_columns_that_say_nothing_are_chosen_once_and_remembered(installer, barn):
    t, v = wave(7)
    text = table(("one", "two"), 1000 * t, v)
    asked = send(installer, barn, "transfer", text)
    assert asked.status_code == 422 and "Choose the column of: time, volts" in asked.text
    assert "The file is still here" in asked.text
    ms = table(("one [ms]", "two"), 1000 * t, v)
    chosen = {"column-time": "0", "column-volts": "1", "text": ms}
    assert send(installer, barn, "transfer", "", **chosen).status_code == 303
    (curve,) = kept(installer, barn)
    assert curve["values"]["gap_ms"] == pytest.approx(7, abs=1.5)
    assert rows(installer, barn)["transfer.gap"]["verdict"] == "done"
    again = table(("one [ms]", "two"), 1000 * t, wave(40)[1])
    assert send(installer, barn, "transfer", again).status_code == 303
    assert kept(installer, barn)[0]["verdict"] == "outside"
    assert rows(installer, barn)["transfer.gap"]["verdict"] == "outside"
    assert len(rows(installer, barn)["transfer.gap"]["before"]) == 1


def test_a_load_step_and_a_discharge(installer, barn):
    t = np.arange(0, 120.0)
    loads = 400 + 3000.0 * (t >= 42)
    grid, battery = 100 + 1200.0 * (t >= 46), 300 + 1800.0 * (t >= 50)
    heads = ("Time (s)", "Load W", "Grid W", "Battery W")
    assert send(installer, barn, "step", table(heads, t, loads, grid, battery)).status_code == 303
    (curve,) = kept(installer, barn)
    assert curve["verdict"] == "done" and "late: grid 4.0 s, battery 8.0 s" in curve["says"]
    assert rows(installer, barn)["sum.closes"]["verdict"] == "done"
    s = np.linspace(0, 3600, 200)
    heads = ("time s", "volts", "amps", "soc %")
    text = table(heads, s, 350 - s / 400, np.full(200, 20.0), 90 - 20 * s / 3600)
    assert send(installer, barn, "discharge", text).status_code == 303
    newest = kept(installer, barn)[0]
    assert newest["values"]["capacity_ah"] == pytest.approx(100, rel=0.01)
    row = rows(installer, barn)["battery.capacity"]
    assert row["read"] == "100 Ah" and row["complete"]


@pytest.mark.parametrize(
    ("light", "cell", "says"),
    [("nan", "40", "50 to 1500"), ("800", "nan", "-40 to 95"), ("1e9", "40", "50 to 1500")],
)
def test_a_curve_in_no_light_of_this_world(installer, barn, light, cell, says):
    text = table(("volts", "amps"), *string(12))
    answer = send(installer, barn, "iv", text, string="A", light=light, cell=cell)
    assert answer.status_code == 422 and says in answer.text


@pytest.mark.parametrize(
    ("what", "text", "says"),
    [
        ("iv", "", "Choose a file"),
        ("song", "a,b\n1,2\n", "Choose what the file holds"),
        ("transfer", b"\x00\x01\x02\xff", "not text"),
        ("transfer", "time,volts\n1,2\n3,4\n", "too few"),
        ("discharge", "time s,volts,amps,soc\n1,2,x,4\nq,4,5,6\n", "lines hold numbers"),
        ("step", "time,load\n" + "\n".join(f"{n},5" for n in range(20)), "nothing changes"),
    ],
)
def test_a_file_that_says_nothing_says_what_to_send(installer, barn, what, text, says):
    answer = send(installer, barn, what, text, light="850", cell="48", string="A")
    assert (
        answer.status_code == 422
        and says.lower() in answer.text.lower()
        and 'value="850"' in answer.text
    )


def take_in(person, job, sent="", **more):
    files = {"file": ("tester.csv", sent.encode())} if sent else None
    return person.post(f"/jobs/{job}/prove/tester", more, files=files)


def test_a_testers_file_is_shown_before_it_is_kept(installer, barn):
    """Wide: a circuit a line, a column a test; circuits by number, by words, and one unknown."""
    text = (
        "some tester, 2.1\n"
        "Circuit;R PE (Ohm);R iso (MOhm)\n"
        "C1 string A;0.14;\n"
        "grid, main board to inverter;0,03;> 999\n"
        "garden shed;0.5;> 999\n"
    )
    shown = take_in(installer, barn, text, tool="tester 3")
    assert shown.status_code == 200 and "5 readings" in shown.text
    assert not rows(installer, barn)["earth.pv-A"]["complete"]
    assert take_in(installer, barn, "", text=text, act="keep", tool="tester 3").status_code == 303
    now = rows(installer, barn)
    assert now["earth.pv-A"]["read"] == "0.14" and now["earth.grid-1"]["complete"]
    assert now["insulation.grid-1"]["complete"] and now["earth.pv-A"]["tool"] == "tester 3"
    assert "line 3: C1 string A" in now["earth.pv-A"]["note"]


def test_a_long_file_with_a_line_a_reading(installer, barn):
    text = (
        "Nr,Location,Test type,Value,Units\n"
        "1,30 mA backed-up circuits,Trip time,24,ms\n"
        "2,C1,Continuity,0.15,Ohm\n"
    )
    data = take_in(installer, barn, text)
    assert data.status_code == 200
    assert take_in(installer, barn, "", text=text, act="keep").status_code == 303
    assert rows(installer, barn)["earth.pv-A"]["read"].startswith("0.15")


def test_another_makers_order_of_columns_is_asked_and_remembered(installer, barn):
    text = "alpha,beta\nC1,0.14\nC2,0.17\n"
    asked = take_in(installer, barn, text)
    assert asked.status_code == 422 and "Choose what the columns hold" in asked.text
    told = {"column-0": "place", "column-1": "earth"}
    assert take_in(installer, barn, "", text=text, act="keep", **told).status_code == 303
    assert rows(installer, barn)["earth.pv-B"]["complete"]
    assert "2 readings" in take_in(installer, barn, text).text


def test_what_cannot_be_read_of_a_testers_file_stays_on_the_page(installer, barn):
    text = "Circuit,R PE\nC1,0.14\nC2,none\n"
    answer = take_in(installer, barn, "", text=text, act="keep")
    assert answer.status_code == 422 and "type what the meter shows" in answer.text
    assert rows(installer, barn)["earth.pv-A"]["complete"]


def test_heat_is_brought_to_rated_current(installer, new_job):
    job = new_job(Plan.model_validate(HERON_SLIP))
    spots = installer.get(f"/jobs/{job}/prove/curves.json").json()["spots"]
    n = next(i for i, s in enumerate(spots) if "lugs" in s["name"])
    rated = spots[n]["rated"]
    bad = installer.post(
        f"/jobs/{job}/prove/heat", {"air": "warm", f"spot{n}": "40", f"amps{n}": "x"}
    )
    assert bad.status_code == 422 and "type the air" in bad.text and "type the amperes" in bad.text
    assert 'value="warm"' in bad.text and 'value="40"' in bad.text
    good = {"air": "24", f"spot{n}": "30", f"amps{n}": f"{0.8 * rated:.1f}"}
    assert installer.post(f"/jobs/{job}/prove/heat", good).status_code == 303
    assert rows(installer, job)["heat.spots"]["verdict"] == "done"
    hot = {"air": "24", f"spot{n}": "70", f"amps{n}": f"{0.5 * rated:.1f}"}
    assert installer.post(f"/jobs/{job}/prove/heat", hot).status_code == 303
    row = rows(installer, job)["heat.spots"]
    assert row["verdict"] == "outside" and "more than the" in row["why"]
    little = {"air": "24", f"spot{n}": "30", f"amps{n}": f"{0.1 * rated:.1f}"}
    assert installer.post(f"/jobs/{job}/prove/heat", little).status_code == 303
    assert rows(installer, job)["heat.spots"]["verdict"] == "withheld"


def test_a_step_that_is_worked_out_elsewhere_takes_no_tick(installer, barn):
    sent = {"uuid": "12345678-1234-1234-1234-123456789012", "kind": "test", "key": "heat.spots"}
    (no,) = installer.log(barn, {**sent, "act": "done"}).json()["entries"]
    assert no["state"] == "refused" and "own page" in no["why"]


def test_a_big_job_takes_a_page(installer, new_job):
    job = new_job(Plan.model_validate(TERN_HOLLOW))
    assert len(rows(installer, job)) > 60
