"""What is wrong with a board, and what cures it: another leg, a soft starter, or a circuit that may
drop.
"""

from __future__ import annotations

from collections.abc import Sequence

from gumboot.core.basis.clock import show_minutes
from gumboot.core.basis.figure import COMMON_PRACTICE, with_unit
from gumboot.core.basis.finding import Change, Cure, Finding, check, note, stop
from gumboot.core.brief.loads.board import SOFT_START, STARTS_S, Board, Leg, Sheet, weight
from gumboot.core.kit import Inverter
from gumboot.core.network.house import units_on
from gumboot.core.plan import Load, Plan

BALANCE = Cure("Balance the legs on the load board, or take circuits off backup")


def board_findings(plan: Plan, board: Board | None, inverter: Inverter) -> list[Finding]:
    """Legs the supply lacks; running, starting and pass-through against the ratings; what must not
    start together.
    """
    if board is None:
        return []
    found = leg_findings(plan, inverter)
    for leg in (board.total, *board.legs):
        if leg.continuous.n and (leg.name == "all" or len(board.legs) > 1):
            found += running_findings(plan, board, leg) + start_findings(plan, board, leg, inverter)
    return (
        found
        + balance_findings(board, inverter)
        + pass_findings(plan, board)
        + together_findings(plan, board)
    )


def called(leg: Leg) -> str:
    """A leg in words."""
    return "All legs together" if leg.name == "all" else f"Leg {leg.name}"


def leg_findings(plan: Plan, inverter: Inverter) -> list[Finding]:
    """Circuits on a leg that the supply does not have, all in one: they come of one change."""
    on = units_on(plan, inverter)
    lines, fed = set(on), {line for line, count in on.items() if count}
    off = [(i, x) for i, x in enumerate(plan.loads) if not set(x.legs.split("+")) <= lines]
    if not off:
        return _unfed(plan, fed)
    named = ", ".join(f"{x.name} ({x.legs})" for _, x in off[:6])
    more = f" and {len(off) - 6} more" if len(off) > 6 else ""
    says = f"On a leg that is not there: {named}{more}. The supply has {', '.join(sorted(lines))}."
    words = "Put it on L1" if len(off) == 1 else f"Put all {len(off)} on L1"
    cure = Cure(words, tuple(Change(f"/loads/{i}/legs", "L1") for i, _ in off))
    return [stop("load.legs", "board", says, "load board", cure)]


def _unfed(plan: Plan, fed: set[str]) -> list[Finding]:
    """Backed-up circuits on a line that no unit stands on."""
    out = {i: x for i, x in enumerate(plan.loads) if not set(x.legs.split("+")) <= fed}
    dark = {i: x for i, x in out.items() if x.backed and plan.backup.loads != "nothing"}
    if not dark:
        return []
    names = [f"{x.name} ({x.legs})" for x in dark.values()]
    more = f" and {len(names) - 6} more" if len(names) > 6 else ""
    here, it = min(fed), "it" if len(dark) == 1 else "them"
    says = (
        f"In an outage nothing feeds {', '.join(names[:6])}{more}: the inverters stand on"
        f" {', '.join(sorted(fed))}."
    )
    off = Cure(f"Take {it} off backup", tuple(Change(f"/loads/{i}/backed", False) for i in dark))
    moved = Cure(f"Put {it} on {here}", tuple(Change(f"/loads/{i}/legs", here) for i in dark))
    one = all("+" not in x.legs for x in dark.values())  # what wants several lines cannot move
    return [stop("load.unfed", "board", says, load_rule(plan), *((moved, off) if one else (off,)))]


def droppable(plan: Plan, board: Board, leg: Leg, too_much: float) -> tuple[Change, ...]:
    """Changes that take the fewest circuits off backup, of those that may drop, to relieve a leg of
    so many W; none when they do not suffice.
    """
    may = [
        (x.running_w * abs(weight(x, leg.name, board.wye)), i)
        for i, x in enumerate(plan.loads)
        if x.backed and not x.must and weight(x, leg.name, board.wye)
    ]
    one = [(w, i) for w, i in may if w >= too_much]
    if one:
        return (Change(f"/loads/{min(one)[1]}/backed", False),)
    chosen: list[int] = []
    for w, i in sorted(may, reverse=True):
        if too_much <= 0:
            break
        chosen.append(i)
        too_much -= w
    return (
        tuple(Change(f"/loads/{i}/backed", False) for i in sorted(chosen)) if too_much <= 0 else ()
    )


