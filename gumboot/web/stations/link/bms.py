"""Link: what the packs say on their bus, heard through an adapter."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from gumboot.core.basis.figure import fmt
from gumboot.core.kit import Pack
from gumboot.core.kit.dbc import BadDbc, read_dbc
from gumboot.core.link.address import Bank
from gumboot.core.link.bms import Heard, answered, heard
from gumboot.devices.bms_client import ask, listen
from gumboot.devices.networks import DeviceFault
from gumboot.store import records
from gumboot.web.job.opening import Opened, OpenJob
from gumboot.web.pages.frame import render, twin

router = APIRouter()
PLAIN = {  # signals of a bank and of a pack in words; others go by their own names
    "charge_volts": "Charge up to",
    "charge_limit": "Charge with at most",
    "discharge_limit": "Discharge with at most",
    "discharge_volts": "Discharge down to",
    "soc": "State of charge",
    "temperature": "Temperature",
    "volts": "Volts",
    "amps": "Current",
}
UNITS = {"degC": "°C"}


def expected(bank: Bank) -> list[int]:
    """The addresses of a bank's packs, in the order of its chain."""
    told = [s.means.removeprefix("address ") for s in bank.settings if s.sets == "address"]
    known = [int(t) for t in told if t.isdecimal()]
    return known or list(range(1, len(bank.packs) + 1))


def readable(bank: Bank, pack: Pack) -> bool:
    """Whether the pack's sheet says what it tells on the bus of its bank."""
    return bool(pack.registers) if bank.bus == "RS-485" else bool(pack.dbc)


def page(
    job: OpenJob, found: Heard | None = None, fault: str = "", rate: float | None = None
) -> dict[str, Any]:
    """What the page shows."""
    h = job.design.harness
    bank = h.banks[0] if h and h.banks else None
    pack = job.design.pack
    out: dict[str, Any] = {
        **job.head("link"),
        "tab": "link/bms",
        "bank": None,
        "fault": fault,
        "heard": None,
    }
    if bank is None or h is None or pack is None:
        return out
    last = job.state.steps.get(f"bms.{bank.key}")
    out["bank"] = {
        "unit": h.labels.get(bank.unit, bank.unit),
        "protocol": bank.protocol,
        "bit_rate": bank.rates[0] if bank.rates else None,
        "packs": [
            {"label": h.labels.get(p, p), "address": a}
            for p, a in zip(bank.packs, expected(bank), strict=False)
        ],
        "others": len(h.banks) - 1,
    }
    out["readable"] = readable(bank, pack)
    out["bus"] = bank.bus
    out["messages"] = [m.name for m in read_dbc(pack.dbc).messages] if pack.dbc else []
    out["pack"] = {"id": pack.id, "name": f"{pack.maker} {pack.model}"}
    out["at"] = job.plan.linking.bms_at
    out["last"] = (
        {"who": last.who, "at": last.at_server, "says": last.body["why"] or last.body["typed"]}
        if last and last.body["verdict"] != "taken back"
        else None
    )
    if found:
        out["heard"] = {
            "frames": found.frames,
            "bit_rate": rate,
            "sound": found.sound,
            "says": list(found.says),
            "bank": [_value(k, v, u) for k, (v, u) in found.bank.items()],
            "packs": [
                {
                    "address": p.address,
                    "serial": p.serial,
                    "values": [
                        _value(k, v, found.units.get(k, ""))
                        for k, v in p.values.items()
                        if not k.startswith("alarm")
                    ],
                    "alarms": p.alarms,
                }
                for p in found.packs
            ],
            "unknown": [f"0x{i:X}" for i in found.unknown[:8]],
        }
    return out


def _value(name: str, value: float | str, unit: str) -> dict[str, str]:
    shown = value if isinstance(value, str) else fmt(value)
    return {"name": PLAIN.get(name, name), "shown": f"{shown} {UNITS.get(unit, unit)}".strip()}


@twin(router, "/jobs/{job_id}/link/bms", "link_bms.html")
def bms(request: Request, job: Opened) -> dict[str, Any]:
    """The page."""
    return page(job)


def bank_of(job: OpenJob) -> Bank | None:
    """The bank whose packs can be heard."""
    h, pack = job.design.harness, job.design.pack
    found = h.banks[0] if h and h.banks else None
    return found if found and pack and readable(found, pack) else None


def hear_bank(
    job: OpenJob, bank: Bank, pack: Pack, networks: Sequence[str]
) -> tuple[Heard, float | None]:
    """What a bank's packs say, and the bit rate they say it at. Raises DeviceFault, BadDbc."""
    rate, want = bank.rates[0] if bank.rates else None, expected(bank)
    if bank.bus == "RS-485":
        asked = ask(job.plan.linking.bms_at, networks, pack.registers, want)
        return answered(asked, want), rate
    frames, at_rate = listen(job.plan.linking.bms_at, networks, rate)
    return heard(frames, pack.dbc, want, bank.protocol, rate, at_rate), at_rate


@router.post("/jobs/{job_id}/link/bms")
def hear(request: Request, job: Opened) -> Response:
    """Listen to the bus; what was heard is kept in the log."""
    visit = job.visit
    visit.needs("installer", "supervisor")
    h, pack = job.design.harness, job.design.pack
    if h is None or not h.banks or pack is None or not readable(h.banks[0], pack):
        return render(request, "link_bms.html", page(job))
    if not job.plan.linking.bms_at:
        return render(request, "link_bms.html", page(job))
    bank, want = h.banks[0], expected(h.banks[0])
    try:
        found, at_rate = hear_bank(job, bank, pack, request.app.state.config.device_networks)
    except (DeviceFault, BadDbc) as exc:
        return render(request, "link_bms.html", page(job, fault=str(exc)), 422)
    tool = "RS-485 converter" if bank.bus == "RS-485" else "CAN adapter"
    who = ", ".join(str(p.address) for p in found.packs) or "none"
    body = {
        "step": f"bms.{bank.key}",
        "label": f"Packs heard, bank of {h.labels.get(bank.unit, bank.unit)}",
        "typed": f"addresses {who}",
        "value": float(len(found.packs)),
        "unit": "packs",
        "expected": f"addresses {', '.join(map(str, want))}",
        "verdict": "done" if found.sound else "outside",
        "why": " ".join(found.says),
        "tool": f"{tool} {job.plan.linking.bms_at}",
        "note": "",
    }
    try:
        records.append(
            visit.db, job.record, "link", body, visit.who, visit.role, visit.text("at_device")[:40]
        )
    except records.Frozen:
        said = "the job is signed: what was heard is shown, and not kept"
        return render(request, "link_bms.html", page(job, found, said, at_rate), 409)
    visit.db.commit()
    return render(request, "link_bms.html", page(job.anew(), found, "", at_rate))
