"""The Wall station as a crew uses it: places typed, tried, saved, lost to another device; the wall
described; holes ticked; and every bad input answered at its field.
"""

import io
import json
import uuid

import pytest
from PIL import Image

from gumboot.core.plan import Plan
from tests.conftest import altered
from tests.web.test_stations import plan_of


@pytest.fixture
def job(new_job, tern):
    return new_job(tern)


def places(plan, units="us", **changed):
    """The form as the page sends it."""
    from gumboot.core.basis.units import show_place

    out = {"wall": "A", "version": "1"}
    for id, s in plan["walls"][0]["placed"].items():
        for axis in "xy":
            mm = s[f"{axis}_mm"]
            out[f"{axis}.{id}"], out[f"{axis}mm.{id}"] = show_place(mm, units), str(mm)
    return out | {k.replace("__", "-"): v for k, v in changed.items()}


def test_the_page_and_its_twin(planner, job):
    page = planner.get(f"/jobs/{job}/wall")
    twin = planner.get(f"/jobs/{job}/wall.json").json()
    assert (
        page.status_code == 200
        and 'data-box="inverter-1"' in page.text
        and "Pack 2 is 1 3/16 in from Pack 1" in page.text
    )
    assert twin["wall"]["name"] == "Garage, north wall" and {b["id"] for b in twin["boxes"]} >= {
        "pack-1",
        "main-panel",
    }
    assert {r["id"] for r in twin["routes"]} >= {"battery-1", "pack-1"} and not any(
        k.startswith("_") for k in twin
    )


def test_a_job_without_a_wall_is_asked_to_describe_one(planner, new_job, tern):
    job = new_job(altered(tern, "/walls", []))
    assert planner.get(f"/jobs/{job}/wall").headers["location"].endswith("/wall/describe")
    page = planner.get(f"/jobs/{job}/wall/describe")
    assert (
        page.status_code == 200
        and "new" in page.text
        and planner.get(f"/jobs/{job}/wall.json").json()["walls"] == []
    )
    fields = dict(form_of(page.text))
    saved = planner.post(f"/jobs/{job}/wall/describe", fields)
    assert saved.status_code == 303 and "/wall?wall=A" in saved.headers["location"]
    wall = plan_of(planner, job)["walls"][0]
    assert wall["id"] == "A" and wall["made"] == "timber studs"  # as the survey has it


def form_of(page):
    """(name, value) of every field of the page's main form."""
    from html.parser import HTMLParser

    class Fields(HTMLParser):
        def __init__(self):
            super().__init__()
            self.out, self.select, self.inside = [], None, False

        def handle_starttag(self, tag, attributes):
            a = dict(attributes)
            if tag == "form":
                self.inside = "/wall/describe" in (a.get("action") or "")
            if not self.inside:
                return
            if tag == "input" and a.get("name"):
                self.out.append((a["name"], a.get("value") or ""))
            elif tag == "select":
                self.select = a["name"]
                self.out.append((self.select, None))
            elif tag == "option" and self.select and ("selected" in a or self.out[-1][1] is None):
                self.out[-1] = (self.select, a.get("value") or "")

    reader = Fields()
    reader.feed(page)
    return [(k, v or "") for k, v in reader.out if k != "csrf"]


def test_typed_places_are_saved_and_what_they_change_is_said(planner, job):
    plan = plan_of(planner, job)
    sent = places(plan, **{"x.pack-2": "31 1/8 in"})
    saved = planner.post(f"/jobs/{job}/wall", sent)
    assert (
        saved.status_code == 303 and saved.headers["location"] == f"/jobs/{job}/wall?wall=A&since=1"
    )
    after = plan_of(planner, job)["walls"][0]["placed"]
    assert after["pack-2"]["x_mm"] == pytest.approx(790.58, abs=0.01)
    assert {k: v for k, v in after.items() if k != "pack-2"} == {
        k: v for k, v in plan["walls"][0]["placed"].items() if k != "pack-2"
    }  # what was not typed keeps its tenths
    page = planner.get(saved.headers["location"]).text
    assert "What the move changed" in page and "Pack 2 to battery bus" in page


def test_places_may_be_tried_without_saving(planner, job):
    tried = planner.post(
        f"/jobs/{job}/wall",
        places(plan_of(planner, job), **{"x.inverter-2": "100 in", "more": "try"}),
    )
    assert (
        tried.status_code == 200
        and "it is not saved yet" in tried.text
        and "lie over each other" in tried.text
    )
    assert plan_of(planner, job)["walls"][0]["placed"]["inverter-2"]["x_mm"] == 3010


