"""The wall's rules: gaps against shapely, lifts against NIOSH's own examples, anchors by hand, ways
against networkx, and cures that cure.
"""

import itertools
from dataclasses import replace

import networkx
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import box as polygon
from shapely.ops import unary_union

from gumboot.catalogue import catalogue
from gumboot.core.basis.patch import apply
from gumboot.core.kit.enclosure import Clear, Enclosure, Hole
from gumboot.core.plan import Backing, Neighbour, Plan, Spot, Wall
from gumboot.core.wall import Placed, boxes, hang
from gumboot.core.wall.bodies import Box
from gumboot.core.wall.fixing import FACTOR, hold, on_stud, rail_screws, studs, well_held
from gumboot.core.wall.gaps import Wanted, between, covered, short
from gumboot.core.wall.lifting import TEAM, lifts_of, recommended
from gumboot.core.wall.rect import Rect
from gumboot.core.wall.routes import STANDOFF_MM, STUB_MM, TURN_MM, Want, corners, lines, route
from gumboot.core.wall.rules import Scene, bounds, fall_off_db, judge
from gumboot.demo.plans import HERON_SLIP, JUNIPER_CUT, MOSSBANK_TERRACE, SALTINGS_BARN, TERN_HOLLOW
from tests.conftest import altered
from tests.designs import design

BOOK = catalogue()
PLANS = (TERN_HOLLOW, HERON_SLIP, SALTINGS_BARN, MOSSBANK_TERRACE, JUNIPER_CUT)


def a_box(id="b", width=300.0, height=400.0, depth=200.0, mass=30.0, **more):
    holes = more.pop("holes", (Hole(x=40, y=height - 50), Hole(x=width - 40, y=height - 50)))
    enclosure = Enclosure(
        width=width, height=height, depth=depth, mass_kg=mass, holes=holes, **more
    )
    return Box(id, id, "inverter", enclosure, ((id, mass, 0.0),))


def found(plan):
    d = design(plan, BOOK)
    return {f.key: f for f in (*d.findings, *d.duties)}


# ── lifting ───────────────────────────────────────────────────────────────────────────────────────
# ───────────────────


def test_the_best_lift_is_23_kg():
    assert recommended(25, 75, 25, quality="good").n == pytest.approx(
        23.0
    )  # NIOSH 94-110: the load constant


@pytest.mark.parametrize(
    ("h", "v", "d", "quality", "limit_kg", "index", "load_kg"),
    [
        # NIOSH 94-110, example 1, loading punch press stock, 44 lb: H 23 in, V 15 and 64 in, D 49
        # in; 16.3 and 14.5 lb, indices 2.7 and 3.0,
        # with every factor rounded to two places and in pounds. From memory.
        (58.42, 38.1, 124.46, "fair", 16.3 * 0.4536, 2.7, 44 * 0.4536),
        (58.42, 162.56, 124.46, "good", 14.5 * 0.4536, 3.0, 44 * 0.4536),
        # Worked by hand: H 40, V 75, D 25: 23 · 25/40 = 14.375 kg; at V 175: · 0.7.
        (40, 75, 25, "good", 14.375, None, None),
        (25, 175, 25, "good", 16.1, None, None),
    ],
)
def test_worked_examples_of_the_lifting_equation(h, v, d, quality, limit_kg, index, load_kg):
    limit = recommended(h, v, d, quality=quality).n
    assert limit == pytest.approx(limit_kg, rel=0.06 if index else 1e-6)
    if index:
        assert load_kg / limit == pytest.approx(index, abs=0.25)


@given(h=st.floats(20, 63), v=st.floats(0, 175), d=st.floats(0, 175))
def test_no_lift_is_better_than_the_best(h, v, d):
    assert 0 < recommended(h, v, d).n <= 23.0


def test_beyond_the_equation_nothing_is_recommended():
    assert recommended(64, 75, 25).n == recommended(25, 176, 25).n == 0.0


