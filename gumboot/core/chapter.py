"""A chapter: one thing that follows from the plan, with the findings and figures that go with it.

`design` walks the chapters in order. A chapter says which parts of the plan it reads and which
chapters it needs; when neither differs from those of a design made before, it is taken over whole.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any, Generic, TypeVar

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Finding
from gumboot.core.kit import Catalogue
from gumboot.core.plan import Plan

T = TypeVar("T")


VIEWS: dict[str, Callable[[Plan], object]] = {  # what a chapter may read of a field, and no more
    "run names": lambda p: frozenset(p.runs),
    "runs there": lambda p: frozenset(k for k, r in p.runs.items() if r.there),
    "sub-board's feeder": lambda p: p.runs.get("sub-feeder"),
    "keyed apart": lambda p: {k: v for k, v in p.settings.items() if ".unit-" in k},
    "fitted breakers": lambda p: {k: f.protection_a for k, f in p.fitted.items()},
    "extras": lambda p: tuple(w.extras for w in p.walls),
    "placed": lambda p: tuple(frozenset(w.placed) for w in p.walls),
    "tariff": lambda p: p.energy.tariff,
    "strings but runs": lambda p: tuple(
        tuple(getattr(s, f) for f in type(s).model_fields if f != "run") for s in p.strings
    ),
}


def _no_findings(result: Any, d: Draft) -> Iterable[Finding]:
    return ()


def _no_figures(result: Any) -> Iterable[tuple[str, Figure]]:
    return ()


@dataclass(frozen=True, eq=False)
class Chapter(Generic[T]):
    """One chapter.

    name: unique, as its room has it; reads: fields of the plan, or what `VIEWS` makes of one;
    needs: chapters it looks at;
    requires: those of them without which it cannot be made (their result is None): it is None then
    too. build makes the result, findings what is wrong with it, figures what a page may open.
    settles: whether a result equal to the one before stands in for it, so that nothing made from it
    is made again. station: where its findings are dealt with.
    """

    name: str
    build: Callable[[Draft], T]
    reads: tuple[str, ...] = ()
    needs: tuple[Chapter[Any], ...] = ()
    requires: tuple[Chapter[Any], ...] = ()
    findings: Callable[[T, Draft], Iterable[Finding]] = _no_findings
    figures: Callable[[T], Iterable[tuple[str, Figure]]] = _no_figures
    settles: bool = False
    station: str = "size"

    @property
    def every(self) -> tuple[Chapter[Any], ...]:
        """Every chapter it looks at."""
        return (*self.requires, *self.needs)


@dataclass(frozen=True, slots=True)
class Made(Generic[T]):
    """A chapter as made: its result, findings and figures, and the results it was made from."""

    result: T
    findings: tuple[Finding, ...]
    figures: tuple[tuple[str, Figure], ...]
    of: tuple[Any, ...]


@dataclass(eq=False)
class Draft:
    """A design being made: the plan, the shelf, the chapters done; and one made before."""

    plan: Plan
    catalogue: Catalogue
    before: Draft | None = None
    made: dict[Chapter[Any], Made[Any]] = field(default_factory=dict)
    same: dict[str, bool] = field(default_factory=dict)  # fields of the plan like those of before

    def __getitem__(self, chapter: Chapter[T]) -> T:
        """The result of a chapter made already. Raises KeyError when it comes later."""
        result: T = self.made[chapter].result
        return result

    def was(self, chapter: Chapter[T]) -> T | None:
        """The result of a chapter in the design made before, whatever has changed since."""
        if self.before is None or chapter not in self.before.made:
            return None
        if self.before.catalogue is not self.catalogue:
            return None
        result: T = self.before.made[chapter].result
        return result

    def unchanged(self, name: str) -> bool:
        """Whether a field of the plan is as it was in the design made before."""
        if self.before is None:
            return False
        if name not in self.same:
            view = VIEWS.get(name) or (lambda p: getattr(p, name))
            self.same[name] = view(self.plan) == view(self.before.plan)
        return self.same[name]

    def write(self, chapter: Chapter[Any]) -> None:
        """Make a chapter, or take it over from before."""
        of = tuple(self.made[c].result for c in chapter.every)
        if old := self._kept(chapter, of):
            self.made[chapter] = old
            return
        if any(self.made[c].result is None for c in chapter.requires):
            self.made[chapter] = Made(None, (), (), of)
            return
        result = chapter.build(self)
        if chapter.settles and (was := self.was(chapter)) is not None and was == result:
            result = was
        self.made[chapter] = Made(result, (), (), of)
        self.made[chapter] = Made(
            result, tuple(chapter.findings(result, self)), tuple(chapter.figures(result)), of
        )

    def _kept(self, chapter: Chapter[Any], of: tuple[Any, ...]) -> Made[Any] | None:
        if self.before is None or self.before.catalogue is not self.catalogue:
            return None
        old = self.before.made.get(chapter)
        if old is None or not all(a is b for a, b in zip(of, old.of, strict=True)):
            return None
        return old if all(self.unchanged(name) for name in chapter.reads) else None

    def figures(self) -> Iterator[tuple[str, Figure]]:
        """Every figure of every chapter."""
        return (f for m in self.made.values() for f in m.figures)
