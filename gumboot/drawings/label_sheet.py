"""A sheet of labels while its measures are typed, to scale; what lies beside the sheet is red."""

from __future__ import annotations

from typing import Any

from gumboot.core.kit.label_stock import SHEETS_MM
from gumboot.drawings.svg import box, picture
from gumboot.drawings.unit import number

HIGH, MARGIN = 330.0, 6.0
NEEDED = ("width", "height", "left", "top", "pitch_x", "pitch_y")


def draw_labels(document: dict[str, Any]) -> str:
    """The sheet as SVG; empty until its measures are typed."""
    across, down = document.get("across"), document.get("down")
    mm = [number(document.get(k)) for k in NEEDED]
    good = isinstance(across, int) and isinstance(down, int) and 0 < across <= 30 and 0 < down <= 30
    if not good or any(x is None for x in mm) or document.get("paper") not in SHEETS_MM:
        return ""
    width, height, left, top, pitch_x, pitch_y = (x or 0.0 for x in mm)
    wide, high = SHEETS_MM[str(document["paper"])]
    k = (HIGH - 2 * MARGIN) / high
    parts = [box(MARGIN, MARGIN, k * wide, k * high, "body")]
    face = number(document.get("face"))
    for row in range(int(down or 0)):
        for column in range(int(across or 0)):
            x, y = left + column * pitch_x, top + row * pitch_y
            off = x + width > wide + 0.5 or y + height > high + 0.5
            at = (MARGIN + k * x, MARGIN + k * y, k * width)
            parts.append(box(*at, k * height, "device over" if off else "device"))
            if face and not off:
                parts.append(box(*at, k * face, "link"))
    says = f"{across} labels across and {down} down, each {width:g} by {height:g} mm"
    return picture(k * wide + 2 * MARGIN, HIGH, "Sheet of labels", says, *parts)