def test_who_lifts_follows_the_index_and_the_sheet():
    wall = Wall(id="A", reach_mm=250)

    def people(kg, **more):
        return lifts_of(Placed(a_box(mass=kg, grip=300, **more), 0, 700), wall)[0].people

    limit = lifts_of(Placed(a_box(mass=10, grip=300), 0, 700), wall)[0].limit.n
    assert (
        people(limit * 0.99) == "one"
        and people(limit * 1.01) == "two"
        and people(limit * TEAM * 1.01) == "lift table"
    )
    assert (
        people(limit * 0.5, people="two") == "two"
        and people(limit * 0.5, people="lift table") == "lift table"
    )


# ── geometry ──────────────────────────────────────────────────────────────────────────────────────
# ───────────────────

side = st.floats(0, 500).map(lambda x: round(x))
rects = st.tuples(
    st.integers(0, 3000), st.integers(0, 2000), st.integers(50, 900), st.integers(50, 900)
).map(lambda t: Rect(t[0], t[1], t[0] + t[2], t[1] + t[3]))


@given(a=rects, b=rects, want=st.tuples(side, side, side, side))
@settings(max_examples=400)
def test_near_is_what_shapely_says(a, b, want):
    """Too near: b reaches into a grown by what is needed on each side."""
    left, right, top, bottom = want
    grown = polygon(a.left - left, a.bottom - bottom, a.right + right, a.top + top)
    assert (short(a, b, Wanted(left, right, top, bottom, "")) > 0) == (
        grown.intersection(polygon(*b)).area > 0
    )


@given(r=rects, by=st.lists(rects, max_size=5))
@settings(max_examples=300)
def test_covered_is_what_shapely_says(r, by):
    left_over = (
        polygon(*r).difference(unary_union([polygon(*b) for b in by])).area
        if by
        else polygon(*r).area
    )
    assert covered(r, by) == (left_over < 1e-6)


def test_the_larger_of_two_sheets_rules_and_units_of_one_kind_have_their_own():
    plan = Plan.model_validate(TERN_HOLLOW)
    a, b = (
        a_box("a", clear=Clear(right=200, above=300)),
        a_box("b", width=310, clear=Clear(left=50, below=500)),
    )
    assert (between(a, b, plan).right, between(a, b, plan).top) == (200, 500)
    like = a_box("c", like_least=40, clear=Clear(left=200, right=200))
    assert (
        between(like, a_box("d", like_least=40, clear=Clear(left=200, right=200)), plan).right == 40
    )


def test_the_authority_keeps_storage_apart():
    """3 ft between storage where the local fire rule asks it: larger than the maker's 50 mm."""
    plan = altered(
        altered(Plan.model_validate(TERN_HOLLOW), "/spacing/storage_mm", 914.4),
        "/walls/0/placed/pack-2/x_mm",
        800,
    )
    assert "36 in is needed" in found(plan)["wall-A.near.pack-1.pack-2"].says


def test_noise_falls_by_twenty_log_of_distance():
    assert (
        fall_off_db(10) == pytest.approx(20)
        and fall_off_db(2) == pytest.approx(6.02, abs=0.01)
        and fall_off_db(0.2) == 0
    )  # physics


# ── what holds ────────────────────────────────────────────────────────────────────────────────────
# ───────────────────

STUDS = Wall(
    id="A",
    made="timber studs",
    lining="gypsum board",
    lining_mm=12,
    stud_first_mm=200,
    stud_pitch_mm=400,
    stud_width_mm=45,
    width_mm=3000,
)


def test_studs_stand_at_their_pitch():
    assert studs(STUDS) == [200, 600, 1000, 1400, 1800, 2200, 2600, 3000]
    assert (
        on_stud(STUDS, 200)
        and on_stud(STUDS, 210.5)
        and not on_stud(STUDS, 211)
        and not on_stud(STUDS, 400)
    )  # 45/2 − 12 mm
    assert not on_stud(Wall(id="A", made="concrete"), 200)


