"""Where the two probes go: the meter, its leads, and the two points by name."""

from __future__ import annotations

from gumboot.drawings.svg import box, picture, tag, text

WIDE, HIGH = 420, 150
LEFT, RIGHT, MIDDLE = 90, 330, 210


def draw_probes(first: str, second: str, instrument: str) -> str:
    """The meter with its probes at the named points; or a clamp round a conductor."""
    meter = (
        box(170, 86, 80, 52, "meter-case"),
        box(182, 94, 56, 20, "meter-glass"),
        text(MIDDLE, 132, _short(instrument), "small", "middle"),
    )
    if first.startswith("round"):
        said = f"Clamp {first}"
        return picture(WIDE, HIGH, said, said, *meter, *_clamp(first))
    said = f"Probes at {first}" + (f" and {second}" if second else "")
    rest = _probe(RIGHT, 232, second, "probe-black") if second else ()
    return picture(WIDE, HIGH, said, said, *meter, *_probe(LEFT, 188, first, "probe-red"), *rest)


def _clamp(words: str) -> tuple[str, ...]:
    return (
        tag("path", d="M40 44 L380 44", class_="conductor"),
        tag("circle", cx=MIDDLE, cy=44, r=20, class_="clip"),
        tag("path", d="M210 64 L210 86", class_="probe-black"),
        text(40, 28, words),
    )


def _probe(x: int, foot: int, words: str, look: str) -> tuple[str, ...]:
    bend = f"M{foot} 86 C{foot} 58 {x} 72 {x} 42"
    return (
        tag("path", d=bend, class_=look),
        tag("circle", cx=x, cy=36, r=6, class_="probe-point"),
        text(x, 20, words, "", "middle"),
    )


def _short(instrument: str) -> str:
    head = instrument.partition(",")[0].split(" or ")[0]
    return head if len(head) <= 14 else head.split()[0]
