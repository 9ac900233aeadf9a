"""What was done to one termination, and where that leaves it: states, legal events, corrections,
and
two
hands that did not know of each other.

    open ─ prepared ─ landed ─ torqued ─ tugged ─ marked ─ (a day later) re-checked
             under: torque again · over: hardware replaced, then torque again · moved at the return:
             torque again
             undone: from the start · taken back: an entry made by mistake no longer counts

Which of the states a termination has is its chain (`termination.chain_of`).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

from gumboot.core.land.judging import Drift, Verdict
from gumboot.core.land.termination import State

Act = Literal[
    "proven",
    "prepared",
    "landed",
    "torqued",
    "tugged",
    "marked",
    "closed",
    "re-checked",
    "moved",
    "replaced",
    "undone",
    "taken back",
    "settled",
]
ACTS: tuple[Act, ...] = get_args(Act)
UNMAKES: tuple[Act, ...] = ("undone", "replaced", "moved")
SAID: dict[str, str] = {
    "proven": "prove it dead first",
    "prepared": "prepare the end first",
    "landed": "land it first",
    "torqued": "torque it first",
    "tugged": "tug it first",
    "marked": "mark it first",
    "closed": "close it first",
}


@dataclass(frozen=True, slots=True)
class Event:
    """One entry of the log about one termination. seq: its place in the job's log. seen: up to
    where its
    device knew the log; device: which one.

    again: the second reading, a day later. corrects: the entry it replaces. drops: what a settling
    leaves out.
    """

    uuid: str
    act: Act
    seq: int = 0
    who: str = ""
    at: str = ""
    torque_nm: float | None = None
    rated_nm: float | None = None
    verdict: Verdict | None = None
    replaced: bool = False
    again: bool = False
    corrects: str | None = None
    seen: int | None = None
    device: str = ""
    drops: tuple[str, ...] = ()
    at_server: str = ""
    tool: str = ""
    typed: str = ""
    why: str = ""
    note: str = ""
    photo: str = ""
    source: str = "typed"

    def knew(self, other: Event) -> bool:
        """Whether whoever made this one knew of the other: it was in the log as seen, or made on
        the same device.
        """
        return (
            self.seen is None
            or other.seq <= self.seen
            or bool(self.device and self.device == other.device)
        )

    @property
    def decides(self) -> bool:
        """Whether it says how the termination is, rather than that a step was taken."""
        return self.act == "torqued" or self.act in UNMAKES or self.act in ("settled", "taken back")


@dataclass(frozen=True, slots=True)
class TerminationState:
    """Where one termination stands. at: how many states of its chain are reached. doubt: pairs of
    entries
    that two hands made unknown to each other.
    """

    chain: tuple[State, ...]
    at: int = 0
    verdict: Verdict | None = None
    spoiled: bool = False
    rechecked: bool = False
    first_nm: float | None = None
    second_nm: float | None = None
    made_at: str = ""
    doubt: tuple[tuple[str, str], ...] = ()

    @property
    def complete(self) -> bool:
        """Whether it is made off, nothing left to do before the return, and nothing in doubt."""
        return self.at >= len(self.chain) and not self.doubt

    @property
    def state(self) -> str:
        """Its state in a word."""
        if self.doubt:
            return "in doubt"
        if self.verdict in ("under", "over", "withheld"):
            return self.verdict
        return "re-checked" if self.rechecked else self.chain[self.at - 1] if self.at else "open"

    @property
    def next(self) -> State | None:
        """The next state of its chain."""
        return self.chain[self.at] if self.at < len(self.chain) else None

    @property
    def drift(self) -> Drift | None:
        """First and second reading, where there are both."""
        return Drift(self.first_nm, self.second_nm) if self.first_nm and self.second_nm else None


def state_of(events: Sequence[Event], chain: tuple[State, ...]) -> TerminationState:
    """Read the events of one termination from first to last. Entries corrected, taken back or left
    out by
    a settling do not count.

    After an over reading only replaced hardware lets a good one count.
    """
    void = {m.corrects for m in events if m.corrects} | {d for m in events for d in m.drops}
    live = [m for m in events if m.uuid not in void]
    turn = chain.index("torqued") if "torqued" in chain else None
    at, verdict, spoiled, rechecked = 0, None, False, False
    first: float | None = None
    second: float | None = None
    made_at = ""
    for m in live:
        was = at
        match m.act:
            case "undone":
                at, verdict, rechecked, first, second = 0, None, False, None, None
            case "replaced":
                spoiled, verdict, rechecked = False, None, False
                at = min(at, turn) if turn is not None else at
            case "moved":
                verdict, rechecked = None, False
                at = min(at, turn) if turn is not None else 0
            case "re-checked":
                rechecked = at >= len(chain)
            case "torqued":
                spoiled = (spoiled and not m.replaced) or m.verdict == "over"
                verdict = "over" if spoiled else m.verdict
                if verdict == "good" and turn is not None:
                    at = max(at, turn + 1)
                    first, second = (
                        (first, m.torque_nm) if m.again and first else (m.torque_nm, None)
                    )
                    rechecked = m.again
                elif turn is not None:
                    at, rechecked = min(at, turn), False
                elif (
                    verdict == "done"
                ):  # a click and tug, as it was logged before there were states
                    at = len(chain)
            case act if act in chain and (
                turn is None or at > turn or chain.index(act) < turn
            ):  # nothing is tugged or marked on a torque that is not good
                at = max(at, chain.index(act) + 1)
        if at >= len(chain) > was or (at >= len(chain) and not made_at):
            made_at = m.at
    return TerminationState(
        chain, at, verdict, spoiled, rechecked, first, second, made_at, doubt_of(live)
    )


def doubt_of(live: Sequence[Event]) -> tuple[tuple[str, str], ...]:
    """Pairs of entries made unknown to each other that say different things of the termination, and
    that
    no later entry knew both of.
    """
    out = []
    for i, m in enumerate(live):
        if m.seen is None or (live[i - 1].seq <= m.seen if i else True):
            continue
        for g in live[:i]:
            if (
                g.seq > m.seen
                and not m.knew(g)
                and clash(g, m)
                and not any(k.decides and k.knew(g) and k.knew(m) for k in live[i + 1 :])
            ):
                out.append((g.uuid, m.uuid))
    return tuple(out)


def clash(a: Event, b: Event) -> bool:
    """Whether two entries cannot both be as they say: one unmakes what the other goes on from, or
    their verdicts differ.
    """
    if a.act in UNMAKES or b.act in UNMAKES:
        return a.act != b.act
    return a.act == b.act == "torqued" and a.verdict != b.verdict


def illegal(state: TerminationState, act: Act, again: bool = False) -> str:
    """Why a termination as it stands cannot take a move, in words that say what to do; empty when
    it can.
    """
    chain, turn = state.chain, state.chain.index("torqued") if "torqued" in state.chain else None
    if act in ("taken back", "settled"):
        return ""
    if act == "undone":
        return "" if state.at or state.verdict else "nothing is done here yet that could be undone"
    if act == "replaced":
        return "" if state.spoiled else "hardware is replaced after a reading that was over"
    if act in ("re-checked", "moved") or again:
        if state.at < len(chain):
            return f"not made off yet: {SAID[chain[state.at]]}"
        return "nothing turns here: there is nothing to re-check" if turn is None else ""
    if act == "torqued":
        if turn is None:
            return "nothing turns here: it takes no torque"
        if state.spoiled:
            return "the last reading was over: replace the hardware first"
        return f"{SAID[chain[state.at]]}" if state.at < turn else ""
    if act not in chain:
        return f"this termination is never {act}"
    place = chain.index(act)
    if place < state.at:
        return f"it is {act} already"
    if place > state.at:
        return SAID[chain[state.at]]
    return ""
