"""Arranging: what is proposed is judged again by the rules; on small walls it is as good as trying
every place there is; where nothing fits, the rule in the way is named.
"""

import itertools

import pytest

from gumboot.catalogue import catalogue
from gumboot.core.basis.finding import Level
from gumboot.core.kit.enclosure import Clear, Enclosure, Hole
from gumboot.core.plan import Backing, Neighbour, Plan, Wall
from gumboot.core.wall import Placed
from gumboot.core.wall.arrange import ALIKE, GRID_MM, RULES, Job, arrange, merged
from gumboot.core.wall.bodies import Box
from gumboot.core.wall.gaps import short
from gumboot.core.wall.rules import bounds
from gumboot.demo.plans import JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from tests.conftest import altered
from tests.designs import design

pytestmark = pytest.mark.long

BOOK = catalogue()


def arranged(plan, **kwargs):
    d = design(plan, BOOK)
    return arrange(plan, 0, d.boxes, [s.circuit for s in d.circuits], BOOK, **kwargs)


@pytest.mark.parametrize("document", [TERN_HOLLOW, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT])
def test_what_is_proposed_keeps_every_rule(document):
    plan = Plan.model_validate(document)
    found = arranged(plan)
    assert 1 <= len(found.best) <= 3
    for a in found.best:
        wall = plan.walls[0].model_copy(
            update={"placed": plan.walls[0].placed | a.placed, "backing": a.backing}
        )
        d = design(plan.model_copy(update={"walls": (wall,)}), BOOK)
        assert [f.says for f in d.findings if f.place == "wall-A" and f.level is Level.STOP] == []
        assert all(r.clear for w in d.walls for r in w.routes if r.want.system != "signal")
        assert a.margin_mm >= 0 and a.eye_off_mm <= 200
        dc = sum(r.length.n for w in d.walls for r in w.routes if r.want.system == "dc")
        assert a.battery_m == pytest.approx(dc, rel=0.02)
    for a, b in itertools.combinations(found.best, 2):
        assert (
            max(
                max(
                    abs(a.placed[k].x_mm - b.placed[k].x_mm),
                    abs(a.placed[k].y_mm - b.placed[k].y_mm),
                )
                for k in a.placed
            )
            >= 300
        )


def test_what_hung_before_stays():
    plan = Plan.model_validate(TERN_HOLLOW)
    assert not {"main-panel", "loads-panel"} & set(arranged(plan, most=1).best[0].placed)


def tiny(id, width, height, **more):
    enclosure = Enclosure(
        width=width, height=height, depth=100, mass_kg=5, holes=(Hole(x=20, y=20),), **more
    )
    return Box(id, id, "other", enclosure, ((id, 5, 0.0),))


def brute(wall, boxes, plan, cost):
    """Every grid place of every box."""
    ranges = []
    for b in boxes:
        r = bounds(wall, Placed(b, 0, 0))
        up = lambda v: int(-(-v // GRID_MM))  # noqa: E731
        ranges.append(
            [
                Placed(b, x * GRID_MM, y * GRID_MM)
                for x in range(up(r.left), int(r.right // GRID_MM) + 1)
                for y in range(up(r.bottom), int(r.top // GRID_MM) + 1)
            ]
        )
    job = Job(plan, wall, boxes, [], [], BOOK)
    best = None
    for ps in itertools.product(*ranges):
        if all(
            short(a.rect, b.rect, job.between(a.box, b.box)) <= 1e-6
            for a, b in itertools.combinations(ps, 2)
        ):
            c = cost(ps)
            best = c if best is None else min(best, c)
    return best


@pytest.mark.long
@pytest.mark.parametrize(
    ("width", "height"), [(260, 130), (200, 200), (150, 210), (230, 150), (155, 155)]
)
def test_small_walls_are_arranged_as_well_as_by_trying_everything(width, height):
    """Boxes of one role want one line: the least difference of heights that any placing allows;
    none where none fits.
    """
    plan = Plan.model_validate(TERN_HOLLOW)
    wall = Wall(id="A", width_mm=width, height_mm=height, made="concrete", eye_mm=1500)
    boxes = [tiny("a", 60, 50), tiny("b", 70, 60, clear=Clear(left=10, right=10))]
    job = Job(plan, wall, boxes, [], [], BOOK)
    by_hand = brute(wall, boxes, plan, lambda ps: ALIKE * abs(ps[0].y - ps[1].y) / GRID_MM)
    found = job.solve([], (), 2.0)
    assert (found is None) == (by_hand is None)
    if found:
        assert found[0] == pytest.approx(by_hand)


def test_a_wall_too_small_names_the_rule_in_the_way():
    """Two boxes that would fit but for their gap; and one that is wider than the wall."""
    plan = altered(
        Plan.model_validate(SALTINGS_BARN),
        "/walls/0/neighbours",
        [Neighbour(kind="window", x_mm=1000, y_mm=1000, width_mm=200, height_mm=900).model_dump()],
    )
    tight = arranged(
        altered(altered(plan, "/walls/0/width_mm", 2500), "/walls/0/placed", {}), seconds=1.0
    )
    assert not tight.best and RULES["neighbour"] in tight.blocked_by
    narrow = arranged(altered(altered(plan, "/walls/0/width_mm", 500), "/walls/0/placed", {}))
    assert (
        not narrow.best
        and "does not go onto this wall" in narrow.why
        and narrow.blocked_by == (RULES["edge"],)
    )


def test_nothing_to_arrange_is_said():
    plan = Plan.model_validate(MOSSBANK_TERRACE)
    wall = plan.walls[0]
    two = plan.model_copy(update={"walls": (wall, Wall(id="B"))})
    d = design(two, BOOK)
    assert "nothing to arrange" in arrange(two, 1, d.boxes, [], BOOK).why


def test_boards_that_overlap_become_one():
    a, b, c = (Backing(x_mm=x, y_mm=0, width_mm=100, height_mm=100) for x in (0, 50, 400))
    one = merged([a, b, c])
    assert [(m.x_mm, m.width_mm) for m in one] == [(0, 150), (400, 100)]
