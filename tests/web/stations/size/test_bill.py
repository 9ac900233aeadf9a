"""Materials against stock: typed once, used by every job of the crew and by nobody else's."""

import csv
import io

import pytest


@pytest.fixture
def job(new_job, heron):
    return new_job(heron)


def typed(lines, **more):
    return {
        **{f"count/{n}": "" for n in range(len(lines))},
        **{f"price/{n}": "" for n in range(len(lines))},
        **more,
    }


def test_what_is_in_stock_is_not_bought_and_the_rest_is_priced(
    planner, job, new_job, heron, stranger
):
    lines = planner.get(f"/jobs/{job}/materials.json").json()["lines"]
    n = next(i for i, x in enumerate(lines) if x["what"].startswith("lug,") and x["count"] >= 2)
    sent = typed(lines, **{f"count/{n}": "1", f"price/{n}": "2,50"})
    assert planner.post(f"/jobs/{job}/materials", sent).status_code == 303
    data = planner.get(f"/jobs/{job}/materials.json").json()
    line = data["lines"][n]
    assert line["to_get"] == line["count"] - 1 and line["cost"] == 2.5 * line["to_get"]
    assert data["cost"] == line["cost"] and data["unpriced"] == len(lines) - 1
    rows = list(csv.DictReader(io.StringIO(planner.get(f"/jobs/{job}/materials.csv").text)))
    assert len(rows) == len(lines) and rows[n]["in_stock"] == "1" and rows[n]["price"] == "2.5"
    other = new_job(heron)
    again = planner.get(f"/jobs/{other}/materials.json").json()["lines"][n]
    assert again["stock"] == 1
    assert stranger.get(f"/jobs/{job}/materials.json").status_code == 404


@pytest.mark.parametrize("text", ["many", "-1", "1e99", "1 A"])
def test_bad_stock_is_said_at_its_field_and_nothing_is_kept(planner, job, text):
    lines = planner.get(f"/jobs/{job}/materials.json").json()["lines"]
    sent = typed(lines, **{"count/0": "7", "price/1": text})
    answer = planner.post(f"/jobs/{job}/materials", sent)
    assert answer.status_code == 422 and 'id="price-1-fault"' in answer.text
    assert 'value="7"' in answer.text
    assert planner.get(f"/jobs/{job}/materials.json").json()["lines"] == lines
