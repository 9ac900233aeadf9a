"""A long list of PV modules: CSV with the columns of the open module data set that pvlib reads
(`pvlib.pvsystem.retrieve_sam`): one line of names, as that set has it also one of units and one of
tags, then a module a line.
"""

from __future__ import annotations

import csv
import io
import re
from typing import Any

from pydantic import ValidationError

from gumboot.core.kit import Module
from gumboot.imports.interval import Unreadable

NEEDED = ("Name", "I_sc_ref", "V_oc_ref", "I_mp_ref", "V_mp_ref")
MOST = 60_000


def read_modules(data: bytes) -> list[dict[str, Any]]:
    """The modules as entries of the shelf; the data set says nothing of the largest fuse and the
    system voltage, so neither do they. beta_oc in V/°C becomes a share of V_oc. Raises Unreadable
    with the line and the column at fault.
    """
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError:
        text = data.decode("latin-1")
    rows = csv.reader(io.StringIO(text, newline=""))
    try:
        names = [n.strip() for n in next(rows, [])]
        lacking = [n for n in NEEDED if n not in names]
        if lacking:
            raise Unreadable(
                f"The first line must name the columns; {', '.join(lacking)}"
                f" {'is' if len(lacking) == 1 else 'are'} missing."
            )
        out: dict[str, dict[str, Any]] = {}
        for number, cells in enumerate(rows, 2):
            row = dict(zip(names, (c.strip() for c in cells), strict=False))
            if not any(cells) or (number <= 3 and not _number(row["I_sc_ref"])):
                continue  # units and tags of the data set
            made = _module(row, number)
            out[made["id"]] = made
            if len(out) > MOST:
                raise Unreadable(f"More than {MOST:,} modules: send them in parts.")
    except csv.Error as exc:
        raise Unreadable(f"Not CSV: {exc}.") from exc
    if not out:
        raise Unreadable("No module in it: after the names of the columns comes a module a line.")
    return list(out.values())


def _number(text: str | None) -> float | None:
    try:
        value = float((text or "").replace(",", "."))
    except ValueError:
        return None
    return value if abs(value) < 1e6 else None


def _module(row: dict[str, str], line: int) -> dict[str, Any]:
    values: dict[str, float] = {}
    for name in NEEDED[1:]:
        found = _number(row.get(name))
        if found is None:
            raise Unreadable(f"Line {line}, {name}: “{row.get(name, '')[:30]}” is not a number.")
        values[name] = found
    name, maker = row["Name"], row.get("Manufacturer", "")
    model = name[len(maker) :].strip() if maker and name.startswith(maker) else name
    power = _number(row.get("STC")) or round(values["V_mp_ref"] * values["I_mp_ref"], 1)
    beta = _number(row.get("beta_oc"))
    module: dict[str, Any] = {
        "kind": "module",
        "id": ident(name),
        "maker": (maker or name.split()[0])[:80],
        "model": (model or name)[:80],
        "p_max_w": power,
        "v_oc_v": values["V_oc_ref"],
        "v_mp_v": values["V_mp_ref"],
        "i_sc_a": values["I_sc_ref"],
        "i_mp_a": values["I_mp_ref"],
    }
    if beta is not None and values["V_oc_ref"]:
        module["beta_voc_per_c"] = round(beta / values["V_oc_ref"], 6)
    try:
        Module.model_validate(module)
    except ValidationError as exc:
        fault = exc.errors()[0]
        where = "/".join(str(p) for p in fault["loc"])
        raise Unreadable(f"Line {line}, {where}: {fault['msg']}.") from exc
    return module


def ident(name: str) -> str:
    """A module's id by its name: short, and another for another name."""
    import hashlib

    plain = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")
    return f"{plain[:30].strip('-')}-{hashlib.sha256(name.encode()).hexdigest()[:6]}"
