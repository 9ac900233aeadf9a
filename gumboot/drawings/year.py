"""A year in pictures: one day, the year as a carpet, how long an outage at each hour would be
borne, and what more packs buy.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from datetime import date, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from gumboot.core.basis.figure import fmt
from gumboot.drawings.raster import BLUE, CLAY, GREEN, PAPER, bands, carpet, shades, two_ways
from gumboot.drawings.svg import box, line, picture, tag, text

Series = NDArray[np.float64]
LASTING = (
    (4.0, 12.0, 24.0, 72.0),
    ((70, 16, 12), (168, 40, 28), (214, 148, 60), (198, 212, 170), (47, 93, 58)),
)  # h, and colours from short to long
LASTING_NAMES = ("under 4 h", "4 to 12 h", "12 to 24 h", "1 to 3 days", "longer")
CARPETS = {
    "grid": "Grid",
    "sun": "Sun",
    "load": "House",
    "stored": "Battery",
    "generator": "Generator",
}


def day_of(n: int, year: int) -> date:
    """The n-th of the 365 days, a leap day left out."""
    found = date(year, 1, 1) + timedelta(days=n)
    leap = year % 4 == 0 and (year % 100 != 0 or year % 400 == 0)
    return found + timedelta(days=1) if leap and n >= 59 else found


def spoken_day(n: int, year: int) -> str:
    """A day in words: "3 January"."""
    found = day_of(n, year)
    return f"{found.day} {found:%B}"


def year_carpet(which: str, series: Mapping[str, Series], capacity_kwh: float) -> str:
    """The year as a carpet of grid, sun, house or battery."""
    legend: tuple[tuple[tuple[int, int, int], str], ...]
    if which == "grid":
        net = (series["bought"] - series["sold"]) / 1000
        most = float(np.quantile(np.abs(net), 0.995)) or 1.0
        pixels = two_ways(net / most, CLAY, BLUE)
        legend = (
            (BLUE, f"bought, {fmt(round(most, 1))} kW and more"),
            (PAPER, "nothing"),
            (CLAY, f"sold, {fmt(round(most, 1))} kW and more"),
        )
        words = (
            f"Bought {series['bought'].sum() / 4000:.0f} kWh, sold"
            f" {series['sold'].sum() / 4000:.0f} kWh"
        )
    elif which == "stored":
        share = series["stored"] / 1000 / capacity_kwh if capacity_kwh else series["stored"] * 0
        pixels = shades(share, PAPER, GREEN)
        legend = ((PAPER, "empty"), (GREEN, "full"))
        words = f"State of charge from {100 * share.min():.0f} to {100 * share.max():.0f} %"
    else:
        kw = series[which] / 1000
        most = float(np.quantile(kw, 0.995)) or 1.0
        pixels = shades(kw / most, PAPER, CLAY if which == "sun" else BLUE)
        legend = (
            (PAPER, "nothing"),
            (CLAY if which == "sun" else BLUE, f"{fmt(round(most, 1))} kW and more"),
        )
        words = f"{kw.sum() / 4:.0f} kWh in the year"
    return carpet(pixels.reshape(365, 96, 3), f"The year: {CARPETS[which].lower()}", words, legend)


def outage_calendar(hours: Series, worst_at: int, worst_h: float, year: int) -> str:
    """For every hour of the year as the start of an outage, how long the house lasts."""
    pixels = bands(hours, *LASTING).reshape(365, 24, 3)
    day, hour = divmod(worst_at, 24)
    says = f"worst: {spoken_day(day, year)} {hour:02d}:00, {fmt(worst_h)} h"
    words = f"An outage is covered for at least {fmt(worst_h)} h; {says}"
    return carpet(
        pixels,
        "How long the house lasts, by when an outage starts",
        words,
        tuple(zip(LASTING[1], LASTING_NAMES, strict=True)),
        (day, hour, says),
    )


W, H, X0, Y0 = 720.0, 190.0, 48.0, 18.0


def day_picture(
    day: int,
    series: Mapping[str, Series],
    capacity_kwh: float,
    best: Mapping[str, Series] | None,
    currency: str,
    off_grid: bool,
) -> str:
    """One day: sun and house in kW, what comes from where; the battery's state below; the price
    below that where there is a currency.
    """
    at = slice(day * 96, day * 96 + 96)
    outside = "generator" if off_grid else "bought"
    kw = {
        k: series[k][at] / 1000
        for k in ("sun", "load", outside, "sold", "charged", "discharged", "unserved")
    }
    top = max(1.0, *(float(v.max()) for v in kw.values())) * 1.05

    def y(v: float) -> float:
        return Y0 + H * (1 - v / top)

    out = [box(X0, Y0, W, H, "frame")]
    for v in _ticks(top):
        out += [
            line((X0, y(v)), (X0 + W, y(v)), class_="grid-line"),
            text(X0 - 6, y(v) + 4, f"{v:g} kW", "small soft", "end"),
        ]
    out += [
        _steps(kw["sun"], y, "area-sun", True),
        _steps(kw["discharged"], y, "area-battery", True),
        _steps(kw[outside], y, "line-grid"),
        _steps(kw["load"], y, "line-load"),
    ]
    low = Y0 + H + 26
    share = series["stored"][at] / 1000 / capacity_kwh if capacity_kwh else np.zeros(96)

    def z(v: float) -> float:
        return low + 70 * (1 - v)

    out += [
        box(X0, low, W, 70, "frame"),
        text(X0 - 6, low + 8, "full", "small soft", "end"),
        text(X0 - 6, low + 70, "empty", "small soft", "end"),
    ]
    out.append(_steps(share, z, "area-battery", True))
    if best is not None and capacity_kwh:
        out.append(_steps(best["stored"][at] / 1000 / capacity_kwh, z, "line-best"))
    foot = low + 70
    if currency:
        foot += 12
        out += _prices(series["buy"][at], foot, currency)
        foot += 24
    for hour in range(0, 25, 3):
        x = X0 + W * hour / 24
        out += [
            line((x, foot), (x, foot + 5), class_="feed"),
            text(x, foot + 17, f"{hour:02d}", "small soft", "middle"),
        ]
    names = [
        ("area-sun", "sun"),
        ("line-load", "house"),
        ("area-battery", "from the battery; its state below"),
        ("line-grid", "from the generator" if off_grid else "from the grid"),
    ]
    names += [("line-best", "best possible")] if best is not None and capacity_kwh else []
    x = X0
    for class_, name in names:
        swatch = (
            box(x, foot + 27, 16, 10, class_)
            if class_.startswith("area")
            else line((x, foot + 32), (x + 16, foot + 32), class_=class_)
        )
        out += [swatch, text(x + 21, foot + 36, name, "small")]
        x += 40 + 6.2 * len(name)
    sums = ", ".join(f"{k} {v.sum() / 4:.1f} kWh" for k, v in kw.items())
    return picture(X0 + W + 10, foot + 46, "One day", sums, *out)


def _ticks(top: float) -> list[float]:
    step = next(s for s in (0.25, 0.5, 1, 2, 5, 10, 20, 50, 100, 1000) if top / s <= 5)
    return [step * k for k in range(int(top / step) + 1)]


def _steps(values: Series, y: Any, class_: str, area: bool = False) -> str:
    """A stair of 96 quarter hours; closed to the ground when it is an area."""
    parts = []
    for n, v in enumerate(values):
        a, b, h = X0 + W * n / 96, X0 + W * (n + 1) / 96, float(y(float(v)))
        parts.append(f"{'M' if not n and not area else 'L'}{a:.1f} {h:.1f}L{b:.1f} {h:.1f}")
    ground = float(y(0.0))
    d = (
        f"M{X0:.1f} {ground:.1f}" + "".join(parts) + f"L{X0 + W:.1f} {ground:.1f}Z"
        if area
        else "".join(parts)
    )
    return tag("path", d=d, class_=class_)


def _prices(buy: Series, y: float, currency: str) -> list[str]:
    """Stretches of one price as boxes with their figure."""
    out = [text(X0 - 6, y + 15, f"{currency}/kWh", "small soft", "end")]
    edges = [0, *(np.flatnonzero(np.diff(buy)) + 1).tolist(), 96]
    low, high = float(buy.min()), float(buy.max())
    for a, b in itertools.pairwise(edges):
        dear = high > low and buy[a] > low + 0.66 * (high - low)
        x, w = X0 + W * a / 96, W * (b - a) / 96
        out.append(box(x, y, w, 20, "price-dear" if dear else "price"))
        if w > 34:
            out.append(
                text(
                    x + w / 2,
                    y + 14,
                    fmt(float(round(buy[a], 4))),
                    "mono strong" if dear else "mono",
                    "middle",
                )
            )
    return out


def sweep_picture(swept: Mapping[str, Any], off_grid: bool, priced: bool, currency: str) -> str:
    """What a year comes to by packs, a line an array; the plan and the knee marked; below it what
    each step buys.
    """
    worth = [_worth(c, off_grid, priced) for c in swept["candidates"]]
    packs, arrays = swept["packs"], swept["arrays"]
    low, high = min(worth), max(worth)
    span = (high - low) or 1.0
    unit = "kWh" if off_grid or not priced else currency

    def x(n: float) -> float:
        return X0 + 14 + (W - 110) * n / max(1, len(packs) - 1)

    def y(v: float) -> float:
        return Y0 + 8 + (H - 16) * (1 - (v - low) / span)

    out = [box(X0, Y0, W, H, "frame")]
    step = _round_step(span)
    for k in range(int(np.ceil(low / step)), int(high // step) + 1):
        out += [
            line((X0, y(k * step)), (X0 + W, y(k * step)), class_="grid-line"),
            text(X0 - 6, y(k * step) + 4, f"{k * step:,.0f}", "small soft", "end"),
        ]
    out.append(
        text(
            X0,
            Y0 - 5,
            f"{'goes without or burns fuel for' if off_grid else 'bill' if priced else 'bought'},"
            f" {unit} a year",
            "small soft",
        )
    )
    used: list[float] = []
    for a, array in sorted(enumerate(arrays), key=lambda p: p[1] != 1.0):
        row = worth[a * len(packs) : (a + 1) * len(packs)]
        here = array == 1.0
        out.append(
            line(
                *((x(n), y(v)) for n, v in enumerate(row)),
                class_="line-load" if here else "grid-row",
            )
        )
        if here:
            out += [tag("circle", cx=x(n), cy=y(v), r=3.5, class_="pin") for n, v in enumerate(row)]
            same = swept["knee"] == swept["now"]
            marks = [
                (swept["now"], "chosen", "planned, and the knee" if same else "planned"),
                *(
                    [(swept["knee"], "ring", "knee")]
                    if swept["knee"] is not None and not same
                    else []
                ),
            ]
            for n, class_, word in marks:
                if n in packs:
                    at = packs.index(n)
                    out.append(
                        tag(
                            "circle",
                            cx=x(at),
                            cy=y(row[at]),
                            r=8 if class_ == "chosen" else 12,
                            class_=class_,
                        )
                    )
                    out.append(
                        text(
                            x(at),
                            y(row[at]) + (-16 if word == "planned" else 26),
                            word,
                            "strong small",
                            "middle",
                        )
                    )
        end = float(y(row[-1])) + 4
        if all(abs(end - u) > 12 for u in used):
            used.append(end)
            out.append(
                text(
                    x(len(packs) - 1) + 10,
                    end,
                    f"{fmt(array)} × array",
                    "strong small" if here else "small soft",
                )
            )
    for n, count in enumerate(packs):
        out += [
            line((x(n), Y0 + H), (x(n), Y0 + H + 5), class_="feed"),
            text(x(n), Y0 + H + 17, str(count), "small soft", "middle"),
        ]
    out.append(text(X0 + W, Y0 + H + 17, "packs", "small soft", "end"))
    foot = Y0 + H + 30
    most = max((abs(s) for s in swept["steps"]), default=0.0) or 1.0
    out.append(text(X0 + 6, foot + 10, f"each further pack buys, {unit} a year", "small soft"))
    gap = (x(1) - x(0)) if len(packs) > 1 else W
    for n, gain in enumerate(swept["steps"]):
        tall = 50 * max(0.0, gain) / most
        centre = (x(n) + x(n + 1)) / 2
        out.append(box(centre - gap * 0.34, foot + 74 - tall, gap * 0.68, tall, "filled"))
        if gap > 30 or n % 2 == 0:
            out.append(text(centre, foot + 88, f"{round(gain) + 0:,}", "mono", "middle"))
    words = "; ".join(
        f"{n} packs {v:.0f} {unit}"
        for n, v in zip(packs, worth[arrays.index(1.0) * len(packs) :], strict=False)
    )
    return picture(X0 + W + 10, foot + 96, "What more packs buy", words, *out)


def _worth(c: Mapping[str, float], off_grid: bool, priced: bool) -> float:
    return c["unserved"] + c["generator"] if off_grid else c["bill"] if priced else c["bought"]


def _round_step(span: float) -> float:
    """A round step that gives three to eight lines."""
    raw = span / 5
    power = 10.0 ** np.floor(np.log10(raw)) if raw > 0 else 1.0
    return float(next(m * power for m in (1, 2, 5, 10) if m * power >= raw))


def months_picture(months: Sequence[Mapping[str, float]]) -> str:
    """Each month's house: how much of it the sun and battery gave, how much was bought, what went
    without; and what was sold.
    """
    top = max(1.0, *(max(m["load"], m["sun"]) for m in months)) * 1.06

    def y(v: float) -> float:
        return Y0 + 150 * (1 - v / top)

    out = [box(X0, Y0, W, 150, "frame")]
    step = _round_step(top)
    for k in range(1, int(top // step) + 1):
        out += [
            line((X0, y(k * step)), (X0 + W, y(k * step)), class_="grid-line"),
            text(X0 - 6, y(k * step) + 4, f"{k * step:,.0f}", "small soft", "end"),
        ]
    for n, m in enumerate(months):
        x = X0 + W * n / 12 + 10
        own = max(0.0, m["load"] - m["bought"] - m["unserved"])
        out += [
            box(x, y(own), 26, y(0) - y(own), "filled"),
            box(
                x,
                y(own + min(m["bought"], m["load"])),
                26,
                y(own) - y(own + min(m["bought"], m["load"])),
                "bought",
            ),
        ]
        if m["unserved"] > 0.05:
            out.append(
                box(x, y(m["load"]), 26, y(m["load"] - m["unserved"]) - y(m["load"]), "too-much")
            )
        out += [
            line((x + 38, y(0)), (x + 38, y(m["sun"])), class_="sun-bar"),
            text(x + 20, Y0 + 167, date(2025, n + 1, 1).strftime("%b"), "small soft", "middle"),
        ]
    x = X0
    for class_, name in (
        ("filled", "house, from sun and battery"),
        ("bought", "house, bought"),
        ("too-much", "went without"),
        ("price-dear", "sun"),
    ):
        if class_ == "too-much" and not any(m["unserved"] > 0.05 for m in months):
            continue
        out += [box(x, Y0 + 178, 14, 10, class_), text(x + 19, Y0 + 187, name, "small")]
        x += 40 + 6.2 * len(name)
    out.append(text(X0, Y0 - 5, "kWh a month", "small soft"))
    words = "; ".join(
        f"month {m['month']}: house {m['load']:.0f}, sun {m['sun']:.0f}, bought"
        f" {m['bought']:.0f} kWh"
        for m in months
    )
    return picture(X0 + W + 10, Y0 + 196, "Month by month, kWh", words, *out)
