"""Pictures of a torque log: readings over rated as a histogram, and who logged how much in which
hour.
"""

from __future__ import annotations

from collections.abc import Mapping

from gumboot.drawings.svg import box, line, picture, text

WIDTH, HIGH = 420.0, 190.0
FIRST, LAST = 0.8, 1.2  # of rated; what lies outside is counted in the outermost bars
STEP = 0.01


def histogram(ratios: Mapping[float, int]) -> str:
    """Readings by reading over rated, one bar a hundredth; the lines stand at ±4 and ±6 %, the
    deviations of ISO 6789-1.
    """
    counts: dict[int, int] = {}
    for r, n in ratios.items():
        at = round((min(max(r, FIRST), LAST) - FIRST) / STEP)
        counts[at] = counts.get(at, 0) + n
    bars, most = round((LAST - FIRST) / STEP) + 1, max([1, *counts.values()])
    left, foot, pitch = 36.0, HIGH - 34, (WIDTH - 56) / bars

    def x(r: float) -> float:
        return left + (r - FIRST) / STEP * pitch + pitch / 2

    parts = [
        box(
            left + at * pitch + 1,
            foot - n / most * (foot - 26),
            pitch - 2,
            n / most * (foot - 26),
            "col" if abs(FIRST + at * STEP - 1) <= 0.0601 else "col-off",
        )
        for at, n in sorted(counts.items())
        if n > 0
    ]
    for share, name, anchor in (
        (0.94, "−6 %", "end"),
        (0.96, "−4 %", "start"),
        (1.04, "+4 %", "end"),
        (1.06, "+6 %", "start"),
    ):
        parts += [
            line((x(share), 22), (x(share), foot), class_="limit"),
            text(x(share), 16, name, "tiny soft", anchor),
        ]
    parts += [
        line((left, foot), (WIDTH - 20, foot), class_="axis"),
        text(left - 6, 32, str(most), "tiny soft", "end"),
        text(left - 6, foot, "0", "tiny soft", "end"),
    ]
    parts += [
        text(x(r), foot + 15, f"{r:.2f}", "tiny soft", "middle") for r in (0.8, 0.9, 1.0, 1.1, 1.2)
    ]
    parts.append(
        text((left + WIDTH - 20) / 2, HIGH - 4, "reading over rated", "small soft", "middle")
    )
    total = sum(ratios.values())
    within = sum(n for r, n in ratios.items() if abs(r - 1) <= 0.0601)
    words = f"{total} readings, {within} of them within 6 % of rated."
    return picture(WIDTH, HIGH, "Readings over rated torque", words, *parts)


def who_when(hours: Mapping[tuple[str, str], int]) -> str:
    """Entries by person and hour, “2026-11-25 07”: a square an hour, as large as many entries were
    made in it.
    """
    people = sorted({who for who, _ in hours})
    times = sorted({at for _, at in hours})[-60:]
    most = max([1, *(n for (_, at), n in hours.items() if at in times)])
    left, row, top = 120.0, 34.0, 26.0
    pitch = min(34.0, (WIDTH - left - 12) / max(1, len(times)))
    parts = []
    for i, who in enumerate(people):
        y = top + row * i + row / 2
        parts += [text(8, y + 4, who[:20], "small"), line((left, y), (WIDTH - 8, y), class_="rule")]
        for k, at in enumerate(times):
            n = hours.get((who, at), 0)
            if n:
                side = max(4.0, min(pitch - 2, row - 6) * (n / most) ** 0.5)
                parts.append(
                    box(left + pitch * (k + 0.5) - side / 2, y - side / 2, side, side, "col")
                )
    days = [at for k, at in enumerate(times) if k == 0 or times[k - 1][:10] != at[:10]]
    foot = top + row * len(people) + 14
    parts += [text(left + pitch * times.index(at), 16, at[5:10], "tiny soft") for at in days]
    parts += [
        text(left + pitch * (k + 0.5), foot, at[11:13], "tiny soft", "middle")
        for k, at in enumerate(times)
        if len(times) < 18 or k % 4 == 0
    ]
    parts.append(text(8, 16, f"largest: {most} in an hour", "tiny soft"))
    words = (
        ". ".join(
            f"{who}: {sum(n for (w, _), n in hours.items() if w == who)} entries" for who in people
        )
        or "no entries"
    )
    return picture(WIDTH, foot + 10, "Who logged when", words, *parts)