def test_anchor_loads_by_hand():
    """30 kg, 200 mm deep, two holes 350 mm up: V = 147.15 N; T = 294.3·0.1·0.35/(2·0.35²) = 42.04
    N; k = 1/(42.04/8000 + 147.15/4200).
    """
    held = hold(
        Placed(a_box(width=480, holes=(Hole(x=40, y=350), Hole(x=440, y=350))), 160, 1000),
        STUDS,
        BOOK,
    )
    assert [h.meets for h in held.holes] == ["stud", "stud"]
    assert held.shear.n == pytest.approx(147.15) and held.pull.n == pytest.approx(42.04, abs=0.01)
    assert held.factor.n == pytest.approx(1 / (42.043 / 8000 + 147.15 / 4200), rel=1e-4)


def test_pull_on_all_holes_balances_the_weight_about_the_lower_edge():
    """ΣT·h = W·e, whatever the holes: statics."""
    holes = (Hole(x=40, y=350), Hole(x=440, y=350), Hole(x=240, y=120), Hole(x=40, y=60))
    p = Placed(a_box(width=480, mass=52, depth=250, holes=holes), 100, 900)
    held = hold(p, Wall(id="A", made="concrete"), BOOK)
    worst = held.pull.n / 0.35  # T is proportional to h
    assert sum(worst * (h.y / 1000) ** 2 for h in holes) == pytest.approx(
        52 * 9.81 * 0.125, rel=1e-6
    )


def test_lining_alone_is_a_stop_and_its_cures_cure():
    document = Plan.model_validate(HERON_SLIP).model_dump(mode="json")
    document["walls"][0] |= {
        "made": "timber studs",
        "lining": "gypsum board",
        "lining_mm": 12,
        "stud_first_mm": 5,
        "stud_pitch_mm": 406.4,
    }
    document["walls"][0]["placed"]["inverter-1"]["x_mm"] = 1700
    plan = Plan.model_validate(document)
    stops = {k: f for k, f in found(plan).items() if ".hold." in k}
    assert "wall-A.hold.inverter-1" in stops and any(
        c.text.startswith("Plan 2 rails") for c in stops["wall-A.hold.inverter-1"].cures
    )
    for key, f in stops.items():
        for cure in f.cures:
            if cure.changes:
                assert key not in found(Plan.model_validate(apply(document, cure.changes))), (
                    key,
                    cure.text,
                )


def test_a_rail_holds_between_studs_and_is_screwed_to_each_it_crosses():
    wall = STUDS.model_copy(
        update={
            "backing": (
                Backing(material="rail", x_mm=150, y_mm=1329.5, width_mm=900, height_mm=41),
            )
        }
    )
    held = hold(Placed(a_box(holes=(Hole(x=40, y=350), Hole(x=260, y=350))), 300, 1000), wall, BOOK)
    assert [h.meets for h in held.holes] == ["rail", "rail"] and held.factor.n > FACTOR
    assert [h.x for h in rail_screws(wall, BOOK)] == [200, 600, 1000]


def test_rails_of_two_walls_are_told_apart():
    """A hole ticked on one wall is not one of another."""
    rail = (Backing(material="rail", x_mm=150, y_mm=1300, width_mm=900, height_mm=41),)
    a, b = (STUDS.model_copy(update={"id": x, "backing": rail}) for x in "AB")
    assert not {h.id for h in rail_screws(a, BOOK)} & {h.id for h in rail_screws(b, BOOK)}


def test_one_stud_behind_a_wide_box_does_not_hold_it():
    p = Placed(
        a_box(
            width=600,
            mass=10,
            holes=(Hole(x=50, y=350), Hole(x=300, y=350), Hole(x=300, y=300), Hole(x=550, y=350)),
        ),
        300,
        1000,
    )
    held = hold(p, STUDS, BOOK)
    assert sum(h.holds for h in held.holes) == 2 and not well_held(held, p)


