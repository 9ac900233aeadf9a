"""What was planned, what was keyed, what the unit holds: line by line."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

from gumboot.core.kit import MenuItem
from gumboot.core.set.settings import Setting

Verdict = Literal["same", "rounded", "other", "not read"]


@dataclass(frozen=True, slots=True)
class Line:
    """One line's difference. read: as the unit holds it, by the last reading that had it; lacking:
    why it could not be read at the last; before: what it held at the reading before, where that was
    another value.
    """

    setting: Setting
    read: float | str | None
    verdict: Verdict
    lacking: str = ""
    before: float | str | None = None


def differences(
    menu: Sequence[MenuItem],
    settings: Sequence[Setting],
    read: Mapping[str, float | str],
    lacking: Mapping[str, str],
    before: Mapping[str, float | str] | None = None,
) -> list[Line]:
    """Every line that shows and that the unit can be asked for. before: by earlier readings: what
    the last one could not read stands as it was.
    """
    items = {m.id: m for m in menu}
    out = []
    for s in settings:
        if not s.shown or not items[s.id].readable:
            continue
        was = (before or {}).get(s.id)
        value = read.get(s.id, was)
        changed = was if was != value else None
        verdict: Verdict = "not read" if value is None else verdict_of(items[s.id], s, value)
        out.append(Line(s, value, verdict, lacking.get(s.id, ""), changed))
    return out


def verdict_of(item: MenuItem, s: Setting, read: float | str) -> Verdict:
    """Whether a unit holds what is planned: the same, as near as its own step lets it, or another
    value.
    """
    if isinstance(s.value, str) or isinstance(read, str):
        return "same" if str(read) == str(s.value) else "other"
    off = abs(float(read) - s.value)
    if off < 1e-6:
        return "same"
    least = max(item.step or 0.0, item.read_at.scale if item.read_at else 0.0)
    return "rounded" if off < least - 1e-9 else "other"
