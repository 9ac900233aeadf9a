"""The sheets of modules, cables, lug and ferrule charts, anchors."""

from __future__ import annotations

from typing import get_args

from gumboot.core.codes.books import BOOKS
from gumboot.core.kit import Family, Ground
from gumboot.core.kit.terminal import Strands
from gumboot.web.pages.form import Field, words
from gumboot.web.shelf.sheets.parts import Rows, Section, given

MODULE = (
    Section(
        "electrical",
        "At standard test conditions",
        (
            Field("maker", "Maker", "text"),
            Field("model", "Model", "text"),
            Field("p_max_w", "Power", "watts"),
            Field("v_oc_v", "Open-circuit voltage", "voltage"),
            Field("v_mp_v", "Working voltage", "voltage"),
            Field("i_sc_a", "Short-circuit current", "current"),
            Field("i_mp_a", "Working current", "current"),
            given("beta_voc_per_c", "Voc, a °C", "share", "such as −0.27 %"),
            given("gamma_vmp_per_c", "Vmp, a °C", "share", "such as −0.34 %"),
            Field("fuse_max_a", "Largest series fuse", "current"),
            Field("system_v_max", "System voltage, at most", "voltage"),
        ),
        folds=False,
    ),
    Section(
        "optimizer",
        "With an optimizer at each",
        (
            given("optimizer/name", "Optimizer", "text"),
            given("optimizer/in_v_max", "Takes, at most", "voltage", "of its module, cold"),
            given("optimizer/in_isc_max_a", "Takes, shorted", "current"),
            given("optimizer/in_w_max", "Takes", "watts"),
            given("optimizer/out_v_max", "Puts out, at most", "voltage"),
            given("optimizer/out_a_max", "Puts out", "current"),
            given("optimizer/off_v", "Until it may work", "voltage", "1 V where it is silent"),
            given("optimizer/least", "Fewest in a string", "count"),
            given("optimizer/most", "Most in a string", "count"),
            given("optimizer/string_v", "String held at", "voltage", "by its inverter"),
            given("optimizer/string_v_max", "String, at most", "voltage", "by its manual"),
            given("optimizer/string_w_max", "Modules on a string", "watts"),
        ),
    ),
)


CONDUCTOR = (
    Section(
        "electrical",
        "Cable",
        (
            Field("label", "What it is called", "text", "building wire, stranded copper, 90 °C"),
            Field(
                "book", "Sized under", "choice", "", tuple((b.code, b.name) for b in BOOKS.values())
            ),
            Field("material", "Metal", "choice", "", words("Cu", "Al")),
            Field("temp_c", "Insulation, °C", "count", "", words("70", "75", "90")),
            Field("strands", "Strands", "choice", "", words(*get_args(Strands))),
            Field("cores", "Cores", "choice", "", words("single", "multi")),
            Field("families", "Runs it serves", "list", ", ".join(get_args(Family))),
            Field("sizes", "Sizes", "list", "6 mm², 10 mm² or 6, 4, 2/0, 250"),
            Field("cost_mm2_m", "Cost, a mm² and metre", "number", "only ratios matter"),
            Field("cost_end", "Cost, an end", "number"),
            given("reels_m", "Reels, m", "numbers", "50, 100"),
        ),
        folds=False,
    ),
    Section(
        "outside",
        "Outside diameters",
        rows=(
            Rows(
                "outer_mm",
                "size",
                (Field("size", "Size", "text"), Field("mm", "Diameter", "place")),
                spare=3,
                shape="map",
            ),
        ),
        why="Where it is thicker than building wire: for the fill of conduit.",
    ),
)
LUGS = (
    Section(
        "electrical",
        "Lugs by size",
        rows=(
            Rows(
                "rows",
                "size",
                (
                    Field("size", "Size", "text", "2/0 or 35 mm²"),
                    Field("barrel_mm", "Barrel", "place"),
                    Field("die", "Die", "text"),
                    given("tool", "Crimper", "text"),
                    given("studs", "Studs", "list", "M6, M8"),
                ),
                spare=3,
                most=80,
            ),
        ),
        folds=False,
    ),
)
FERRULES = (
    Section(
        "electrical",
        "Ferrules by size",
        rows=(
            Rows(
                "rows",
                "size",
                (
                    Field("size", "Size", "text"),
                    Field("sleeves_mm", "Sleeves, mm", "numbers", "12, 18"),
                    Field("tool", "Crimper", "text"),
                    Field("die", "Profile", "text"),
                ),
                spare=3,
                most=80,
            ),
        ),
        folds=False,
    ),
)
ANCHOR = (
    Section(
        "electrical",
        "Anchor",
        (
            Field("label", "What it is called", "text", "frame plug 10 × 80 mm"),
            Field("grounds", "Holds in", "list", ", ".join(get_args(Ground))),
            Field("hole_mm", "Hole", "place"),
            Field("depth_mm", "Depth of the hole", "place"),
            Field("bit", "Bit", "text", "masonry bit 10 mm"),
            Field("tension_n", "Fails pulled at, N", "number"),
            Field("shear_n", "Fails sheared at, N", "number"),
            Field("source", "Where it stands", "text"),
        ),
        folds=False,
    ),
)