@pytest.mark.parametrize(
    ("field", "bad", "says"),
    [
        ("x.pack-1", "wide", "type it as 46 1/4 in"),
        ("y.pack-1", "", "type both places"),
        ("x.pack-1", "1/0", "type it as"),
        ("x.pack-1", "999 m", "beyond any wall"),
        ("x.pack-1", "9e99", "type it as"),
        ("x.pack-1", "²", "type it as"),
    ],
)
def test_a_bad_place_is_said_at_its_field_and_nothing_is_lost(planner, job, field, bad, says):
    refused = planner.post(
        f"/jobs/{job}/wall", places(plan_of(planner, job), **{field: bad, "x.inverter-1": "90 in"})
    )
    assert (
        refused.status_code == 422
        and says in refused.text
        and "everything you typed is still here" in refused.text
    )
    assert (
        'value="90 in"' in refused.text
        and plan_of(planner, job)["walls"][0]["placed"]["pack-1"]["x_mm"] == 160
    )


def test_a_box_may_be_taken_off_the_wall(planner, job):
    assert (
        planner.post(
            f"/jobs/{job}/wall", places(plan_of(planner, job), **{"x.pack-3": "", "y.pack-3": ""})
        ).status_code
        == 303
    )
    assert "pack-3" not in plan_of(planner, job)["walls"][0]["placed"]
    assert "No place yet for Pack 3" in planner.get(f"/jobs/{job}/wall").text


def test_a_box_without_a_place_is_put_up_where_nothing_is_too_near(planner, new_job, tern):
    job = new_job(altered(tern, "/walls/0/placed/inverter-2", None))
    page = planner.get(f"/jobs/{job}/wall").text
    assert "No place yet for Inverter 2" in page and 'value="put:inverter-2"' in page
    put = planner.post(f"/jobs/{job}/wall", places(plan_of(planner, job), more="put:inverter-2"))
    assert (
        put.status_code == 200
        and 'data-box="inverter-2"' in put.text
        and "Inverter 2 is" not in put.text
    )
    assert "inverter-2" not in plan_of(planner, job)["walls"][0]["placed"]  # not before it is saved


def test_two_devices_move_things_and_nobodys_work_is_lost(planner, supervisor, job):
    plan = plan_of(planner, job)
    assert (
        supervisor.post(
            f"/jobs/{job}/wall", places(plan, **{"x.pack-3": "60 in", "xmm.pack-3": ""})
        ).status_code
        == 303
    )
    lost = planner.post(f"/jobs/{job}/wall", places(plan, **{"x.pack-2": "31 1/8 in"}))
    assert lost.status_code == 409 and "Ilse Quayle saved this plan while you typed" in lost.text
    assert (
        'value="31 1/8 in"' in lost.text and 'value="60 in"' in lost.text
    )  # mine where I moved, theirs where they did
    stored = plan_of(planner, job)["walls"][0]["placed"]
    assert stored["pack-3"]["x_mm"] == pytest.approx(1524) and stored["pack-2"]["x_mm"] == 770
    both = places(
        plan, **{"x.pack-2": "31 1/8 in", "x.pack-3": "60 in", "xmm.pack-3": "", "version": "2"}
    )
    assert planner.post(f"/jobs/{job}/wall", both).status_code == 303
    stored = plan_of(planner, job)["walls"][0]["placed"]
    assert (stored["pack-2"]["x_mm"], stored["pack-3"]["x_mm"]) == (
        pytest.approx(790.58, abs=0.01),
        pytest.approx(1524),
    )


def test_while_something_moves_the_server_says_what_breaks(planner, job):
    placed = {
        k: [v["x_mm"], v["y_mm"]] for k, v in plan_of(planner, job)["walls"][0]["placed"].items()
    }
    told = planner.post(
        f"/jobs/{job}/wall/try",
        {"wall": "A", "placed": json.dumps(placed | {"pack-2": [790, 150]})},
    ).json()
    assert not any("Pack 2 is" in s["says"] for s in told["says"]) and told["zones"].startswith(
        "<rect"
    )
    worse = planner.post(
        f"/jobs/{job}/wall/try",
        {"wall": "A", "placed": json.dumps(placed | {"pack-2": [400, 150]}), "settled": "1"},
    ).json()
    assert any("lie over each other" in s["says"] for s in worse["says"]) and any(
        "Pack 2 to battery bus" in c for c in worse["changed"]
    )
    assert plan_of(planner, job)["walls"][0]["placed"]["pack-2"]["x_mm"] == 770
    for bad in (
        "",
        "[]",
        '{"a": 1}',
        '{"a": [1]}',
        '{"a": ["x", 2]}',
        '{"a": [1e99, 0]}',
        "null",
        "9",
        '{"a": [NaN, 1]}',
    ):
        assert planner.post(f"/jobs/{job}/wall/try", {"wall": "A", "placed": bad}).status_code in (
            200,
            422,
        ), bad


