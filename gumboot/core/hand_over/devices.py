"""What a job has that bears a serial number."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from gumboot.core.brief.chapters import KIT
from gumboot.core.design import Design


@dataclass(frozen=True, slots=True)
class Device:
    """key: stable, for the log; body: the box it is; model: as planned; firmware: whether it has
    any, to be noted as found and as left.
    """

    key: str
    body: str
    label: str
    maker: str
    model: str
    firmware: bool = False


def devices(d: Design) -> tuple[Device, ...]:
    """Every device of the job with a serial of its own, as it stands on the wall: units, packs (all
    of a stack or a row), gateway, meter.
    """
    return tuple(_devices(d))


def _devices(d: Design) -> Iterator[Device]:
    kit = d.of(KIT)
    unit, pack = d.inverter, d.pack
    for b in d.bodies:
        if b.role == "inverter" and unit is not None:
            yield Device(b.id, b.id, b.label, unit.maker, unit.model, True)
        if b.role == "controller" and d.controller is not None:
            yield Device(b.id, b.id, b.label, d.controller.maker, d.controller.model, True)
    if pack is not None and not (unit is not None and unit.pack_inside):
        boxes = [b for b in d.bodies if b.role == "pack"]
        packs, series = d.plan.kit.packs, d.plan.kit.series
        part = "cell" if pack.form == "block" else "module"
        for n in range(packs * series):
            own = boxes[n // series] if len(boxes) == packs else boxes[0] if boxes else None
            label = own.label if own else f"Pack {n // series + 1}"
            if series > 1:
                label = f"{label}, {part} {n % series + 1}"
            at = own.id if own else ""
            firm = pack.form != "block"
            yield Device(f"pack-{n + 1}", at, label, pack.maker, pack.model, firm)
    if kit is not None and kit.gateway is not None:
        at = next((b.id for b in d.bodies if b.id == "gateway"), "")
        yield Device("gateway", at, "Gateway", kit.gateway.maker, kit.gateway.model, True)
    meter = d.metering.meter if d.metering else None
    if meter is not None:
        at = next((b.id for b in d.bodies if b.role == "main-panel"), "")
        yield Device("meter", at, "Meter", meter.maker, meter.model, True)


def doubles(serials: Sequence[tuple[str, str]]) -> dict[str, tuple[str, ...]]:
    """Serials that stand at several devices: by serial, the devices. Blanks and case count not."""
    by: dict[str, list[str]] = {}
    for key, text in serials:
        plain = "".join(text.split()).upper()
        if plain:
            by.setdefault(plain, []).append(key)
    return {k: tuple(v) for k, v in by.items() if len(v) > 1}
