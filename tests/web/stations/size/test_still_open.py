"""What Size still has to know is typed there and kept in the brief."""

from gumboot.core.plan import Plan
from tests.shapes import SHAPES, other


def test_a_sub_board_is_read_on_size_and_kept(planner, new_job):
    document = other(SHAPES["a gateway behind a sub-board"], supply__sub_board={})
    job = new_job(Plan.model_validate(document))
    page = planner.get(f"/jobs/{job}/size").text
    asked = ("supply/sub_board/breaker_a", "supply/sub_board/bus_a", "runs/sub-feeder/length_m")
    assert all(f'name="{path}"' in page for path in asked)
    assert page.count("is not known: the sub-board is fed from both ends") >= 2
    assert "Sub-board" in planner.get(f"/jobs/{job}/survey").text