@pytest.mark.parametrize(
    ("made", "anchor"),
    [
        ("concrete", "expansion bolt"),
        ("solid brick", "frame plug"),
        ("hollow block", "injection mortar"),
    ],
)
def test_masonry_has_its_anchor(made, anchor):
    assert (
        anchor
        in hold(Placed(a_box(), 0, 1000), Wall(id="A", made=made), BOOK).holes[0].anchor.label
    )


def test_a_bit_near_a_hidden_pipe_is_a_stop_that_a_move_cures():
    plan = Plan.model_validate(SALTINGS_BARN)
    document = plan.model_dump(mode="json")
    document["walls"][0]["neighbours"].append(
        Neighbour(kind="hidden cable", x_mm=2740, y_mm=0, width_mm=30, height_mm=2600).model_dump()
    )
    f = found(Plan.model_validate(document))["wall-A.strikes.inverter-1.2"]
    assert "hidden cable" in f.says and f.cures[0].changes
    assert f.key not in found(Plan.model_validate(apply(document, f.cures[0].changes)))


# ── ways ──────────────────────────────────────────────────────────────────────────────────────────
# ───────────────────


def plain_cost(grid, start, end) -> float:
    """The same crossings searched by networkx (Dijkstra)."""
    graph = networkx.Graph()
    for i, j in itertools.product(range(len(grid.xs)), range(len(grid.ys))):
        graph.add_edge((i, j, 0), (i, j, 1), weight=TURN_MM)
        if i + 1 < len(grid.xs) and np.isfinite(grid.along[i, j]):
            graph.add_edge((i, j, 0), (i + 1, j, 0), weight=grid.along[i, j])
        if j + 1 < len(grid.ys) and np.isfinite(grid.up[i, j]):
            graph.add_edge((i, j, 1), (i, j + 1, 1), weight=grid.up[i, j])
    try:
        return networkx.dijkstra_path_length(graph, start, end)
    except networkx.NetworkXNoPath:
        return float("inf")


spot = st.tuples(st.integers(0, 25), st.integers(2, 16)).map(lambda t: (t[0] * 100.0, t[1] * 100.0))


@given(a=spot, b=spot, others=st.lists(spot, max_size=3, unique=True))
@settings(max_examples=40, deadline=None)
def test_a_way_is_as_short_as_a_plain_search_finds_and_enters_no_box(a, b, others):
    wall = Wall(id="A", width_mm=3500, height_mm=2600)
    spots = [a, b, *others]
    if any(
        abs(p[0] - q[0]) < 400 and abs(p[1] - q[1]) < 450
        for p, q in itertools.combinations(spots, 2)
    ):
        return
    placed = [Placed(a_box(f"o{i}", width=250, height=300), x, y) for i, (x, y) in enumerate(spots)]
    w = Want("w", "w", "ac", "o0", "o1", (a[0] + 100, a[1], "bottom"), (b[0] + 150, b[1], "bottom"))
    r = route(wall, placed, [w])[0]
    stubs = [(w.start[0], w.start[1] - STUB_MM), (w.end[0], w.end[1] - STUB_MM)]
    grid = lines(wall, placed, stubs)
    start, end = (tuple(n) for n in grid.nodes(stubs, [True, True]).tolist())
    plain = plain_cost(grid, start, end)
    assert r.clear == (plain < float("inf"))
    if r.clear:
        length = (
            sum(abs(p[0] - q[0]) + abs(p[1] - q[1]) for p, q in itertools.pairwise(r.points))
            - 2 * STUB_MM
        )
        assert length + TURN_MM * max(0, len(corners(r.points)) - 2) == pytest.approx(
            plain, abs=1.5
        )
        for p in placed:
            solid = polygon(
                p.x - STANDOFF_MM + 0.1,
                p.y - STANDOFF_MM + 0.1,
                p.right + STANDOFF_MM - 0.1,
                p.top + STANDOFF_MM - 0.1,
            )
            for q, s in itertools.pairwise([stubs[0], *r.points[1:-1], stubs[1]]):
                assert (
                    polygon(
                        min(q[0], s[0]),
                        min(q[1], s[1]),
                        max(q[0], s[0]) + 1e-6,
                        max(q[1], s[1]) + 1e-6,
                    )
                    .intersection(solid)
                    .area
                    < 1e-6
                )


