"""What follows from a choice: the units and the supply of a book, a kit that suits the supply."""

from __future__ import annotations

from gumboot.core.brief.suits import SUPPLIES, series_that_fits, suits_supply, suits_unit
from gumboot.core.kit import Catalogue
from gumboot.web.stations.brief.kit_form.shape import book_of


def follows(typed: dict[str, str], changed: str, shelf: Catalogue) -> dict[str, str]:
    """The form after one choice: a book brings its units and a supply it serves; a supply brings a
    unit that suits it, a unit a pack. What suits already stays as it is.
    """
    out = dict(typed)
    book = book_of(out)
    if changed == "code":
        out["units"] = "us" if book.american else "si"
        if out.get("supply/kind") not in SUPPLIES[book.american]:
            out["supply/kind"] = SUPPLIES[book.american][0]
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
            out["kit/series"] = str(series_that_fits(shelf.packs.get(out["kit/pack"]), unit))
    return out
