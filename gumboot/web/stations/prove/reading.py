"""What a file of each kind says, read against this job."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np

from gumboot.core.prove.curves import iv, step, transfer
from gumboot.core.prove.curves.diode import Array, Diode, of_sheet
from gumboot.core.prove.hour import discharge
from gumboot.core.prove.strings import ALPHA, CELL_OFF_C, LIGHT_OFF, Sky, cell_of
from gumboot.core.size.strings import GAMMA_ASSUMED
from gumboot.imports.columns import Table, numbers
from gumboot.imports.interval import Unreadable
from gumboot.web.job.opening import OpenJob

KINDS = {
    "iv": "an I-V curve of a string",
    "transfer": "volts at a backed-up socket, through a transfer",
    "step": "a load step: array, battery, grid, loads",
    "discharge": "a discharge or charge of the battery",
}
MOST_POINTS, MOST_READ = 240, 4000  # drawn; read of a long run


@dataclass(frozen=True, slots=True)
class Role:
    """What a column holds, and the heads that say so."""

    says: str
    pattern: str
    needed: bool = True


TIME = Role("time", r"time|^t\b|sec|\bms\b|stamp")
ROLES: dict[str, dict[str, Role]] = {
    "iv": {
        "volts": Role("volts", r"volt|^u\b|^v\b|\(v\)|\[v\]"),
        "amps": Role("amperes", r"curr|amp|^i\b|\(a\)|\[a\]"),
    },
    "transfer": {"time": TIME, "volts": Role("volts", r"volt|^u\b|^v\b|ch ?1|\(v\)|\[v\]")},
    "step": {
        "time": TIME,
        "array": Role("array W", r"pv|array|solar", False),
        "battery": Role("battery W, out counts positive", r"bat", False),
        "grid": Role("grid W, in counts positive", r"grid|mains|meter", False),
        "loads": Role("loads W", r"load|house|home|consum"),
    },
    "discharge": {
        "time": TIME,
        "volts": Role("battery volts", r"volt|^u\b|^v\b|\(v\)"),
        "amps": Role("battery amperes, out counts positive", r"curr|amp|^i\b|\(a\)"),
        "soc": Role("state of charge, %", r"soc|charge"),
        "ac": Role("AC W given", r"ac|output|load", False),
    },
}


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of a file: a sentence, its verdict, values and lines to draw, and readings for
    tests, each with what it may be off by the file's own method. page: the test that it is whole.
    """

    what: str
    label: str
    says: str
    verdict: str
    values: dict[str, Any]
    readings: tuple[tuple[str, str, float], ...] = ()
    page: str = ""


