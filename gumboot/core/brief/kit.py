"""What is chosen, against what the shelf has."""

from __future__ import annotations

from gumboot.core.basis.finding import Change, Cure, Finding, stop
from gumboot.core.kit import Catalogue
from gumboot.core.plan import Plan

WORDS = {"ct": "current transformer", "controller": "charge controller"}


def kit_findings(plan: Plan, catalogue: Catalogue) -> list[Finding]:
    """Kit the catalogue does not have, or that is needed and not chosen."""
    found: list[Finding] = []
    inverter = catalogue.inverters.get(plan.kit.inverter)
    shelves = (
        ("inverter", catalogue.inverters),
        ("pack", catalogue.packs),
        ("module", catalogue.modules),
        ("gateway", catalogue.gateways),
        ("meter", catalogue.meters),
        ("ct", catalogue.cts),
        ("controller", catalogue.controllers),
    )
    for field, shelf in shelves:
        wanted = getattr(plan.kit, field)
        needed = (field == "pack" and inverter and not inverter.pack_inside) or (
            field == "module" and not all(s.module for s in plan.strings)
        )
        needed = needed or (field == "controller" and plan.kit.controllers > 0)
        if wanted in shelf or (wanted is None and not needed):
            continue
        known = ", ".join(sorted(shelf)) or f"the shelf has no {WORDS.get(field, field)}"
        word = WORDS.get(field, field)
        article = "an" if field == "inverter" else "a"
        says = (
            f"“{wanted}” is not {article} {word} of the shelf."
            if wanted
            else f"No {word} is chosen."
        )
        cures = tuple(
            Cure(f"Choose {shelf[k].maker} {shelf[k].model}", (Change(f"/kit/{field}", k),))
            for k in sorted(shelf)[:1]
        )
        found.append(
            stop(
                f"kit.{field}",
                f"kit-{field}",
                says,
                "catalogue",
                *cures,
                Cure(f"Choose one of: {known}"),
            )
        )
    for i, s in enumerate(plan.strings):
        if s.module and s.module not in catalogue.modules:
            says = f"“{s.module}”, of string {s.letter}, is not a module of the shelf."
            cure = Cure("Take the job's module", (Change(f"/strings/{i}/module", None),))
            found.append(stop(f"pv-{s.letter}.module", "kit-module", says, "catalogue", cure))
    if inverter and not inverter.pack_inside and plan.kit.pack and plan.kit.packs == 0:
        pack = catalogue.packs.get(plan.kit.pack)
        apart = plan.kit.banks == "one per inverter" or (pack and pack.form == "stack")
        least = plan.kit.inverters if apart else 1
        found.append(
            stop(
                "kit.packs",
                "bank",
                "No pack is planned.",
                "plan",
                Cure(f"Plan {least}", (Change("/kit/packs", least),)),
            )
        )
    return found
