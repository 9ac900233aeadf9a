"""Three ways to take the current off a row of packs, with what each pack then carries. The chosen
one is framed.
"""

from __future__ import annotations

from functools import lru_cache

from gumboot.core.basis.figure import fmt
from gumboot.core.design import Design
from gumboot.core.size.sharing import SCHEMES, Scheme
from gumboot.drawings.svg import box, line, picture, tag, text

NAMES: dict[Scheme, str] = {
    "one end": "one end",
    "diagonal": "opposite ends",
    "star": "star, equal leads",
}
STEP, W, H, MOST = 58, 40, 34, 8


@lru_cache(maxsize=64)
def take_off(design: Design) -> str:
    """The drawing as SVG text; empty where the take-off is not to be chosen."""
    sharing = design.sharing
    if sharing is None or not sharing.free:
        return ""
    shown = min(len(sharing.amps["star"]), MOST)
    width = shown * STEP + 74
    parts = [_scheme(design, k, i * (width + 14) + 8, shown, width) for i, k in enumerate(SCHEMES)]
    words = ". ".join(
        f"{NAMES[k]}: "
        + ", ".join(
            f"pack {i} {fmt(a)} A" for i, a in zip(sharing.numbers, sharing.amps[k], strict=True)
        )
        for k in SCHEMES
    )
    return picture(3 * (width + 14) + 8, 150, "How the packs share the current", words, *parts)


def _scheme(design: Design, scheme: Scheme, x0: float, shown: int, width: float) -> str:
    assert design.sharing is not None  # noqa: S101 - the caller looked
    amps = design.sharing.amps[scheme]
    chosen = scheme == design.sharing.chosen
    top, low = 50.0, 110.0
    first, last = x0 + 44, x0 + 44 + (shown - 1) * STEP
    out = [box(x0, 2, width, 144, "chosen" if chosen else "frame")]
    out.append(
        text(
            x0 + 8,
            18,
            f"{NAMES[scheme]}{', chosen' if chosen else ''}",
            "strong small" if chosen else "small soft",
        )
    )
    if scheme == "star":
        out += [
            line((x0 + 10, top - 16), (last, top - 16), class_="plus-bar"),
            line((x0 + 10, low + 16), (last, low + 16), class_="minus-bar"),
        ]
    else:
        out += [
            line((first, top - 8), (last, top - 8), class_="plus-rail"),
            line((first, low + 8), (last, low + 8), class_="minus-rail"),
        ]
        out.append(line((x0 + 10, top - 8), (first, top - 8), class_="plus-rail"))
        way = (
            ((x0 + 10, low + 8), (first, low + 8))
            if scheme == "one end"
            else ((last, low + 8), (last + 20, low + 8))
        )
        out.append(line(*way, class_="minus-rail"))
    for i in range(shown):
        x = first + i * STEP
        rise = 16 if scheme == "star" else 8
        out += [
            line((x, top - rise), (x, top), class_="plus-rail"),
            line((x, low), (x, low + rise), class_="minus-rail"),
        ]
        out.append(box(x - W / 2, top, W, low - top, "body"))
        worst = amps[i] == max(amps) and max(amps) > 1.001 * min(amps)
        number = design.sharing.numbers[i]
        out.append(text(x, top + 24, number, "small", "middle"))
        out.append(
            text(x, top + 42, f"{amps[i]:.0f} A", "mono strong" if worst else "mono", "middle")
        )
    if shown < len(amps):
        out.append(text(last + 24, 84, f"… {len(amps)}", "small soft"))
    return tag("g", *out)
