"""The Strings page: the finder and the meter card as a crew uses them."""

import re

from gumboot.core.plan import Plan
from gumboot.demo.plans import MOSSBANK_TERRACE
from tests.shapes import SHAPES
from tests.web.test_stations import plan_of

FACES = (
    "face0-modules=18&face0-tilt=30&face0-azimuth=170"
    "&face1-modules=9&face1-tilt=15+deg&face1-azimuth=260"
)


def test_the_finder_starts_from_the_plan_and_lists_what_is_legal(planner, new_job, heron):
    data = planner.get(f"/jobs/{new_job(heron)}/strings.json").json()
    assert data["asked"]["face0-modules"] == "20" and data["count"] > 0
    assert data["arrangements"][0]["used"] == 20 and data["arrangements"][0]["total"] == 20


def test_an_arrangement_is_used_at_a_click(planner, new_job, heron):
    job_id = new_job(heron)
    page = planner.get(f"/jobs/{job_id}/strings?{FACES}").text
    form = page[page.index('<form method="post"') :]
    fields = dict(re.findall(r'name="([^"]+)" value="([^"]*)"', form[: form.index("</form>")]))
    fields.pop("csrf")
    assert planner.post(f"/jobs/{job_id}/strings", fields).status_code == 303
    strings = plan_of(planner, job_id)["strings"]
    assert sum(s["modules"] for s in strings) == 27 and {s["azimuth_deg"] for s in strings} == {
        170,
        260,
    }
    assert strings[0]["run"]["length_m"] == heron.strings[0].run.length_m  # letter A keeps its run
    assert "stop" not in {
        f["finding"]["level"] for f in planner.get(f"/jobs/{job_id}/size.json").json()["findings"]
    }


def test_a_made_up_arrangement_changes_nothing(planner, new_job, heron):
    job_id = new_job(heron)
    assert (
        planner.post(f"/jobs/{job_id}/strings", {"use": "1.1:1x999@0", "version": "1"}).status_code
        == 303
    )
    assert len(plan_of(planner, job_id)["strings"]) == len(heron.strings)


def test_a_stale_page_overwrites_nothing(planner, supervisor, new_job, heron):
    job_id = new_job(heron)
    code = planner.get(f"/jobs/{job_id}/strings.json?{FACES}").json()["arrangements"][1]["code"]
    sent = {
        "use": code,
        "version": "7",
        **dict(x.split("=") for x in FACES.replace("+", " ").split("&")),
    }
    assert planner.post(f"/jobs/{job_id}/strings", sent).status_code == 409
    assert len(plan_of(planner, job_id)["strings"]) == len(heron.strings)


def test_bad_faces_are_named_and_kept(planner, new_job, heron):
    page = planner.get(
        f"/jobs/{new_job(heron)}/strings?face0-modules=lots&face1-modules=9&face1-tilt=steep"
        "&face2-modules=9&face2-azimuth=700"
    ).text
    assert (
        "“lots” is not a number of modules" in page
        and "“steep” is not an angle" in page
        and "0 to 360" in page
    )
    assert 'value="lots"' in page and 'value="steep"' in page


def test_the_meter_card(planner, new_job, heron):
    path = f"/jobs/{new_job(heron)}/strings"
    rows = {
        r["letter"]: r
        for r in planner.get(f"{path}.json?light=800&air=68+F&read-A=355&read-B=-355").json()[
            "card"
        ]["rows"]
    }
    assert (
        rows["A"]["said"] == "good"
        and rows["B"]["said"] == "reversed"
        and rows["A"]["band_pct"] == 7
    )
    for query, says in (
        ("light=much&air=20", "is not an irradiance"),
        ("light=800", "type the air"),
        ("light=9000&air=20", "1 to 1500"),
        ("light=800&air=20&read-A=many", "is not a voltage"),
    ):
        page = planner.get(f"{path}?{query}").text
        assert says in page and "aria-invalid" in page


def test_optimizers_are_read_in_any_light(planner, new_job):
    """A volt a module until they may work: no meter of light is asked for."""
    path = f"/jobs/{new_job(Plan.model_validate(SHAPES['optimizers at the modules']))}/strings"
    card = planner.get(f"{path}.json?read-A=12.1&read-B=8").json()["card"]
    rows = {r["letter"]: (r["low_v"], r["high_v"], r["said"]) for r in card["rows"]}
    assert rows == {"A": (11.5, 12.5, "good"), "B": (8.5, 9.5, "short")}


def test_strings_that_stay_are_kept_beside_new_ones(planner, new_job):
    """Modules that are up keep their string, letter and tracker."""
    job_id = new_job(Plan.model_validate(SHAPES["an old array beside a new one"]))
    before = plan_of(planner, job_id)["strings"]
    data = planner.get(f"/jobs/{job_id}/strings.json").json()
    assert data["stay"] == ["B"] and data["asked"]["face0-modules"] == "10"
    sent = {**data["asked"], "use": data["arrangements"][1]["code"], "version": "1"}
    assert planner.post(f"/jobs/{job_id}/strings", sent).status_code == 303
    after = plan_of(planner, job_id)["strings"]
    assert after[0] == before[1] and "B" not in [s["letter"] for s in after[1:]]
    assert all(s["tracker"] != "2" and s["module"] is None for s in after[1:])


def test_a_kit_without_trackers_says_so(planner, new_job):
    assert (
        "takes no strings"
        in planner.get(f"/jobs/{new_job(Plan.model_validate(MOSSBANK_TERRACE))}/strings").text
    )