def test_moving_a_pack_resizes_its_cable():
    """The way is the length Size counts with; a crew's own measure of one circuit goes
    before it.
    """
    tern = Plan.model_validate(TERN_HOLLOW)
    near, far = design(tern, BOOK), design(altered(tern, "/walls/0/placed/dc-bus/y_mm", 1800), BOOK)

    def length(d):
        return next(s for s in d.circuits if s.id == "pack-1").conditions.run.length_m

    way = next(r for r in near.walls[0].routes if r.want.id == "pack-1")
    assert (
        length(near) == pytest.approx(way.length.n, abs=1e-3) and length(far) > length(near) + 0.4
    )
    own = design(altered(tern, "/runs/pack-1", {"length_m": 9.0, "method": "free-air"}), BOOK)
    assert length(own) == 9.0


# ── rules ─────────────────────────────────────────────────────────────────────────────────────────
# ───────────────────


@pytest.mark.parametrize("document", PLANS)
def test_every_cure_of_a_wall_cures(document):
    plan = Plan.model_validate(document)
    shifts = [plan]
    for id in plan.walls[0].placed:
        shifts += [
            altered(plan, f"/walls/0/placed/{id}/x_mm", 1300.0),
            altered(plan, f"/walls/0/placed/{id}/y_mm", 1900.0),
        ]
    tried = 0
    for p in shifts:
        for key, f in found(p).items():
            for cure in f.cures if key.startswith("wall-") else ():
                if cure.changes:
                    after = Plan.model_validate(apply(p.model_dump(mode="json"), cure.changes))
                    assert key not in found(after), (key, cure.text)
                    tried += 1
    assert tried > 8


@given(x=st.floats(-3000, 9000), y=st.floats(-2000, 5000))
@settings(max_examples=60, deadline=None)
def test_a_box_off_its_wall_is_always_a_stop(x, y):
    tern = Plan.model_validate(TERN_HOLLOW)
    wall = tern.walls[0]
    plan = tern.model_copy(
        update={
            "walls": (
                wall.model_copy(
                    update={"placed": {**wall.placed, "inverter-1": Spot(x_mm=x, y_mm=y)}}
                ),
            )
        }
    )
    d = design(tern, BOOK)
    w = hang(plan, d.boxes, [s.circuit for s in d.circuits], d.links, BOOK)[0]
    p = next(p for p in w.scene.placed if p.box.id == "inverter-1")
    b = bounds(wall, p)
    inside = b.left - 0.5 <= p.x <= b.right + 0.5 and b.bottom - 0.5 <= p.y <= b.top + 0.5
    assert ("wall-A.edge.inverter-1" in {f.key for f in judge(w.scene)}) == (not inside)


def one(plan, box, x, y, **wall):
    """The findings of one box alone on a wall."""
    scene = Scene(
        plan, 0, Wall(id="A", **{"front_mm": 3000, "swept": True, **wall}), (Placed(box, x, y),)
    )
    return {f.key.removeprefix("wall-A."): f for f in judge(scene)}


