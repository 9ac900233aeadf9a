"""The chapters of Brief: what was seen, what is chosen, the load board, the generator, prices."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from gumboot.core.basis.figure import Figure
from gumboot.core.basis.finding import Finding
from gumboot.core.brief.kit import kit_findings
from gumboot.core.brief.survey import survey_findings
from gumboot.core.chapter import Chapter, Draft
from gumboot.core.energy.tariff import tariff_findings
from gumboot.core.kit import Controller, Gateway, Inverter, Module, Pack


@dataclass(frozen=True, slots=True)
class Chosen:
    """What is fitted, from the shelf."""

    inverter: Inverter
    pack: Pack | None
    gateway: Gateway | None
    modules: tuple[Module, ...]  # of the strings, in their order
    controller: Controller | None


def _survey(d: Draft) -> tuple[Finding, ...]:
    return tuple(survey_findings(d.plan))


SURVEY: Chapter[tuple[Finding, ...]] = Chapter(
    "survey",
    _survey,
    reads=("survey", "site", "supply", "code", "kit", "strings", "backup", "walls", "spacing"),
    findings=lambda found, d: found,
    station="brief",
)


def _kit(d: Draft) -> Chosen | None:
    kit, shelf = d.plan.kit, d.catalogue
    if kit_findings(d.plan, shelf):
        return None
    inverter = shelf.inverters[kit.inverter]
    return Chosen(
        inverter,
        shelf.packs.get(inverter.pack_inside or kit.pack or ""),
        shelf.gateways.get(kit.gateway or ""),
        tuple(shelf.modules[k] for k in dict.fromkeys(map(d.plan.module_of, d.plan.strings)) if k),
        shelf.controllers.get(kit.controller or "") if kit.controllers_fitted else None,
    )


KIT: Chapter[Chosen | None] = Chapter(
    "kit",
    _kit,
    reads=("kit", "strings"),
    settles=True,
    findings=lambda kit, d: kit_findings(d.plan, d.catalogue) if kit is None else (),
)


def _tariff(d: Draft) -> tuple[Finding, ...]:
    if d.plan.supply.kind == "off-grid":
        return ()  # nobody buys or sells there
    return tuple(tariff_findings(d.plan.energy.tariff))


TARIFF: Chapter[tuple[Finding, ...]] = Chapter(
    "tariff",
    _tariff,
    reads=("energy", "supply"),
    findings=lambda found, d: found,
    station="brief",
)


def named(prefix: str, thing: object, *names: str) -> Iterator[tuple[str, Figure]]:
    """The figures of a thing by their names, those that are there."""
    return ((f"{prefix}.{n}", f) for n in names if isinstance(f := getattr(thing, n), Figure))


def chosen(d: Draft) -> Chosen:
    """What is fitted; for chapters that require it."""
    kit = d[KIT]
    assert kit is not None  # noqa: S101 - required
    return kit
