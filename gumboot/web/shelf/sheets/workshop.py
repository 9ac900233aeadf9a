"""The sheets of label stocks and tools."""

from __future__ import annotations

from gumboot.web.pages.form import Field
from gumboot.web.shelf.sheets.parts import Section, given, optional

LABELS = (
    Section(
        "electrical",
        "The sheet, by its measures",
        (
            Field("label", "What it is called", "text", "flat 38.1 × 21.2 mm, 65 on A4"),
            Field(
                "form",
                "Form",
                "choice",
                "",
                (
                    ("flat", "flat"),
                    ("wrap", "wrap: laminates itself below its printed part"),
                    ("flag", "flag: folds in its middle"),
                ),
            ),
            Field("paper", "Sheet", "choice", "", (("a4", "A4"), ("letter", "letter"))),
            Field("width", "A label is wide", "place"),
            Field("height", "A label is high", "place"),
            given("face", "Printed part of a wrap, high", "place"),
            Field("across", "Labels across", "count"),
            Field("down", "Labels down", "count"),
            Field("left", "First label from the left edge", "place"),
            Field("top", "First label from the top", "place"),
            Field("pitch_x", "From one to the next, across", "place"),
            Field("pitch_y", "From one to the next, down", "place"),
        ),
        folds=False,
        why="Measured with a rule on the sheet itself, or as its packet says.",
    ),
)
TOOL = (
    Section(
        "electrical",
        "Tool",
        (
            Field("label", "What it is called", "text", "as in your lug charts and at terminals"),
            Field(
                "role",
                "What it is",
                "choice",
                "",
                (
                    ("crimper", "crimper"),
                    ("bit", "bits or sockets"),
                    ("stripper", "cutter or stripper"),
                    ("drill", "drill or bits for it"),
                    ("tester", "tester or meter"),
                    ("lift", "lift or stand"),
                    ("other", "other"),
                ),
            ),
            given("takes", "Dies or sizes", "list", "35 mm², 50 mm²; hex 5 mm, cross PH2"),
            given("volts_max", "Tester up to", "voltage"),
            Field("category", "Of category", "choice", "", optional("CAT II", "CAT III", "CAT IV")),
        ),
        folds=False,
        why="Torque tools are entered under Wrenches, with their scale and calibration.",
    ),
)
