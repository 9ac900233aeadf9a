"""Sun, rain, heat, cold and thin air; noise at night."""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE
from gumboot.core.basis.finding import Cure, Finding, check, stop
from gumboot.core.basis.units import show_temperature
from gumboot.core.plan import Neighbour, Wall
from gumboot.core.wall.bodies import Placed
from gumboot.core.wall.gaps import gaps, rect_of_neighbour
from gumboot.core.wall.rules.scene import Scene

QUIET_DB = 30.0  # dB(A) at night by a bedroom: WHO guidelines for community noise, from memory
WEATHER = {"indoors": 0, "rain": 1, "rain and sun": 2}


def reached(wall: Wall, by: str, p: Placed) -> bool:
    """Whether sun or rain that reaches all of a wall, or half of it, reaches a box."""
    half = wall.width_mm / 2
    return (
        by == "yes" or (by == "left half" and p.x < half) or (by == "right half" and p.right > half)
    )


def weather(s: Scene) -> Iterator[Finding]:
    """Sun and rain on the wall against what the enclosure is made for; the hottest and coldest air
    against the sheet.
    """
    w, site = s.wall, s.plan.site
    outdoors = w.place == "outdoors"
    unknown = [
        word
        for word, state in (("sun", w.sun), ("rain", w.rain))
        if outdoors and state == "unknown"
    ]
    if unknown and s.placed:
        yield check(
            s.key("weather"),
            s.place,
            f"It is not known whether {' and '.join(unknown)} reach wall {w.id}.",
            COMMON_PRACTICE,
            Cure("Look, and type it with the wall"),
        )
    cold: list[str] = []
    for p in s.placed:
        c = p.box.enclosure
        if p.box.there:
            continue
        asked = 2 if reached(w, w.sun, p) else 1 if reached(w, w.rain, p) else 0
        if WEATHER[c.weather] < asked:
            says = (
                f"{'Sun' if asked == 2 else 'Rain'} reaches {p.box.label}; its enclosure is made"
                f" for {c.weather}."
            )
            yield stop(
                s.key("weather", p.box.id),
                s.place,
                says,
                "sheet",
                Cure("Shade or roof it, or choose another wall"),
            )
        if site.t_wall_c > c.t_most_c:
            yield stop(
                s.key("hot", p.box.id),
                s.place,
                f"The air at the wall reaches {show_temperature(site.t_wall_c, s.plan.units)};"
                f" {p.box.label} takes {show_temperature(c.t_most_c, s.plan.units)}.",
                "sheet",
                Cure("Choose a cooler place"),
            )
        if w.place != "indoors" and site.t_min_c < c.t_least_c:
            says = (
                f"The air outside falls to {show_temperature(site.t_min_c, s.plan.units)};"
                f" {p.box.label} takes {show_temperature(c.t_least_c, s.plan.units)}."
            )
            if outdoors:
                yield stop(
                    s.key("cold", p.box.id), s.place, says, "sheet", Cure("Choose a warmer place")
                )
            else:
                cold.append(f"{p.box.label} {show_temperature(c.t_least_c, s.plan.units)}")
        if site.altitude_m is not None and site.altitude_m > c.altitude_most_m:
            yield check(
                s.key("thin-air", p.box.id),
                s.place,
                f"{p.box.label} is made for {c.altitude_most_m:g} m; the site lies at"
                f" {site.altitude_m:g} m.",
                "sheet",
                Cure("Ask its maker for the derating"),
            )
    if cold:
        says = (
            f"The air outside falls to {show_temperature(site.t_min_c, s.plan.units)}, and a garage"
            f" may follow; the sheets take {', '.join(cold)}."
        )
        yield check(
            s.key("cold"),
            s.place,
            says,
            "sheets",
            Cure("Show how cold the garage gets, or warm it"),
        )


def noise(s: Scene) -> Iterator[Finding]:
    """Fans and contactors by a bedroom: level at the window by distance, and hum through
    the wall.
    """
    for p in s.placed:
        db = p.box.enclosure.noise_db
        if db is None:
            continue
        if s.wall.behind == "bedroom":
            yield check(
                s.key("noise", p.box.id),
                s.place,
                f"{p.box.label} makes {db:g} dB(A) at 1 m, and a bedroom lies behind wall"
                f" {s.wall.id}.",
                COMMON_PRACTICE,
                Cure("Choose another wall, or hang it on dampers as its maker allows"),
            )
        for i, n in enumerate(s.wall.neighbours):
            if n.kind == "bedroom window":
                level = db - fall_off_db(distance_m(p, n))
                if level > QUIET_DB:
                    yield check(
                        s.key("noise", p.box.id, str(i)),
                        s.place,
                        f"About {level:.0f} dB(A) of {p.box.label} reach the bedroom window;"
                        f" {QUIET_DB:g} let people sleep.",
                        "WHO guidelines for community noise",
                        Cure("Move it further from the window"),
                    )


def distance_m(p: Placed, n: Neighbour) -> float:
    """Between the nearest points of a box and a neighbour, in m."""
    g = gaps(p.rect, rect_of_neighbour(n))
    dx, dy = max(0.0, g["left"], g["right"]), max(0.0, g["top"], g["bottom"])
    return float((dx * dx + dy * dy) ** 0.5) / 1000


def fall_off_db(distance: float) -> float:
    """How much quieter than at 1 m: 20·log10(d), from a point in free air; nothing nearer than 1 m.
    Physics.
    """
    import math

    return 20 * math.log10(max(1.0, distance))
