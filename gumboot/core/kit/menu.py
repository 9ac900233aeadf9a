"""A line of the unit's menu, as its manual has it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from gumboot.core.kit.entry import Entry, WrongTogether

SLOT = "slot"  # the unit of a line that takes a whole window: "02:00-05:00 to 80 %", or "off"
TIME = "time"  # of a line that takes a time of day: "02:00"

BY_UNIT = {  # meanings that a menu has in % or in V: what a line in volts means
    "back_to_grid": "back_to_grid_v",
    "back_to_battery": "back_to_battery_v",
    "gen_start_soc": "gen_start_v",
    "gen_stop_soc": "gen_stop_v",
}
OF_CHARGE = {v: k for k, v in BY_UNIT.items()}


class MenuRegister(Entry):
    """Where a unit keeps a line over Modbus: number from 0, how it is written, what one is worth;
    low_first: of two registers the low word comes first.
    """

    number: Annotated[int, Field(ge=0, le=65535)]
    type: Literal["int16", "uint16", "int32", "uint32", "float32"] = "uint16"
    scale: Annotated[float, Field(gt=0)] = 1.0
    holding: bool = True
    low_first: bool = False


class MenuItem(Entry):
    """One line of the unit's menu. `rule` is what it means: an open vocabulary, of which
    `core.set.settings` fills what it knows; any other line keeps what the maker gave it.

    number: as the display counts it ("05", "P1.03"). options: choices as the manual words them;
    codes: what the display shows for each; means: what each means, in the vocabulary's words;
    values: what the register holds for each, 0 and on where silent. digits: after the point.
    default: what stands there from the works. when, when_is: the line, and its choices, under which
    this one shows. rewrites: lines whose values it changes. restart: takes effect after one.
    per_unit: each unit of several has its own. read_at: where it is kept; sunspec: model and point
    ("704.WMaxLimPct"). writes: may be written over the wire. profile: belongs to the grid profile,
    which only a licensed person changes.
    """

    id: str
    group: str
    label: str
    number: str = ""
    unit: str = ""
    rule: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_.]{0,39}$")] = "own"
    options: tuple[str, ...] = ()
    codes: tuple[str, ...] = ()
    means: tuple[str, ...] = ()
    values: tuple[int, ...] = ()
    least: float | None = None
    most: float | None = None
    step: Annotated[float, Field(gt=0)] | None = None
    digits: Annotated[int, Field(ge=0, le=4)] | None = None
    default: float | str | None = None
    when: str = ""
    when_is: tuple[str, ...] = ()
    rewrites: tuple[str, ...] = ()
    restart: bool = False
    per_unit: bool = False
    read_at: MenuRegister | None = None
    sunspec: Annotated[str, Field(pattern=r"^(\d{1,5}\.\w{1,40})?$")] = ""
    writes: bool = False
    profile: bool = False

    @model_validator(mode="before")
    @classmethod
    def _by_its_unit(cls, document: Any) -> Any:
        if not isinstance(document, dict) or not isinstance(document.get("rule"), str):
            return document
        unit, rule = str(document.get("unit", "")).strip().lower(), document["rule"]
        meant = {"v": BY_UNIT, "vdc": BY_UNIT, "v dc": BY_UNIT, "%": OF_CHARGE}.get(unit, {})
        return {**document, "rule": meant.get(rule, rule)}

    @model_validator(mode="after")
    def _agrees(self) -> MenuItem:
        if self.least is not None and self.most is not None and self.least > self.most:
            raise WrongTogether("most", f"from {self.least:g} to {self.most:g} is upside down")
        if len(set(self.options)) < len(self.options):
            twice = next(x for x in self.options if self.options.count(x) > 1)
            raise WrongTogether("options", f"“{twice}” stands there twice: each choice once")
        for name in ("codes", "means", "values"):
            own = getattr(self, name)
            if own and len(own) != len(self.options):
                says = f"{len(own)} for {len(self.options)} choices: one for each, or none"
                raise WrongTogether(name, says)
        if self.when == self.id:
            raise WrongTogether("when", "a line cannot show under itself: name another line")
        return self

    @property
    def readable(self) -> bool:
        """Whether the unit can be asked for it over its wire."""
        return self.read_at is not None or bool(self.sunspec)

    @property
    def places(self) -> int:
        """Figures after the point, as the display shows them."""
        if self.digits is not None:
            return self.digits
        text = f"{self.step:g}" if self.step else ""
        return len(text.partition(".")[2])

    def choice(self, means: str) -> str:
        """The choice that means something, by its own word; empty where none does."""
        found = (o for o, m in zip(self.options, self.means, strict=False) if m == means)
        return next(found, "")

    def meaning(self, option: str) -> str:
        """What a choice means: its own word, else the choice as it is."""
        own = dict(zip(self.options, self.means, strict=False)).get(option, "")
        return own or option

    def display(self, value: float | str) -> str:
        """A value as the display shows it: its code, or its figures."""
        if isinstance(value, str):
            return dict(zip(self.options, self.codes, strict=False)).get(value, value)
        return f"{value:.{self.places}f}"


def shows(item: MenuItem, values: dict[str, float | str]) -> bool:
    """Whether a line shows, by what the others hold."""
    return not item.when or str(values.get(item.when, "")) in item.when_is


def menu_fault(menu: Iterable[MenuItem]) -> tuple[int, str, str] | None:
    """(line from 0, field, what is wrong) of a menu whose lines do not go together: one that shows
    under a line that is not there, or in a circle under itself; one id twice.
    """
    rows = list(menu)
    of: dict[str, MenuItem] = {}
    for m in rows:
        of.setdefault(m.id, m)
    for n, m in enumerate(rows):
        if of[m.id] is not m:
            return n, "id", f"“{m.id}” stands in the menu twice"
        lost = next((x for x in (*m.rewrites, *([m.when] if m.when else [])) if x not in of), None)
        if lost is not None:
            field = "when" if lost == m.when else "rewrites"
            return n, field, f"no line of this menu has the key “{lost}”"
        seen, at = {m.id}, m
        while at.when:
            at = of.get(at.when, m)
            if at.id in seen:
                return n, "when", "it shows under itself, by way of others: break the circle"
            seen.add(at.id)
        if m.when and (wrong := [x for x in m.when_is if x not in of[m.when].options]):
            return n, "when_is", f"“{wrong[0]}” is no choice of “{of[m.when].label}”"
    return None