def test_arranged_and_taken(planner, job):
    page = planner.post(f"/jobs/{job}/wall", places(plan_of(planner, job), more="arrange")).text
    assert "Take layout 1" in page and "Battery cables" in page
    import html

    kept = html.unescape(page.split('name="layout1" value="')[1].split('"')[0])
    taken = planner.post(
        f"/jobs/{job}/wall", {"wall": "A", "version": "1", "layout1": kept, "more": "take:1"}
    )
    assert taken.status_code == 303
    d = planner.get(f"/jobs/{job}/wall.json").json()
    assert [s for s in d["says"] if s["level"] == "stop"] == []
    assert (
        planner.post(
            f"/jobs/{job}/wall", {"wall": "A", "version": "2", "layout1": "{", "more": "take:1"}
        ).status_code
        == 422
    )


def test_the_wall_described_with_rows(planner, job):
    page = planner.get(f"/jobs/{job}/wall/describe?wall=A").text
    fields = dict(form_of(page))
    row = "walls/0/neighbours/1"
    fields |= {
        f"{row}/kind": "hidden pipe",
        f"{row}/x_mm": "200 in",
        f"{row}/y_mm": "0",
        f"{row}/width_mm": "1 1/2",
        f"{row}/height_mm": "108",
        "walls/0/swept": "yes",
    }
    extra = "walls/0/extras/0"
    fields |= {
        f"{extra}/label": "Network box",
        f"{extra}/kind": "network box",
        f"{extra}/width_mm": "8",
        f"{extra}/height_mm": "8",
        f"{extra}/depth_mm": "3",
        f"{extra}/mass_kg": "1",
    }
    assert planner.post(f"/jobs/{job}/wall/describe", fields).status_code == 303
    wall = plan_of(planner, job)["walls"][0]
    assert (
        wall["swept"]
        and wall["neighbours"][1]["kind"] == "hidden pipe"
        and wall["neighbours"][1]["width_mm"] == 38.1
    )
    assert wall["extras"][0]["label"] == "Network box" and wall["placed"]["pack-1"] == {
        "x_mm": 160,
        "y_mm": 150,
    }
    assert "Network box" in planner.get(f"/jobs/{job}/wall").text
    second = dict(form_of(planner.get(f"/jobs/{job}/wall/describe?wall=new").text))
    second |= {k.replace("walls/0", "walls/1"): v for k, v in fields.items() if "/extras/0/" in k}
    assert planner.post(f"/jobs/{job}/wall/describe", second).status_code == 303
    ids = [x["id"] for w in plan_of(planner, job)["walls"] for x in w["extras"]]
    assert len(ids) == len(set(ids)) == 2  # the same name on two walls, told apart
    fields["version"] = "3"
    more = planner.post(
        f"/jobs/{job}/wall/describe",
        {**fields, "more": "row:neighbours", "walls/0/name": "kept while I ask"},
    )
    assert (
        more.status_code == 200
        and "kept while I ask" in more.text
        and "walls-0-neighbours-3-x_mm" in more.text
    )


@pytest.mark.parametrize(
    ("field", "bad", "says"),
    [
        ("walls/0/width_mm", "wide", "type it as 46 1/4 in"),
        ("walls/0/width_mm", "", "type a length"),
        ("walls/0/width_mm", "0", "more than 0"),
        ("walls/0/stud_pitch_mm", "1 mm", "at least 100"),
        ("walls/0/made", "cheese", "choose one of"),
        ("walls/0/neighbours/1/x_mm", "12 in", "type it, or empty the row"),
        ("walls/0/neighbours/0/width_mm", "0", "more than 0"),
        ("walls/0/name", "", "type a name"),
    ],
)
def test_a_bad_wall_is_said_at_its_field(planner, job, field, bad, says):
    fields = dict(form_of(planner.get(f"/jobs/{job}/wall/describe?wall=A").text)) | {
        field: bad,
        "walls/0/eye_mm": "61 in",
    }
    refused = planner.post(f"/jobs/{job}/wall/describe", fields)
    assert refused.status_code == 422 and says in refused.text and 'value="61 in"' in refused.text
    assert plan_of(planner, job)["walls"][0]["eye_mm"] == 1600


def test_a_second_wall_and_away_with_it(planner, job):
    fields = dict(form_of(planner.get(f"/jobs/{job}/wall/describe?wall=new").text)) | {
        "walls/1/name": "Outside"
    }
    assert planner.post(f"/jobs/{job}/wall/describe", fields).status_code == 303
    assert [w["id"] for w in plan_of(planner, job)["walls"]] == ["A", "B"] and planner.get(
        f"/jobs/{job}/wall?wall=B"
    ).status_code == 200
    assert (
        planner.post(
            f"/jobs/{job}/wall/describe", {**fields, "version": "2", "more": "take-away"}
        ).status_code
        == 303
    )
    assert [w["id"] for w in plan_of(planner, job)["walls"]] == ["A"]


