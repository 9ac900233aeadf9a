"""The load board's rows: eight texts a circuit, to and from a plan, and from CSV as others
keep it.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from typing import Any, get_args

from gumboot.core.basis import clock, units
from gumboot.core.plan import Legs, Load, LoadKind
from gumboot.exports.materials import inert
from gumboot.web.pages.form import Choices, Field, words

SOFT = ", soft starter"
KINDS: Choices = words(*get_args(LoadKind), *(f"{k}{SOFT}" for k in ("motor", "pump")))
OUTAGE: Choices = (
    ("must", "must live"),
    ("may", "may drop"),
    ("off", "not on backup"),
    ("wanted", "must, not on yet"),
)
COLUMNS = ("name", "kind", "runs", "starts", "legs", "outage", "hours", "share")
MOST = 120
LEGS = get_args(Legs)
Rows = list[dict[str, str]]
EMPTY = {
    "id": "",
    "name": "",
    "kind": "resistive",
    "runs": "",
    "starts": "",
    "legs": "L1",
    "outage": "may",
    "hours": "",
    "share": "",
}


def fields(i: int, lines: Sequence[int | str]) -> tuple[Field, ...]:
    """The fields of one row, on a supply of these legs."""
    known = {f"L{n + 1}" for n in range(len(lines))}
    legs = [x for x in LEGS if set(x.split("+")) <= known]
    at = f"load-{i}-"
    return (
        Field(f"{at}name", "Circuit", "text"),
        Field(f"{at}kind", "Kind", "choice", choices=KINDS),
        Field(f"{at}runs", "Runs at", "watts"),
        Field(f"{at}starts", "Starts at", "text", optional=True),
        Field(f"{at}legs", "Legs", "choice", choices=words(*legs)),
        Field(f"{at}outage", "In an outage", "choice", choices=OUTAGE),
        Field(f"{at}hours", "Hours", "text", optional=True),
        Field(f"{at}share", "Share of them", "text", optional=True),
    )


def row_of(load: Load) -> dict[str, str]:
    """A circuit as it is typed."""
    outage = ("must" if load.must else "may") if load.backed else ("wanted" if load.must else "off")
    starts = (
        f"{load.starting_w:g} W"
        if load.starting_w is not None
        else f"{load.locked_rotor_a:g} A"
        if load.locked_rotor_a is not None
        else ""
    )
    return {
        "id": load.id,
        "name": load.name,
        "kind": load.kind + (SOFT if load.soft_start else ""),
        "runs": f"{load.running_w:g} W",
        "starts": starts,
        "legs": load.legs,
        "outage": outage,
        "hours": clock.typed_spans([(w.start_min, w.end_min) for w in load.hours]),
        "share": f"{100 * load.duty:g} %",
    }


def rows_in(text_of: Any, count: int) -> Rows:
    """The rows of a sent form."""
    return [{k: text_of(f"load-{i}-{k}") for k in ("id", *COLUMNS)} for i in range(count)]


def used(row: dict[str, str]) -> bool:
    """Whether a row is a circuit: an emptied name leaves it out."""
    return bool(row["name"] or row["runs"])


def documents(rows: Rows) -> tuple[list[dict[str, Any] | None], dict[str, str]]:
    """(each row as the plan holds it, None for one left out or at fault; message by field)."""
    faults: dict[str, str] = {}
    out: list[dict[str, Any] | None] = []
    taken: set[str] = set()
    for i, row in enumerate(rows):
        if not used(row):
            out.append(None)
            continue
        before = len(faults)
        document = _document(row, f"load-{i}-", faults)
        document["id"] = _id(row, taken)
        taken.add(document["id"])
        out.append(document if len(faults) == before else None)
    return out, faults


def _document(row: dict[str, str], at: str, faults: dict[str, str]) -> dict[str, Any]:
    """One row as a plan holds it; what cannot be read goes to `faults`."""

    def read(name: str, how: Any) -> Any:
        try:
            return how(row[name])
        except (units.NotAQuantity, clock.NotATime) as exc:
            faults[at + name] = str(exc)
            return None

    kind = row["kind"].removesuffix(SOFT)
    if not row["name"]:
        faults[f"{at}name"] = "type a name, or empty the power too to leave the row out"
    for name, known in (
        ("kind", [k for k, _ in KINDS]),
        ("legs", LEGS),
        ("outage", [k for k, _ in OUTAGE]),
    ):
        if row[name] not in known:
            faults[at + name] = f"choose one of: {', '.join(known)}"
    amps = row["starts"].lower().rstrip().endswith(("a", "amp", "amps"))
    return {
        "name": row["name"],
        "kind": kind,
        "soft_start": row["kind"].endswith(SOFT),
        "running_w": read("runs", _watts),
        "legs": row["legs"],
        "starting_w": read("starts", _watts) if row["starts"] and not amps else None,
        "locked_rotor_a": read("starts", _amps) if amps else None,
        "backed": row["outage"] in ("must", "may"),
        "must": row["outage"] in ("must", "wanted"),
        "hours": read("hours", _hours),
        "duty": read("share", _share) if row["share"] else 1.0,
    }


def _watts(text: str) -> float:
    if not text:
        raise units.NotAQuantity("type a power, such as 150 W or 1.5 kW")
    value = round(units.parse(text, "power"), 3)
    if not 0 < value <= 1_000_000:
        raise units.NotAQuantity("type a power of more than 0 W")
    return value


def _amps(text: str) -> float:
    value = round(units.parse(text, "current"), 3)
    if not 0 < value <= 4000:
        raise units.NotAQuantity(
            "type a current of more than 0 A and at most 4000 A, or a power such as 900 W"
        )
    return value


def _share(text: str) -> float:
    value = round(units.parse(text, "percent") / 100, 6)
    if not 0 < value <= 1:
        raise units.NotAQuantity("type a share of more than 0 % and at most 100 %")
    return value


def _hours(text: str) -> list[dict[str, int]]:
    found = clock.parse_spans(text)
    if len(found) > 6:
        raise clock.NotATime("type at most six stretches of the day")
    return [{"start_min": a, "end_min": b} for a, b in found]


def _id(row: dict[str, str], taken: set[str]) -> str:
    """The row's own id, or one made of its name; never one that is taken."""
    stem = (
        row["id"]
        if re.fullmatch(r"[A-Za-z0-9_.-]{1,40}", row["id"])
        else re.sub(r"[^a-z0-9]+", "-", row["name"].lower()).strip("-")[:32] or "load"
    )
    return next(
        x for x in (stem, *(f"{stem[:36]}-{n}" for n in range(2, 2 * MOST))) if x not in taken
    )


