"""What a signature is: by whom, for which part, drawn by a finger or typed."""

from __future__ import annotations

import re
from itertools import pairwise
from math import hypot

WIDE, HIGH = 600, 200  # the field a finger draws in
MOST = 8000
LEAST_TRAVEL = 60.0  # of a finger; less is a touch by chance
STROKES = re.compile(
    r"\d{1,3},\d{1,3}(?: \d{1,3},\d{1,3})*(?:;\d{1,3},\d{1,3}(?: \d{1,3},\d{1,3})*)*"
)
STATEMENTS = {
    "supervisor": (
        "I have seen this job, its readings and the checks accepted in this pack, and I stand"
        " behind it."
    ),
    "licensed electrician": (
        "I hold the licence named here. I have inspected and tested the work on the supply, and it"
        " is fit to be put to use."
    ),
    "owner": (
        "I was shown how to make it safe, how to switch it off and on, and what must not be near"
        " it. I have the owner's book."
    ),
}


class NotSigned(ValueError):
    """Why this is no signature, with the field and what to do."""

    def __init__(self, field: str, says: str) -> None:
        super().__init__(says)
        self.field = field


def points_of(drawn: str) -> list[list[tuple[int, int]]]:
    """The strokes of a drawn signature. Raises NotSigned for what is none."""
    if len(drawn) > MOST or not STROKES.fullmatch(drawn):
        raise NotSigned("drawn", "the drawing could not be read: clear it, and draw it again")
    return [
        [(int(x), int(y)) for x, y in (p.split(",") for p in stroke.split(" "))]
        for stroke in drawn.split(";")
    ]


def signed_by(name: str, drawn: str, licence: str, part: str) -> tuple[str, str, str]:
    """(name, drawing, licence) of a signature: a name always, a drawing where there is one. Raises
    NotSigned.
    """
    name, licence = " ".join(name.split())[:120], " ".join(licence.split())[:80]
    if len(name) < 2:
        raise NotSigned("name", "type the whole name of who signs")
    if part == "licensed electrician" and not licence:
        raise NotSigned("licence", "type the number of the licence")
    if drawn:
        strokes = points_of(drawn)
        travel = sum(hypot(b[0] - a[0], b[1] - a[1]) for s in strokes for a, b in pairwise(s))
        if travel < LEAST_TRAVEL:
            raise NotSigned(
                "drawn", "nothing was drawn: draw the signature, or clear it and sign by name alone"
            )
    return name, drawn, licence


def path_of(drawn: str) -> str:
    """The strokes as the path of an SVG."""
    if not drawn:
        return ""
    return " ".join(
        "M" + " L".join(f"{x} {y}" for x, y in (s if len(s) > 1 else [*s, *s]))
        for s in points_of(drawn)
    )