def test_a_stale_wall_form_overwrites_nothing(planner, supervisor, job):
    fields = dict(form_of(planner.get(f"/jobs/{job}/wall/describe?wall=A").text))
    assert (
        supervisor.post(
            f"/jobs/{job}/wall/describe", {**fields, "walls/0/name": "Theirs"}
        ).status_code
        == 303
    )
    lost = planner.post(f"/jobs/{job}/wall/describe", {**fields, "walls/0/name": "Mine"})
    assert (
        lost.status_code == 409
        and "Theirs" in lost.text
        and 'value="Mine"' in lost.text
        and plan_of(planner, job)["walls"][0]["name"] == "Theirs"
    )


def picture():
    out = io.BytesIO()
    Image.new("RGB", (40, 30), "white").save(out, "JPEG")
    return out.getvalue()


def test_holes_are_ticked_once_with_offset_photo_and_what_they_mean_for_the_plan(
    installer, planner, job
):
    first = planner.get(f"/jobs/{job}/wall/drill.json").json()
    hole = next(h for h in first["holes"] if h["id"].startswith("inverter-1."))
    photo = installer.post(
        f"/jobs/{job}/log/photo",
        {"what": "wall for the kit", "note": "hole"},
        files={"photo": ("h.jpg", picture(), "image/jpeg")},
    )
    sent = {
        "kind": "hole",
        "wall": "A",
        "key": hole["id"],
        "right": "1/8",
        "up": "-2 mm",
        "note": "hit a nail",
        "uuid": str(uuid.uuid4()),
        "digest": photo.json()["digest"],
    }
    for _ in range(2):  # sent twice, kept once
        assert installer.log(job, sent).json()["entries"][0]["state"] == "kept"
    now = planner.get(f"/jobs/{job}/wall/drill.json").json()
    row = next(h for h in now["holes"] if h["id"] == hole["id"])
    assert (
        now["done"] == 1
        and row["drilled"]["right_mm"] == pytest.approx(3.2, abs=0.05)
        and row["drilled"]["up_mm"] == -2
        and len(row["drilled"]["photo"]) == 64
    )
    assert now["as_built"][0]["box"] == "inverter-1"
    assert (
        planner.post(
            f"/jobs/{job}/wall/as-built", {"wall": "A", "box": "inverter-1", "version": "1"}
        ).status_code
        == 303
    )
    spot = plan_of(planner, job)["walls"][0]["placed"]["inverter-1"]
    assert (spot["x_mm"], spot["y_mm"]) == (2203.2, 1208)
    assert planner.get(f"/jobs/{job}/wall/drill.json").json()["as_built"] == []
    exported = planner.get(f"/jobs/{job}/export.json").json()
    assert [e["body"]["hole"] for e in exported["log"] if e["kind"] == "drill"] == [hole["id"]]


@pytest.mark.parametrize(
    ("field", "bad", "says"),
    [
        ("right", "far", "type it as"),
        ("up", "3 ft", "is another place"),
        ("key", "gone", "no longer in the plan"),
        ("digest", "0" * 64, "has not come in"),
    ],
)
def test_a_bad_tick_is_said_at_its_field_and_nothing_is_kept(
    installer, planner, job, field, bad, says
):
    hole = planner.get(f"/jobs/{job}/wall/drill.json").json()["holes"][0]["id"]
    refused = installer.log(job, {"kind": "hole", "wall": "A", "key": hole, field: bad}).json()[
        "entries"
    ][0]
    assert (
        refused["state"] == "refused"
        and says in refused["why"]
        and refused["field"] == {"key": "hole", "digest": "photo"}.get(field, field)
    )
    assert planner.get(f"/jobs/{job}/wall/drill.json").json()["done"] == 0


def test_a_photograph_that_is_none(installer, job):
    answer = installer.post(
        f"/jobs/{job}/log/photo", {}, files={"photo": ("x.jpg", b"not a picture", "image/jpeg")}
    )
    assert answer.status_code == 422 and answer.json()["field"] == "photo"
    assert installer.post(f"/jobs/{job}/log/photo", {}).status_code == 422


def test_files_of_a_wall_and_of_none(planner, job):
    for path in ("wall-A.svg", "wall-A/drill.csv", "wall-A/wall.dxf"):
        assert planner.get(f"/jobs/{job}/{path}").status_code == 200


def test_a_plan_of_before_has_no_walls(tern):
    document = tern.model_dump(mode="json")
    del document["walls"], document["spacing"]
    assert Plan.model_validate(document).walls == ()
