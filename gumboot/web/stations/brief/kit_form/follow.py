"""What follows from a choice: the units and the supply of a book, a kit that suits the supply."""

from __future__ import annotations

from gumboot.catalogue import catalogue
from gumboot.core.kit import Inverter, Pack
from gumboot.web.stations.brief.kit_form.shape import book_of

SUPPLIES = {
    True: ("split-phase 120/240 V", "off-grid"),
    False: ("single-phase 230 V", "three-phase 400/230 V", "off-grid"),
}  # by whether a book is for split phase


def suits_supply(unit: Inverter, kind: str) -> bool:
    """Whether a unit may stand on a supply: its own, three phases for a single-phase one,
    or none.
    """
    if kind in ("", "off-grid", unit.supply):
        return True
    return kind.startswith("three") and unit.supply.startswith("single")


def suits_unit(pack: Pack, unit: Inverter | None) -> bool:
    """Whether some number of a pack in series lies within a unit's window, of a kind it charges."""
    if unit is None:
        return True
    if pack.chemistry not in unit.chemistries:
        return False
    most = pack.series_max if pack.form != "pack" else 1
    return any(
        n * pack.bms_v_max <= unit.battery_v_max + 1e-9
        and n * pack.bms_v_min >= unit.battery_v_min - 1e-9
        for n in range(1, most + 1)
    )


def follows(typed: dict[str, str], changed: str) -> dict[str, str]:
    """The form after one choice: a book brings its units and a supply it serves; a supply brings a
    unit that suits it, a unit a pack. What suits already stays as it is.
    """
    out, shelf = dict(typed), catalogue()
    book = book_of(out)
    if changed == "code":
        out["units"] = "us" if book.split_phase else "si"
        if out.get("supply/kind") not in SUPPLIES[book.split_phase]:
            out["supply/kind"] = SUPPLIES[book.split_phase][0]
    if changed in ("code", "supply/kind"):
        now = shelf.inverters.get(out.get("kit/inverter", ""))
        if now is None or not suits_supply(now, out.get("supply/kind", "")):
            kind = out.get("supply/kind", "")
            fits = [k for k, u in sorted(shelf.inverters.items()) if u.supply == kind]
            out["kit/inverter"] = fits[0] if fits else out.get("kit/inverter", "")
    if changed in ("code", "supply/kind", "kit/inverter"):
        unit = shelf.inverters.get(out.get("kit/inverter", ""))
        pack = shelf.packs.get(out.get("kit/pack", ""))
        if pack is None or not suits_unit(pack, unit):
            fits = [k for k, p in sorted(shelf.packs.items()) if suits_unit(p, unit)]
            out["kit/pack"] = fits[0] if fits else out.get("kit/pack", "")
            out["kit/series"] = str(series_that_fits(out["kit/pack"], unit))
    return out


def series_that_fits(pack_id: str, unit: Inverter | None) -> int:
    """The most units in series that a unit's window takes; 1 where it does not matter."""
    pack = catalogue().packs.get(pack_id)
    if pack is None or unit is None or pack.form == "pack":
        return 1
    fits = [
        n
        for n in range(1, pack.series_max + 1)
        if n * pack.bms_v_max <= unit.battery_v_max and n * pack.bms_v_min >= unit.battery_v_min
    ]
    return max(fits, default=1)