NAMES = {  # what others call the columns
    "name": ("name", "circuit", "load", "description", "what"),
    "kind": ("kind", "type"),
    "runs": ("runs", "running", "watts", "power", "w", "kw"),
    "starts": ("starts", "starting", "surge", "start", "lra", "locked"),
    "legs": ("legs", "leg", "phase", "phases", "pole", "poles"),
    "outage": ("outage", "backup", "essential", "must"),
    "hours": ("hours", "time", "when"),
    "share": ("share", "duty"),
}
SAYS_OUTAGE = {
    "yes": "may",
    "y": "may",
    "true": "may",
    "1": "may",
    "essential": "must",
    "no": "off",
    "n": "off",
    "false": "off",
    "0": "off",
}


class NotATable(ValueError):
    """The text holds no circuits; the message says what to paste."""


def rows_of_csv(text: str) -> Rows:
    """Circuits of a table with commas, semicolons or tabs. Columns by their names, or name and
    watts where there is no head. Raises NotATable.
    """
    lines = [x for x in text.replace("\x00", "").splitlines() if x.strip()]
    want = "paste lines with a name and a power, such as: Well pump, 1500 W"
    if not lines:
        raise NotATable(f"There is nothing in it: {want}.")
    mark = max(("\t", ";", ","), key=lambda d: sum(d in x for x in lines))
    try:
        table = [
            [c.strip() for c in row]
            for row in csv.reader(io.StringIO("\n".join(lines)), delimiter=mark)
        ]
    except csv.Error as exc:
        raise NotATable(f"It cannot be read as a table ({exc}): {want}.") from exc
    at, unit, skip = _head(table[0])
    rows = []
    for cells in table[skip:]:
        row = dict(EMPTY) | {k: cells[n] for k, n in at.items() if n < len(cells) and cells[n]}
        for k, u in unit.items():
            if re.fullmatch(r"[\d.,]+", row[k]):
                row[k] = f"{row[k]} {u}"
        row["outage"] = _choice(SAYS_OUTAGE.get(row["outage"].lower(), row["outage"]), OUTAGE)
        row["kind"] = _choice(row["kind"], KINDS)
        row["legs"] = row["legs"].upper().replace(" ", "").replace("/", "+").replace("&", "+")
        rows.append(row)
    if not any(re.search(r"\d", r["runs"]) for r in rows):
        raise NotATable(f"No column of powers was found: {want}.")
    if len(rows) > MOST:
        raise NotATable(f"{len(rows)} circuits are more than a board has: at most {MOST}.")
    return rows


def _head(first: list[str]) -> tuple[dict[str, int], dict[str, str], int]:
    """(column by name, unit of a bare number, lines to skip)."""
    found: dict[str, int] = {}
    unit: dict[str, str] = {}
    for n, cell in enumerate(first):
        said = re.findall(r"[a-z]+", cell.lower())
        key = next(
            (k for k, others in NAMES.items() if k not in found and set(said) & set(others)), None
        )
        if key:
            found[key] = n
            if key in ("runs", "starts"):
                unit[key] = (
                    "kW" if "kw" in said else "A" if {"a", "lra", "amps"} & set(said) else "W"
                )
            if key == "share":
                unit[key] = "%"
    if "name" in found and "runs" in found:
        return found, unit, 1
    return (
        {k: n for n, k in enumerate(COLUMNS)} if len(first) > 2 else {"name": 0, "runs": 1},
        {},
        0,
    )


def _choice(text: str, choices: Choices) -> str:
    """A choice by what it is stored as, or as it reads."""
    low = text.lower()
    return next((k for k, name in choices if low in (k, name)), text)


def to_csv(rows: Rows) -> str:
    """The rows as a table that this reads again."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    writer.writerows(
        [dict(OUTAGE)[r["outage"]] if k == "outage" else inert(r[k]) for k in COLUMNS] for r in rows
    )
    return out.getvalue()