def _names(plan: Plan, changes: Sequence[Change]) -> str:
    return " and ".join(plan.loads[int(c.path.split("/")[2])].name for c in changes)


def running_findings(plan: Plan, board: Board, leg: Leg) -> list[Finding]:
    """What runs in the worst quarter hour, and all at once, against the continuous rating."""
    most = leg.continuous.n
    if leg.running.n > most:
        shed = droppable(plan, board, leg, leg.at_once.n - most)
        cures = (Cure(f"Take {_names(plan, shed)} off backup", shed),) if shed else ()
        says = (
            f"{called(leg)}: {leg.running.against(most)} run at {show_minutes(leg.worst_at)}; the"
            f" inverter{'s give' if plan.kit.inverters > 1 else ' gives'} {leg.continuous.text}."
        )
        return [
            stop(
                f"board.{leg.name}.running",
                "board",
                says,
                load_rule(plan),
                *cures,
                BALANCE,
                figures=(leg.running, leg.continuous),
            )
        ]
    if leg.at_once.n > most:
        says = (
            f"{called(leg)}: {leg.at_once.text} if everything ran at once, against"
            f" {leg.continuous.text}; by the hours stated it is {leg.running.text}."
        )
        return [
            check(
                f"board.{leg.name}.at-once",
                "board",
                says,
                load_rule(plan),
                Cure("Tell the household what not to use together"),
                BALANCE,
                figures=(leg.at_once, leg.continuous),
            )
        ]
    return []


def load_rule(plan: Plan) -> str:
    """What asks that the units carry what is backed up."""
    clauses = plan.book.clauses
    off_grid = plan.supply.kind == "off-grid"
    return clauses["island load"] if off_grid else clauses["outage load"]


def soften(plan: Plan, board: Board, leg: Leg, too_much: float) -> tuple[Change, ...]:
    """The change that gives one motor or pump a soft starter, where that relieves a start by so
    many W.
    """
    for i, x in enumerate(plan.loads):
        if x.id == leg.starter and x.kind in ("motor", "pump") and not x.soft_start:
            start = board.starting[x.id].n
            spared = start - max(x.running_w, SOFT_START * start)
            if spared * abs(weight(x, leg.name, board.wye)) >= too_much:
                return (Change(f"/loads/{i}/soft_start", True),)
    return ()


def start_findings(plan: Plan, board: Board, leg: Leg, inverter: Inverter) -> list[Finding]:
    """The worst start against the surge rating, its power and its seconds."""
    starter = next((x for x in plan.loads if x.id == leg.starter), None)
    if starter is None or leg.running.n > leg.continuous.n:
        return []
    key, most = f"board.{leg.name}.start", leg.surge or leg.continuous
    if leg.surge is None and leg.start.n > leg.continuous.n:
        says = (
            f"{called(leg)}: {starter.name} starting draws {leg.start.text}; the sheet states no"
            f" surge above {leg.continuous.text}."
        )
        return [
            check(
                key,
                "board",
                says,
                COMMON_PRACTICE,
                Cure("Ask the maker for the surge rating"),
                figures=(leg.start, most),
            )
        ]
    if leg.start.n > most.n:
        soft = _cures(plan, board, leg, leg.start.n - most.n)
        says = (
            f"{called(leg)}: {starter.name} starting draws {leg.start.against(most.n)} with the"
            f" rest running;"
            f" the surge rating is {most.text}."
        )
        return [
            stop(key, "board", says, COMMON_PRACTICE, *soft, BALANCE, figures=(leg.start, most))
        ]
    lasts = STARTS_S[starter.kind] if not starter.soft_start else 2 * STARTS_S[starter.kind]
    if leg.start.n > leg.continuous.n and inverter.surge_s is not None and lasts > inverter.surge_s:
        says = (
            f"{called(leg)}: {starter.name} starts for about {lasts:g} s above the continuous"
            f" rating; the surge lasts {inverter.surge_s:g} s."
        )
        return [
            check(
                key,
                "board",
                says,
                COMMON_PRACTICE,
                Cure("Measure the start, or fit a drive that ramps it"),
                figures=(leg.start,),
            )
        ]
    return []


def _cures(plan: Plan, board: Board, leg: Leg, too_much: float) -> list[Cure]:
    soft = soften(plan, board, leg, too_much)
    shed = droppable(plan, board, leg, too_much)
    out = [Cure(f"Fit a soft starter to {_names(plan, soft)}", soft)] if soft else []
    return out + ([Cure(f"Take {_names(plan, shed)} off backup", shed)] if shed else [])


