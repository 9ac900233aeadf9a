"""Parts that several sheets share: terminals by group, the case, signals, factory terminations."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any, Literal, get_args

from gumboot.core.kit.presumed import NOT_ENTERED
from gumboot.core.kit.register import Register
from gumboot.core.kit.signal import Connector, Serves
from gumboot.core.kit.terminal import End, Recheck
from gumboot.web.pages.form import Choices, Field, words

Document = dict[str, Any]
Many = list[Document]


def same(rows: Many) -> Many:
    """Rows as the entry has them."""
    return rows


@dataclass(frozen=True)
class Rows:
    """Rows of one section: the list of the entry they make, what one is called, its columns; those
    of `more` stand behind a fold. split and join turn the entry's list into rows and back. shape:
    whether the entry has a list there, one thing, or a map from the first column to the second.
    """

    path: str
    name: str
    columns: tuple[Field, ...]
    more: tuple[Field, ...] = ()
    spare: int = 1
    most: int = 40
    shape: Literal["list", "one", "map"] = "list"
    split: Callable[[Many], Many] = same
    join: Callable[[Many], Many] = same

    @property
    def fields(self) -> tuple[Field, ...]:
        """Every column."""
        return (*self.columns, *self.more)


@dataclass(frozen=True)
class Section:
    """One section of a sheet: fields, then rows. folds: shut until something stands in it."""

    id: str
    title: str
    fields: tuple[Field, ...] = ()
    rows: tuple[Rows, ...] = ()
    why: str = ""
    folds: bool = True
    drawn: str = ""


def optional(*names: str) -> Choices:
    """Choices of which none need be made."""
    return (("", "not said"), *words(*names))


def maybe(path: str, label: str, why: str = "") -> Field:
    """Yes, no, or nothing said."""
    return Field(path, label, "maybe", why, (("", "not said"), ("yes", "yes"), ("no", "no")), True)


def given(path: str, label: str, kind: str, why: str = "") -> Field:
    """A field that may stay empty."""
    return Field(path, label, kind, why, optional=True)


def slug(text: str, most: int = 36) -> str:
    """A text as an id: "GRID L1" is "grid-l1", "BAT +" is "bat+"."""
    plain = re.sub(r"[^a-z0-9]+([+-])(?![a-z0-9])", r"\1", text.lower().replace("−", "-"))
    out = re.sub(r"[^a-z0-9+-]+", "-", plain)[:most].lstrip("-")
    return (out if text.rstrip().endswith(("−", "-")) else out.rstrip("-")) or "x"


def numbered(ids: list[str]) -> list[str]:
    """Ids made unlike: the second "a" is "a-2"."""
    out: list[str] = []
    for id in ids:
        n, new = 2, id
        while new in out:
            new, n = f"{id}-{n}", n + 1
        out.append(new)
    return out


GROUPED = ("id", "label", "conductor")


def group(terminals: Many) -> Many:
    """Terminals that differ only by conductor as one row: conductors "L1, L2, N", label "GRID"."""
    out: Many = []
    for t in terminals:
        if t.get("source") == NOT_ENTERED:
            continue
        rest = {k: v for k, v in t.items() if k not in GROUPED}
        head, last = str(t["label"]).rpartition(" ")[0], str(t["label"]).rpartition(" ")[2]
        plain = last == t["conductor"] and bool(head)
        before = out[-1] if out else None
        if (
            before
            and plain
            and before.get("_head") == head
            and before["_rest"] == rest
            and t["conductor"] not in before["conductors"]
        ):
            before["conductors"].append(t["conductor"])
            before["label"] = head
            before["_ids"].append(t["id"])
        else:
            out.append(
                {
                    "label": t["label"],
                    "conductors": [t["conductor"]],
                    "_head": head if plain else None,
                    "_rest": rest,
                    "_ids": [t["id"]],
                    **rest,
                }
            )
    for row in out:
        ids = row.pop("_ids")
        if ids != [slug(x) for x in labelled(row)]:
            row["ids"] = ids
    return [{k: v for k, v in row.items() if not k.startswith("_")} for row in out]


def labelled(row: Document) -> list[str]:
    """The labels of the terminals of a row."""
    label, conductors = str(row.get("label", "")).strip(), row["conductors"]
    if len(conductors) == 1 and label:
        return [label]
    return [f"{label} {c}".strip() for c in conductors]


def ungroup(rows: Many) -> Many:
    """The terminals of rows, one for each conductor."""
    out: Many = []
    for i, row in enumerate(rows):
        rest = {k: v for k, v in row.items() if k not in ("conductors", "label", "ids")}
        typed = " ".join(row.get("conductors") or []).replace("/", " ").replace("-", "−").upper()
        conductors = typed.split() or [""]
        labels = labelled({**row, "conductors": conductors})
        ids = row.get("ids") or []
        if len(ids) != len(labels):
            ids = [slug(x) for x in labels]
        for c, label, id in zip(conductors, labels, ids, strict=True):
            out.append({"id": id, "label": label, "conductor": c, **rest, "_row": i})
            out[-1].setdefault("source", "maker's sheet")
            out[-1].setdefault("end", "bare")
    for t, id in zip(out, numbered([t["id"] for t in out]), strict=True):
        t["id"] = id
    return out


ENDS = words(*get_args(End))
TERMINAL = (
    Field("conductors", "Conductors", "list", "L1, L2, N or +, −; like ones in one row"),
    given("label", "Marked", "text", "as on the unit, without the conductor"),
    Field("end", "Takes", "choice", choices=ENDS),
    given("stud", "Stud", "text", "of a lug, such as M8"),
    given("least", "Size from", "text", "14 or 2.5 mm²"),
    Field("most", "Size to", "text", "2/0 or 35 mm²"),
    given("strip_mm", "Strip", "place"),
    given("torque_nm", "Torque", "torque"),
    given("bit", "Turned by", "text", "slot 6 mm, cross PH2, hex 5 mm, socket 13 mm"),
)
TERMINAL_MORE = (
    given("thread", "Thread of the screw", "text", "M5; where no torque is given"),
    Field("temp_c", "Marked for", "count", "°C", optional("60", "70", "75", "90"), True),
    maybe("free_air", "Marked for free air too"),
    given("holds", "Conductors a screw takes", "count"),
    given("screws", "Screws of a bar", "count"),
    given("metals", "Metals", "list", "Cu, Al"),
    given("strands", "Strands", "list", "solid, stranded, fine"),
    Field(
        "insulation_c",
        "Insulation at least",
        "count",
        "°C",
        optional("60", "70", "75", "90"),
        True,
    ),
    given("room_mm", "Room to bend before it", "place"),
    given("hardware", "On the stud, from the bar out", "list", "flat washer, lug, nut"),
    Field("recheck", "A day later", "choice", "", optional(*get_args(Recheck)), True),
    given("ferrite", "Ferrite", "text", "such as two turns through the toroid"),
    given("source", "Where it stands", "text", "manual, page"),
    given("ids", "Keys", "list", "kept by themselves"),
)


def terminals(path: str, name: str = "terminal row") -> Rows:
    """Terminals of a port, like ones in one row; "earth" is one terminal."""
    one = path == "earth"
    return Rows(
        path,
        name,
        TERMINAL,
        TERMINAL_MORE,
        spare=0 if one else 1,
        most=1 if one else 40,
        split=group,
        join=ungroup,
        shape="one" if one else "list",
    )


def port(id: str, name: str, label: str) -> tuple[tuple[Field, ...], Rows]:
    """A port of a unit: what it carries, what may protect it, its terminals."""
    fields = (
        given(f"{id}/i_max_a", f"{name}: continuous", "current"),
        given(f"{id}/protection_max_a", f"{name}: largest protection", "current"),
        given(f"{id}/protection", f"{name}: protected by", "text", "such as two-pole breaker"),
        given(f"{id}/protection_named_a", f"{name}: protection the maker names", "current"),
        given(f"{id}/named_size", f"{name}: size the maker names", "text", "2/0 or 35 mm²"),
        given(f"{id}/length_max_m", f"{name}: longest run", "length"),
    )
    return fields, terminals(f"{id}/terminals", f"row of terminals, {label}")


def with_ids(rows: Many) -> Many:
    """Factory terminations get ids by their labels."""
    ids = numbered([str(r.get("id") or slug(str(r.get("label", "")))) for r in rows])
    return [{**r, "id": id} for id, r in zip(ids, rows, strict=True)]


MADE = (
    Field("label", "Which", "text", "DC link bus, left screw"),
    Field("torque_nm", "Torque", "torque"),
    Field("bit", "Turned by", "text", "hex 5 mm"),
)
KEY = (given("id", "Key", "text", "kept by itself"),)
FACTORY = Rows("factory_terminations", "factory termination", MADE, KEY, join=with_ids)
COVER = (
    given("cover/label", "Screws of the cover", "text", "cover, four screws"),
    given("cover/torque_nm", "Torque of the cover", "torque"),
    given("cover/bit", "Cover turned by", "text", "cross PH2"),
)

CONNECTORS = (("", "not said"), *words(*get_args(Connector)))
KEYED = optional("higher numbers", "lower numbers")


def plug(at: str, where: str) -> tuple[tuple[Field, ...], tuple[Field, ...]]:
    """A connector: what stands in the row, and what behind its fold."""
    optional_ = bool(at)
    first = (
        Field(f"{at}label", f"Marked{where}", "text", "BMS, COM", optional=optional_),
        Field(f"{at}connector", f"Connector{where}", "choice", "", CONNECTORS, optional_),
        given(f"{at}pins", f"Pins{where}", "list", "number and function: 4 CAN H, 5 CAN L"),
    )
    more = (
        Field(f"{at}rows", f"Rows of clamps{where}", "count", "", optional("1", "2"), True),
        Field(f"{at}keyed", f"Its key lies by the{where}", "choice", "", KEYED, True),
        given(f"{at}strip_mm", f"Strip{where}", "place"),
        given(f"{at}least", f"Wire from{where}", "text", "0.25 mm² or 24"),
        given(f"{at}most", f"Wire to{where}", "text", "1 mm² or 18"),
        given(f"{at}holds", f"Wires in one clamp{where}", "count"),
        given(f"{at}torque_nm", f"Torque{where}", "torque", "of screw clamps"),
        given(f"{at}bit", f"Turned by{where}", "text", "slot 2.5 mm"),
        given(f"{at}source", f"Where it stands{where}", "text", "manual, page"),
    )
    return first, more


OWN, OWN_MORE = plug("", "")
FAR, FAR_MORE = plug("far/", ", at the other end")
TERMINATORS = optional("fixed", "switch", "jumper", "plug", "none")
SIGNALS = Rows(
    "signals",
    "signal port",
    (
        Field("serves", "Serves", "list", "BMS, chain in, meter, CT, shutdown, network"),
        *OWN,
        given("protocols", "Protocols it knows", "list", "as both sheets name them"),
        given("bit_rate", "Bit rate, bit/s", "number", "500000 or 9600"),
        Field("terminator", "Terminator", "choice", "", TERMINATORS, True),
    ),
    (
        *OWN_MORE,
        given("name", "Its lead is called", "text", "if more than what it serves"),
        given("jumper", "Joined at the works", "list", "two pins: 7, 8"),
        given("supply_a", "Its 12 V gives", "current"),
        given("supply_least_v", "Needs at the far end", "voltage"),
        given("lead_most_m", "Longest lead", "length"),
        given("cures", "Its menu can change", "list", "of CTs: direction, channels, phases, ratio"),
        *FAR,
        *FAR_MORE,
    ),
)
TYPES = get_args(Register.model_fields["type"].annotation)


def registers(shows: Iterable[str], one_is: str) -> Rows:
    """Where a device keeps what it shows over Modbus."""
    return Rows(
        "registers",
        "register",
        (
            Field("shows", "Shows", "choice", "", optional(*shows), True),
            Field("number", "Register", "count", "from 0"),
            Field("type", "Written as", "choice", "", optional(*TYPES), True),
            given("scale", "One is", "number", one_is),
            maybe("holding", "A holding register"),
        ),
    )


SETS = optional("address", "terminator", "protocol", "leader")
SWITCHES = Rows(
    "switches",
    "row of small switches",
    (
        Field("label", "Marked", "text", "ADDR"),
        Field("sets", "Sets", "choice", "", SETS, True),
        Field("count", "Switches in the row", "count"),
        Field("on", "On is", "choice", "", optional("up", "down", "left", "right"), True),
        given("first", "First device is number", "count", "0 or 1"),
        given("patterns", "Patterns", "list", "1 = 1000, programming = 1111; else binary"),
    ),
)
SERVED = ", ".join(get_args(Serves))
SIGNALS_SECTION = Section(
    "signals",
    "Signals, switches",
    rows=(SIGNALS, SWITCHES),
    why=f"A port serves one or more of: {SERVED}. Each port of one plug is a row of its own.",
)

SIDES = (("", "not said"), *words("left", "right", "top", "bottom"))


def case(at: str = "enclosure") -> tuple[Section, Section]:
    """Case and mounting; environment."""
    body = Section(
        "case",
        "Case and mounting",
        (
            given(f"{at}/width", "Width", "place"),
            given(f"{at}/height", "Height", "place"),
            given(f"{at}/depth", "Depth", "place"),
            given(f"{at}/mass_kg", "Mass, kg", "number"),
            Field(f"{at}/mount", "Mounted", "choice", "", optional("wall", "floor"), True),
            given(f"{at}/clear/left", "Free at the left", "place"),
            given(f"{at}/clear/right", "Free at the right", "place"),
            given(f"{at}/clear/above", "Free above", "place"),
            given(f"{at}/clear/below", "Free below", "place"),
            given(f"{at}/clear/front", "Free in front", "place"),
            given(f"{at}/like_least", "Least gap to its like", "place"),
            given(
                f"{at}/like_most", "Largest gap to its like", "place", "as far as its jumper goes"
            ),
            given(f"{at}/hook", "Hook from below", "place"),
            given(f"{at}/grip", "Hand holds from below", "place"),
            given(f"{at}/display", "Display from below", "place"),
            given(f"{at}/bottom_least", "Lower edge at least", "place", "above the floor"),
            given(f"{at}/bottom_most", "Lower edge at most", "place"),
            Field(f"{at}/expands", "Room to grow", "choice", "", SIDES, True),
            Field(
                f"{at}/people",
                "Lifted by",
                "choice",
                "",
                optional("one", "two", "lift table"),
                True,
            ),
        ),
        (
            Rows(
                f"{at}/holes",
                "hole of the bracket",
                (
                    Field("x", "From the left", "place"),
                    Field("y", "From below", "place"),
                ),
                spare=2,
            ),
            Rows(
                f"{at}/entries",
                "cable entry",
                (
                    Field("side", "Side", "choice", "", SIDES),
                    Field("at", "Along it", "place", "from the left or from below"),
                    given("takes", "For", "list", "battery, pv, grid, backup, link"),
                ),
            ),
        ),
        why="Measured from the lower left corner, seen from the front.",
        drawn="case",
    )
    air = Section(
        "environment",
        "Environment",
        (
            Field(
                f"{at}/weather",
                "Weather it takes",
                "choice",
                "",
                optional("indoors", "rain", "rain and sun"),
                True,
            ),
            maybe(f"{at}/on_wood", "May hang on something that burns"),
            given(f"{at}/t_least_c", "Coldest", "temperature"),
            given(f"{at}/t_most_c", "Hottest", "temperature"),
            given(f"{at}/t_derate_c", "Full power up to", "temperature"),
            given(f"{at}/derate_per_c", "Loses above that, a °C", "share"),
            given(f"{at}/altitude_full_m", "Full power up to, altitude", "length"),
            given(f"{at}/derate_per_100m", "Loses above that, each 100 m", "share"),
            given(f"{at}/altitude_most_m", "Highest altitude", "length"),
            given(f"{at}/noise_db", "Noise at 1 m, dB(A)", "number"),
        ),
    )
    return body, air


BLOCK = Section(
    "block",
    "Where the terminals lie",
    (
        given("block/width", "Compartment, width", "place"),
        given("block/height", "Compartment, height", "place"),
    ),
    (
        Rows(
            "block/rows",
            "row of the block",
            (
                Field("port", "Port", "text", "BAT, GRID, BACKUP, GEN, PV 1, COM, PE"),
                Field("x", "First terminal from the left", "place"),
                Field("y", "From below", "place"),
                Field("pitch", "To the next", "place"),
            ),
        ),
    ),
    why="So that Land lights up the very screw; without it terminals stand in a plain row.",
    drawn="block",
)
