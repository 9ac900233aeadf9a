"""The search for a cause as a crew walks it: look after look, mended, weighed anew; alarms; the
divider.
"""

from html import escape

import pytest

from gumboot.core.diagnose.engine import believe, next_look
from gumboot.core.diagnose.problems import PROBLEMS
from gumboot.core.plan import Plan
from gumboot.demo.plans import SALTINGS_BARN


@pytest.fixture
def barn(new_job):
    return new_job(Plan.model_validate(SALTINGS_BARN))


def page(person, job, of):
    return person.get(f"/jobs/{job}/prove/why.json?of={of}").json()


def answer(person, job, of, look, n):
    return person.post(
        f"/jobs/{job}/prove/why", {"of": of, "look": look, "answer": str(n), "act": "seen"}
    )


@pytest.mark.parametrize("key", sorted(PROBLEMS))
def test_every_cause_is_walked_to_by_clicks(installer, new_job, key):
    """Answers as the first cause would give them: it stands first, and is sure or nothing tells
    more.
    """
    job, problem = new_job(Plan.model_validate(SALTINGS_BARN)), PROBLEMS[key]
    cause = problem.causes[0]
    for _ in range(len(problem.looks)):
        now = page(installer, job, key)
        if now["look"] is None:
            break
        look = problem.look(now["look"]["key"])
        want = look.shows[cause.key]
        n = want[0] if isinstance(want, tuple) else want
        assert answer(installer, job, key, look.key, n).status_code == 303
    now = page(installer, job, key)
    assert now["causes"][0]["key"] == cause.key and (now["sure"] or now["look"] is None)
    assert (
        escape(cause.mend.split(",")[0]).replace("&#x27;", "&#39;")
        in installer.get(f"/jobs/{job}/prove/why?of={key}").text
    )


def test_the_look_asked_is_the_engines_own(installer, barn):
    p = PROBLEMS["heat"]
    assert page(installer, barn, "heat")["look"]["key"] == next_look(believe(p, []))[0].key


def test_readings_point_at_a_search_and_it_is_mended(installer, barn):
    installer.post(f"/jobs/{barn}/prove", {"sky.light": "850", "sky.cell": "48"})
    installer.post(f"/jobs/{barn}/prove", {"string.A.open": "390"})
    assert [p["key"] for p in page(installer, barn, "")["suggested"]] == ["low_voc"]
    installer.post(f"/jobs/{barn}/prove", {"string.B.open": "600"})
    assert {p["key"] for p in page(installer, barn, "")["suggested"]} == {"low_voc", "high_voc"}
    look = page(installer, barn, "low_voc")["look"]
    bad = installer.post(f"/jobs/{barn}/prove/why", {"of": "low_voc", "look": look["key"]})
    assert bad.status_code == 422 and "Choose what it shows" in bad.text
    answer(installer, barn, "low_voc", look["key"], 1)
    assert page(installer, barn, "")["open"] == ["low_voc"]
    bare = installer.post(f"/jobs/{barn}/prove/why", {"of": "low_voc", "act": "mended"})
    assert bare.status_code == 422 and "Type what was found" in bare.text
    sent = {"of": "low_voc", "act": "mended", "note": "Two modules were not plugged in"}
    assert installer.post(f"/jobs/{barn}/prove/why", sent).status_code == 303
    assert page(installer, barn, "low_voc")["seen"] == []
    assert "Two modules were not plugged in" in installer.get(f"/jobs/{barn}/land/log").text


def test_a_supervisor_weighs_the_causes(installer, supervisor, barn):
    sent = {"of": "heat", "job": str(barn), "device": "500", "torque": "x"}
    assert installer.post("/weights", sent).status_code == 403
    assert supervisor.post("/weights", sent).status_code == 303
    now = page(installer, barn, "heat")
    assert now["weights"]["device"] == 500 and now["causes"][0]["key"] == "device"
    supervisor.post("/weights", {"of": "heat", "job": str(barn)})
    assert page(installer, barn, "heat")["causes"][0]["key"] == "torque"


def test_alarms_are_looked_up_by_the_units_own_codes(installer, barn):
    alarms = page(installer, barn, "")["alarms"]
    assert {"code": "203", "problem": "no_link"}.items() <= alarms[2].items()
    assert all(a["problem"] in ("", *PROBLEMS) for a in alarms)


@pytest.mark.parametrize(
    ("sent", "status", "says"),
    [
        ({"string": "A", "plus": "128", "minus": "300", "open": "428"}, 200, "modules 4 and 5"),
        ({"string": "A", "plus": "x", "minus": "2", "open": "428"}, 422, "all three in volts"),
        ({"string": "A", "plus": "nan", "minus": "2", "open": "428"}, 422, "all three in volts"),
        ({"string": "A", "plus": "1e400", "minus": "2", "open": "9"}, 422, "all three in volts"),
        ({"string": "Q", "plus": "1", "minus": "2", "open": "4"}, 422, "Choose the string"),
    ],
)
def test_the_divider(installer, barn, sent, status, says):
    modules = SALTINGS_BARN["strings"][0]["modules"]
    if status == 200:
        volts = 428 / modules
        sent = {**sent, "plus": f"{4 * volts:.1f}", "minus": f"{(modules - 4) * volts:.1f}"}
    reply = installer.post(f"/jobs/{barn}/prove/divider", sent)
    assert reply.status_code == status and says in reply.text
    assert f'value="{sent["minus"]}"' in reply.text