def test_rules_one_by_one():
    plan = Plan.model_validate(TERN_HOLLOW)
    box = a_box(display=300, clear=Clear(below=400))
    assert one(plan, box, 1000, 1250) == {}
    assert "eye.b" in one(plan, box, 1000, 600)
    assert "edge.b" in one(plan, box, 1000, 300) and "wide.b" in one(
        plan, box, 0, 1250, width_mm=200
    )
    assert "wood.b" in one(plan, box, 1000, 1250, made="timber studs") and "wood.b" not in one(
        plan, box, 1000, 1250, made="timber studs", lining="gypsum board"
    )
    board = Backing(x_mm=900, y_mm=1200, width_mm=500, height_mm=500)
    assert "wood.b" not in one(
        plan, box, 1000, 1250, made="timber studs", backing=(board,)
    ) and "wood.b" in one(
        plan,
        box,
        1000,
        1250,
        made="timber studs",
        backing=(board.model_copy(update={"width_mm": 390}),),
    )
    assert "weather.b" in one(plan, box, 1000, 1250, rain="yes") and "weather.b" not in one(
        plan, a_box(display=300, weather="rain"), 1000, 1250, rain="yes"
    )
    assert "weather.b" in one(plan, a_box(display=300, weather="rain"), 1000, 1250, sun="yes")
    assert (
        "front" in one(plan, replace(box, worked=True), 1000, 1250, front_mm=1000)
        and one(plan, replace(box, worked=True), 1000, 1250, front_mm=1000)["front"].level == "stop"
    )  # 36 in before 200 mm
    assert "noise.b" in one(plan, a_box(display=300, noise_db=45), 1000, 1250, behind="bedroom")
    assert "swept" in one(plan, box, 1000, 1250, swept=False)
    hot = altered(plan, "/site/t_wall_c", 61)
    assert "hot.b" in one(hot, box, 1000, 1250)
    cold = a_box(display=300, t_least_c=-10)
    assert (
        "cold.b" in one(plan, cold, 1000, 1250, place="outdoors")
        and "cold" in one(plan, cold, 1000, 1250, place="garage")
        and "cold" not in one(plan, cold, 1000, 1250)
    )
    assert "thin-air.b" in one(altered(plan, "/site/altitude_m", 2500), box, 1000, 1250)


def test_overlapping_neighbours_and_ones_beyond_the_wall_are_said():
    plan = Plan.model_validate(TERN_HOLLOW)
    door, window = (
        Neighbour(kind="door", x_mm=100, y_mm=0, width_mm=900, height_mm=2000),
        Neighbour(kind="window", x_mm=800, y_mm=1000, width_mm=900, height_mm=900),
    )
    said = one(plan, a_box(display=300), 2500, 1250, neighbours=(door, window))
    assert "described.0.1" in said
    assert "described.0" in one(
        plan, a_box(display=300), 2500, 1250, neighbours=(window.model_copy(update={"x_mm": 3000}),)
    )


def test_storage_keeps_from_a_door_what_is_commonly_asked():
    plan = Plan.model_validate(TERN_HOLLOW)
    door = Neighbour(kind="door", x_mm=100, y_mm=0, width_mm=900, height_mm=2000)
    pack = Box("p", "p", "pack", a_box().enclosure, (("p", 30, 0),), storage_kwh=10)
    assert "near.p.door-0" in one(
        plan, pack, 1900, 1250, neighbours=(door,)
    ) and "near.p.door-0" not in one(plan, pack, 1915, 1250, neighbours=(door,))
    kept = altered(plan, "/spacing/opening_mm", 600)
    assert "near.p.door-0" not in one(kept, pack, 1601, 1250, neighbours=(door,))


def test_derating_is_carried_to_size_and_to_the_board():
    """2 % a degree above 45 °C: at 50 °C an 8 kW unit gives 7.2 kW, two of them 14.4 kW."""
    d = design(altered(Plan.model_validate(TERN_HOLLOW), "/site/t_wall_c", 50), BOOK)
    assert d.hot.n == pytest.approx(7200) and d.figures["inverter-1.hot"] is d.hot
    assert d.board.total.continuous.n == pytest.approx(14_400) and any(
        f.key == "inverter.hot" for f in d.findings
    )