def balance_findings(board: Board, inverter: Inverter) -> list[Finding]:
    """The difference between the most and the least loaded leg against the inverter's limit."""
    if inverter.imbalance_max_w is None or len(board.legs) < 2:
        return []
    most, least = (f(board.legs, key=lambda x: x.running.n) for f in (max, min))
    if most.running.n - least.running.n <= inverter.imbalance_max_w:
        return []
    says = (
        f"Leg {most.name} runs {most.running.text}, leg {least.name} {least.running.text}: further"
        f" apart than the {with_unit(inverter.imbalance_max_w, 'W')} the inverter allows."
    )
    return [
        check(
            "board.balance",
            "board",
            says,
            "inverter sheet",
            BALANCE,
            figures=(most.running, least.running),
        )
    ]


def pass_findings(plan: Plan, board: Board) -> list[Finding]:
    """With the grid on, the backed-up loads pass through unit, breaker and conductor."""
    limit = board.pass_through
    if limit is None:
        return []
    worst = max(board.house, key=lambda f: f.n)
    if worst.n > limit.n:
        says = (
            f"With the grid on, {worst.name} draws {worst.against(limit.n)}; what feeds it"
            f" passes {limit.text}."
        )
        return [
            stop(
                "board.pass",
                "board",
                says,
                COMMON_PRACTICE,
                Cure("Take circuits off backup, or fit a larger breaker and conductor"),
                figures=(worst, limit),
            )
        ]
    return [
        note(
            "board.passes",
            "board",
            f"With the grid on, {worst.name} draws {worst.text} of the {limit.text} that its feed"
            " passes.",
            COMMON_PRACTICE,
            figures=(worst, limit),
        )
    ]


def together_findings(plan: Plan, board: Board) -> list[Finding]:
    """Circuits that start alone but not at one moment, told from the one that clashes with most; a
    soft starter where it cures.
    """
    by: dict[str, Load] = {x.id: x for x in plan.loads}
    place = {x.id: i for i, x in enumerate(plan.loads)}
    found = []
    for one, others in hubs(board.together, {k: f.n for k, f in board.starting.items()}):
        says = (
            f"{by[one].name} must not start at the same moment as"
            f" {_list([by[x].name for x in others])}."
        )
        able = [
            x
            for x in (one, *(others if len(others) == 1 else ()))
            if all(_soft_pair(plan, board, one, y, x) for y in others)
        ]
        soft = tuple(
            Cure(
                f"Fit a soft starter to {by[x].name}",
                (Change(f"/loads/{place[x]}/soft_start", True),),
            )
            for x in able
        )
        delay = Cure("Interlock them, or set a start delay")
        figures = tuple(board.starting[x] for x in (one, *others))
        found.append(
            check(
                f"board.together.{one}",
                "board",
                says,
                COMMON_PRACTICE,
                *soft,
                delay,
                figures=figures,
            )
        )
    return found


def hubs(pairs: Sequence[tuple[str, str]], watts: dict[str, float]) -> list[tuple[str, list[str]]]:
    """Pairs told from the member that is in most of those left (of equals the one of most W): (it,
    its partners).

    >>> hubs([("a", "b"), ("c", "b"), ("c", "d")], {"a": 1, "b": 5, "c": 2, "d": 1})
    [('b', ['a', 'c']), ('c', ['d'])]
    """
    left, out = list(pairs), []
    while left:
        members = [x for p in left for x in p]
        one = max(dict.fromkeys(members), key=lambda x: (members.count(x), watts[x]))
        out.append((one, [next(y for y in p if y != one) for p in left if one in p]))
        left = [p for p in left if one not in p]
    return out


def _list(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{', '.join(names[:-1])} or {names[-1]}"


def _soft_pair(plan: Plan, board: Board, a: str, b: str, soft: str) -> bool:
    """Whether a soft starter on one of a pair lets both start at one moment."""
    sheet = Sheet([x for x in plan.loads if x.backed], board.starting, board.wye)
    index = {x.id: i for i, x in enumerate(sheet.loads)}
    x = sheet.loads[index[soft]]
    if x.kind not in ("motor", "pump") or x.soft_start:
        return False
    sheet.extra[index[soft]] = max(0.0, SOFT_START * board.starting[soft].n - x.running_w)
    surges = [(x.name, x.surge.n) for x in (board.total, *board.legs) if x.surge and x.surge.n]
    return all(sheet.starts(leg, (index[a], index[b])) <= most for leg, most in surges)
