"""What a hand enters at a termination, made into a log entry: read, judged, and refused where the
termination
cannot take it.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from typing import Any

from gumboot.core.basis.units import NotAQuantity, parse
from gumboot.core.land.events import ACTS, Act, TerminationState, illegal
from gumboot.core.land.judging import judge
from gumboot.core.land.termination import Termination
from gumboot.core.land.tools import Wrench

MOST_NM = 1000.0
GENERAL: tuple[Act, ...] = (
    "undone",
    "taken back",
    "moved",
    "replaced",
    "re-checked",
)  # what any termination may see; `illegal` says when
NOTED: tuple[Act, ...] = ("undone", "taken back", "moved")  # what wants a reason


class Refused(ValueError):
    """An entry that cannot be kept as it is. field: what to mend; the message says what to type or
    do.
    """

    def __init__(self, field: str, says: str) -> None:
        super().__init__(says)
        self.field = field


@dataclass(frozen=True, slots=True)
class Entered:
    """One entry as it was made at the termination. typed: the torque as typed, scale: the unit of a
    bare
    number. seen, device: see `Event`.
    """

    key: str
    label: str
    act: str
    typed: str = ""
    scale: str = "N·m"
    replaced: bool = False
    again: bool = False
    corrects: str = ""
    note: str = ""
    digest: str = ""
    seen: int | None = None
    device: str = ""
    source: str = "typed"


def day_of(at_device: str, now: datetime) -> date:
    """The day a reading was taken: by the device's clock, unless it is ahead of the server's by a
    day or unreadable.
    """
    try:
        said = datetime.fromisoformat(at_device.replace("Z", "+00:00"))
    except ValueError:
        return now.date()
    if said.tzinfo is None or said > now + timedelta(days=1):
        return now.date()
    return said.date()


def torque_typed(text: str, scale: str) -> float:
    """A typed torque in N·m. Raises Refused."""
    if not text.strip():
        raise Refused(
            "torque",
            "nothing is typed: type a number and unit as the wrench showed them, such as 35 in-lb"
            " or 15 Nm",
        )
    try:
        nm = round(parse(text, "torque", bare=scale), 4)
    except NotAQuantity as exc:
        raise Refused("torque", str(exc)) from exc
    if not 0 < nm <= MOST_NM:
        raise Refused(
            "torque",
            f"{text} cannot be: type what the wrench showed, more than 0 and at most 1000 N·m",
        )
    return nm


def entry_body(
    e: Entered,
    t: Termination | None,
    state: TerminationState | None,
    wrench: Wrench | None,
    day: date,
    others_since: bool,
) -> tuple[str, dict[str, Any]]:
    """(kind, body) of the log entry. Raises Refused.

    t None: the plan has changed and the termination is gone; what was done is kept all the same,
    its
    verdict withheld.
    others_since: whether someone else logged this termination after the device last knew the log.
    Then a
    entry is kept as it came, and the two stand
    beside each other; otherwise only legal acts are taken.
    """
    if e.act not in ACTS or e.act == "settled":
        raise Refused("act", f"“{e.act[:30]}” is not a step of a termination")
    act: Act = e.act
    if e.corrects and act not in ("torqued", "taken back"):
        raise Refused("act", "only a reading corrects another; a step is taken back")
    if act == "taken back" and not e.corrects:
        raise Refused("corrects", "say which entry does not hold")
    if t and act not in GENERAL and act not in t.chain:
        raise Refused(
            "act",
            (
                "nothing turns here: it takes no torque"
                if act == "torqued"
                else f"this termination is never {act}"
            ),
        )
    if act in NOTED and not e.note.strip():
        raise Refused(
            "note",
            {
                "undone": "type why it is undone",
                "moved": "type what had moved",
                "taken back": "type why the entry does not hold",
            }[act],
        )
    nm = torque_typed(e.typed, e.scale) if act == "torqued" else None
    if act == "torqued" and wrench is None:
        raise Refused("wrench", "choose the wrench you used; add yours under Tools")
    if t and state and not others_since and not e.corrects:
        replaced_now = act == "torqued" and e.replaced and state.spoiled
        if says := "" if replaced_now else illegal(state, act, e.again):
            raise Refused("act", says)
    common = {
        "termination": e.key,
        "label": t.label if t else e.label[:200],
        "note": e.note[:500],
        "corrects": e.corrects or None,
        "seen": e.seen,
        "device": e.device[:40],
        "digest": e.digest,
    }
    if act != "torqued":
        return "step", {**common, "act": act}
    rated = t.torque if t else None
    verdict, why = (
        judge(rated, nm, wrench, day)
        if t
        else ("withheld", "the plan has changed: this termination is no longer in it")
    )
    return "reading", {
        **common,
        "torque_nm": nm,
        "typed": e.typed[:60],
        "rated_nm": rated.n if rated else None,
        "rated_source": rated.source if rated else "",
        "verdict": verdict,
        "why": why,
        "wrench": (
            {
                "name": wrench.name,
                "serial": wrench.serial,
                "calibrated_until": wrench.calibrated_until.isoformat(),
            }
            if wrench
            else None
        ),
        "replaced": e.replaced,
        "turn": "again" if e.again else "first",
        "source": e.source,
    }