def test_what_has_no_place_is_said_and_so_is_a_place_for_nothing():
    tern = Plan.model_validate(TERN_HOLLOW)
    d = found(
        altered(
            altered(tern, "/walls/0/placed/pack-3", None),
            "/walls/0/placed/ghost",
            {"x_mm": 0, "y_mm": 0},
        )
    )
    assert "Pack 3" in d["wall.unplaced"].says and d["wall.strange.ghost"].cures[0].changes


def test_a_case_is_whole_for_every_kind_of_bank():
    """Seven modules of 170 mm on a 60 mm foot under a 180 mm head: 1430 mm and 7·42 + 18 + 9 = 321
    kg; 24 cells in two rows of six stand in two tiers.
    """
    stack = next(
        b for b in design(Plan.model_validate(SALTINGS_BARN), BOOK).boxes if b.id == "pack-1"
    )
    assert (stack.enclosure.height, stack.enclosure.mass_kg, stack.enclosure.mount) == (
        1430,
        321,
        "floor",
    )
    bank = next(b for b in design(Plan.model_validate(JUNIPER_CUT), BOOK).boxes if b.id == "pack-1")
    assert (bank.enclosure.width, bank.enclosure.depth, bank.enclosure.height) == (
        6 * 190 + 80,
        2 * 210 + 80,
        2 * 680 + 120,
    ) and bank.enclosure.mass_kg == 24 * 62 + 85
    two = next(
        b
        for b in design(altered(Plan.model_validate(SALTINGS_BARN), "/kit/towers", 2), BOOK).boxes
        if b.id == "pack-1"
    )
    assert (two.enclosure.width, two.enclosure.height) == (2 * 620 + 50, 60 + 4 * 170 + 180)


@pytest.mark.parametrize(
    ("volts", "opposite", "inches"),
    [
        (120, "live", 36),
        (150, "unknown", 36),
        (151, "insulating", 36),
        (500, "unknown", 42),
        (500, "grounded", 42),
        (600, "live", 48),
        (601, "grounded", 48),
    ],
)
def test_free_floor_by_volts_and_what_is_opposite(volts, opposite, inches):
    """Table 110.26(A)(1), from memory: 36 in to 150 V to ground; 36, 42, 48 in to 600 V."""
    plan = Plan.model_validate(TERN_HOLLOW)
    deep = a_box(display=300, clear=Clear(below=400))
    box = replace(deep, volts=volts, worked=True)
    need = 25.4 * inches + box.enclosure.depth
    wall = {"opposite": opposite}
    assert "front" not in one(plan, box, 1000, 1250, front_mm=need + 1, **wall)
    short = one(plan, box, 1000, 1250, front_mm=need - 2, **wall)["front"]
    assert short.level == "stop" and f"{volts} V to earth" in short.says


def test_the_volts_of_a_box_follow_from_the_job():
    """An inverter has its strings' coldest volts, a battery bus the bank's, a panel its line's."""
    d = design(Plan.model_validate(TERN_HOLLOW), BOOK)
    volts = {b.id: b.volts for b in d.boxes}
    assert volts["inverter-1"] == pytest.approx(
        max(s.v_oc_cold.n for s in d.strings if s.body == "inverter-1")
    )
    assert volts["dc-bus"] == pytest.approx(d.bank.v_max.n) and volts["main-panel"] == 120
    assert {b.id for b in d.boxes if b.worked} >= {"dc-bus", "pack-1", "inverter-1"}


@pytest.mark.parametrize("document", PLANS)
def test_every_box_of_a_job_has_a_case(document):
    d = design(Plan.model_validate(document), BOOK)
    placeable = {b.id for b in d.bodies if b.role not in ("array", "generator")} - {"loads-panel"}
    assert {b.id for b in boxes(d.plan, d.bodies, d.inverter, d.pack, d.gateway, {})} >= placeable