def taken(
    job: OpenJob, what: str, table: Table, columns: dict[str, int], typed: dict[str, str]
) -> Taken:
    """What a file says. Raises Unreadable or ValueError with what is wrong."""
    roles = [k for k in ROLES[what] if k in columns]
    arrays = dict(zip(roles, numbers(table, [columns[k] for k in roles]), strict=True))
    if what != "transfer":  # a wave needs every sample
        every = max(1, len(arrays[roles[0]]) // MOST_READ)
        arrays = {k: x[::every] for k, x in arrays.items()}
    if what == "iv":
        return _iv(job, arrays, typed)
    if what == "transfer":
        return _transfer(job, arrays)
    if what == "step":
        return _step(arrays)
    return _discharge(job, arrays)


def line(name: str, look: str, x: Array, y: Array) -> dict[str, Any]:
    """A line as it is kept: few points, rounded."""
    every = max(1, len(x) // MOST_POINTS)
    return {
        "name": name,
        "look": look,
        "x": [round(float(v), 4) for v in x[::every]],
        "y": [round(float(v), 4) for v in y[::every]],
    }


def _number(text: str, says: str) -> float:
    try:
        return float(text.replace(",", ".").split()[0])
    except (ValueError, IndexError) as exc:
        raise Unreadable(f"Type {says}.") from exc


def shown(d: Diode) -> tuple[Array, Array]:
    """A curve between its axes."""
    v, i = d.curve(120)
    inside = (v >= 0) & (i >= 0)
    return v[inside], i[inside]


def around(sheet: Diode, light: float, warm: float, modules: int) -> dict[str, Any]:
    """What light and warmth as read leave open of a curve, as a band."""
    lower, upper = (
        sheet.at(light * (1 + s * LIGHT_OFF), warm - s * CELL_OFF_C).times(modules).curve(120)
        for s in (-1, 1)
    )
    x = np.linspace(0, upper[0].max(), 90)
    low, high = (np.maximum(np.interp(x, v, i), 0.0) for v, i in (lower, upper))
    return {**line("light and warmth", "band", x, low), "edge": line("", "", x, high)["y"]}


def _iv(job: OpenJob, arrays: dict[str, Array], typed: dict[str, str]) -> Taken:
    own = next((s for s in job.design.strings if s.letter == typed["string"]), None)
    planned = next((s for s in job.plan.strings if s.letter == typed["string"]), None)
    if own is None or planned is None:
        raise Unreadable("Choose the string it was taken of.")
    if own.module.optimizer:
        raise Unreadable("The optimizers at its modules show no curve of theirs.")
    light = _number(typed["light"], "the light in the array's plane, W/m²")
    cell = _number(typed["cell"], "the cells' temperature, °C")
    if not -40 <= cell <= 95:
        raise Unreadable("Type the cells' temperature: -40 to 95 °C.")
    if not 50 <= light <= 1500:
        raise Unreadable("Type the light in the array's plane: 50 to 1500 W/m².")
    warm = cell_of(Sky(light, cell), planned.mounting).figure.n
    module = own.module
    slope = next(
        (x for x in (module.beta_voc_per_c, module.gamma_vmp_per_c) if x is not None), GAMMA_ASSUMED
    )
    sheet = of_sheet(
        own.rows * module.i_sc_a,
        module.v_oc_v,
        own.rows * module.i_mp_a,
        module.v_mp_v,
        ALPHA,
        slope,
    )
    expected = sheet.at(light, warm).times(own.modules)
    found = iv.read(arrays["volts"], arrays["amps"], expected, own.modules)
    says = "; ".join(w for w, _ in found.says) or "as expected"
    order = np.argsort(arrays["volts"])
    values = {
        **{"i_sc_a": round(found.i_sc, 3), "v_oc_v": round(found.v_oc, 2)},
        **{"p_max_w": round(found.p_max, 1), "fill": round(found.fill, 4)},
        **{"light_w_m2": light, "cell_c": cell, "search": found.says[0][1] if found.says else ""},
        **{"r_s_ohm": round(found.fit.r_s, 3), "r_sh_ohm": round(found.fit.r_sh, 1)},
        "lines": [
            around(sheet, light, warm, own.modules),
            line("expected", "expected", *shown(expected)),
            line("measured", "measured", arrays["volts"][order], arrays["amps"][order]),
        ],
        **{"x_name": "V", "y_name": "A"},
    }
    letter = own.letter
    return Taken(
        "iv",
        f"I-V curve, string {letter}",
        says,
        "outside" if found.says else "done",
        values,
        (
            (f"string.{letter}.open", f"{found.v_oc:.1f} V", 0.0),
            (f"string.{letter}.short", f"{found.i_sc:.2f} A", 0.0),
        ),
    )


def _transfer(job: OpenJob, arrays: dict[str, Array]) -> Taken:
    found = transfer.transfer(arrays["time"], arrays["volts"])
    unit = job.design.inverter
    claim = unit.transfer_ms if unit else None
    says = f"{found.gap_ms:.1f} ± {found.off_ms:.1f} ms without the wave"
    verdict = "done" if claim is None or found.gap_ms - found.off_ms <= claim else "outside"
    says += f"; {claim:g} ms is claimed" if claim is not None else ""
    near = (found.rms[0] > found.begins - 0.1) & (found.rms[0] < found.ends + 0.1)
    span = (arrays["time"] > found.begins - 0.06) & (arrays["time"] < found.ends + 0.06)
    values = {
        **{"gap_ms": round(found.gap_ms, 2), "off_ms": round(found.off_ms, 2)},
        **{"before_v": round(found.before_v, 1), "after_v": round(found.after_v, 1)},
        **{"least_v": round(found.least_v, 1), "hertz": round(found.hertz, 2)},
        "lines": [
            line("wave", "other", arrays["time"][span], arrays["volts"][span]),
            line("RMS of half-waves", "measured", found.rms[0][near], found.rms[1][near]),
        ],
        "marks": [[found.begins, "gone"], [found.ends, "back"]],
        **{"x_name": "s", "y_name": "V"},
    }
    reading = (("transfer.gap", f"{found.gap_ms:.1f} ms", found.off_ms),)
    return Taken("transfer", "Transfer", says, verdict, values, reading)


def _step(arrays: dict[str, Array]) -> Taken:
    time = arrays.pop("time")
    found = step.closed({k: (time, y) for k, y in arrays.items()})
    loads = next(r for r in found.rows if r.name == "loads")
    late = ", ".join(
        f"{k} {v:.1f} s" for k, v in sorted(found.late.items(), key=lambda x: x[1]) if v > 0.05
    )
    says = (
        f"loads changed by {loads.change:+.0f} W; {found.left:+.0f} W is left over, and it may be"
        f" ± {found.off:.0f} W"
    )
    says += f"; late: {late}" if late else ""
    share = 100 * found.left / loads.change if loads.change else 0.0
    looks = {"loads": "measured", "array": "expected"}
    values = {
        **{"left_w": round(found.left, 1), "off_w": round(found.off, 1)},
        **{f"late_{k}_s": round(v, 2) for k, v in found.late.items()},
        **{f"{r.name}_w": round(r.change, 1) for r in found.rows},
        "lines": [line(k, looks.get(k, "other"), time, y) for k, y in arrays.items()],
        "marks": [[r.at, r.name] for r in found.rows if r.seen],
        **{"x_name": "s", "y_name": "W"},
    }
    verdict = "done" if found.closes or abs(share) <= 5.0 else "outside"
    return Taken(
        "step", "Load step", says, verdict, values, (("sum.closes", f"{share:.1f} %", 0.0),)
    )


def _discharge(job: OpenJob, arrays: dict[str, Array]) -> Taken:
    t, v, i, soc = (arrays[k] for k in ("time", "volts", "amps", "soc"))
    if len(t) < 10 or t[-1] - t[0] < 600:
        raise Unreadable("Take ten minutes at least, better an hour.")
    out = 1.0 if i.mean() >= 0 else -1.0
    hours = float(t[-1] - t[0]) / 3600
    ah = float(np.trapezoid(out * i, t)) / 3600
    wh = float(np.trapezoid(out * i * v, t)) / 3600
    ac = float(np.trapezoid(arrays["ac"], t)) / 3600 if "ac" in arrays and out > 0 else None
    found = discharge(hours, ah, wh, out * float(soc[0] - soc[-1]), ac)
    bank, pack = job.design.bank, job.design.pack
    plate = pack.capacity_ah * bank.count if pack and bank else 0.0
    fits = plate == 0 or found.capacity.high >= 0.9 * plate
    word = "out" if out > 0 else "in"
    says = (
        f"{ah:.1f} Ah {word} for {out * float(soc[0] - soc[-1]):.0f} % of charge: capacity"
        f" {found.capacity.expected.n:.0f} ± {found.capacity.off.n:.0f} Ah, {plate:g} Ah by plate"
    )
    if found.efficiency is not None:
        share, off = (100 * f.n for f in (found.efficiency.expected, found.efficiency.off))
        says += f"; {share:.0f} ± {off:.0f} % of it reached AC"
    values = {
        **{"hours": round(hours, 3), "ah": round(ah, 2), "wh": round(wh, 1)},
        "capacity_ah": round(found.capacity.expected.n, 1),
        "capacity_off_ah": round(found.capacity.off.n, 1),
        "lines": [line("volts", "measured", t / 3600, v)],
        **{"x_name": "h", "y_name": "V"},
    }
    verdict = "done" if fits else "outside"
    return Taken("discharge", "Discharge", says, verdict, values, page="battery.capacity")
