"""A meter's files as suppliers write them: what is read, what is repaired, what is refused. The
clock rules are those of the IANA database.
"""

import contextlib
import io
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from gumboot.core.energy.calendar import STEPS, calendar
from gumboot.core.energy.year import Readings
from gumboot.imports import espi, interval_csv, kept
from gumboot.imports.interval import Raw, Report, Unreadable, lengths, spread, to_utc, usual_length

ZONE = "America/Chicago"
LOCAL = ZoneInfo(ZONE)


def kwh(n, seed=0):
    return np.round(0.2 + np.random.default_rng(seed).random(n), 3)


def instants(year=2023, step=15, n=STEPS, zone=LOCAL):
    """So many steps from the year's first midnight by standard time."""
    first = datetime(year, 1, 1, tzinfo=UTC) - timedelta(
        seconds=calendar(year, zone.key, None).offset_s
    )
    return [first + timedelta(minutes=step * k) for k in range(n)]


def read(text, zone=ZONE, month_first=True, encoding="utf-8"):
    return interval_csv.read_csv(io.BytesIO(text.encode(encoding)), zone, None, month_first)


VALUES = kwh(STEPS)


def on_the_wall(moment, pattern="%Y-%m-%d %H:%M"):
    return moment.astimezone(LOCAL).strftime(pattern)


def test_a_plain_year_comes_back_as_it_was():
    text = "time,kWh\n" + "\n".join(
        f"{on_the_wall(t)},{v}" for t, v in zip(instants(), VALUES, strict=True)
    )
    found, report = read(text)
    assert (
        found.year == 2023
        and found.kwh == pytest.approx(VALUES)
        and not report.repaired
        and not report.bad
    )


@pytest.mark.parametrize(
    ("head", "line", "encoding"),
    [
        (
            "Date;Time;Usage (kWh)",
            lambda t, v: f"{t:%d.%m.%Y};{t:%H:%M};{str(v).replace('.', ',')}",
            "utf-8",
        ),
        (
            "timestamp\tconsumption_wh",
            lambda t, v: f"{t:%Y/%m/%d %H:%M:%S}\t{v * 1000:.0f}",
            "utf-8-sig",
        ),
        (
            "meter,start,end,import kW,export kW",
            lambda t, v: (
                f"77,{t:%m/%d/%Y %I:%M %p},"
                f"{t + timedelta(minutes=15):%m/%d/%Y %I:%M %p},{v * 4:.3f},0"
            ),
            "utf-8",
        ),
        ("Start,kWh", lambda t, v: f"{t.astimezone(UTC):%Y-%m-%dT%H:%M:%SZ},{v}", "utf-16"),
    ],
)
def test_separators_dates_units_and_encodings(head, line, encoding):
    rows = [line(t.astimezone(LOCAL), v) for t, v in zip(instants(), VALUES, strict=True)]
    found, _ = read(
        "Account 12345\n\n" + head + "\n" + "\n".join(rows),
        month_first="kW" in head and "import" in head,
        encoding=encoding,
    )
    assert found.kwh.sum() == pytest.approx(VALUES.sum(), rel=1e-5) and found.kwh == pytest.approx(
        VALUES, abs=2e-3
    )


@pytest.mark.parametrize("step", [5, 10, 30, 60])
def test_other_intervals_keep_their_energy(step):
    n = 365 * 24 * 60 // step
    some = kwh(n, step)
    found, _ = read(
        "time,kWh\n"
        + "\n".join(
            f"{on_the_wall(t)},{v}" for t, v in zip(instants(step=step, n=n), some, strict=True)
        )
    )
    assert found.kwh.sum() == pytest.approx(some.sum(), rel=1e-9)


def test_another_separator_inside_the_cells_does_not_mislead():
    lines = [
        f"0099,{on_the_wall(t)},{v},quality=actual;channel=7;x"
        for t, v in zip(instants(), VALUES, strict=True)
    ]
    assert read("Meter,Start,Usage (kWh),Note\n" + "\n".join(lines))[0].kwh == pytest.approx(VALUES)


def test_a_register_that_only_rises_is_taken_as_differences():
    total = np.concatenate([[51234.5], 51234.5 + np.cumsum(VALUES)])
    times = [*instants(), instants()[-1] + timedelta(minutes=15)]
    found, report = read(
        "time,register kWh\n"
        + "\n".join(f"{on_the_wall(t)},{v:.3f}" for t, v in zip(times, total, strict=True))
    )
    assert found.kwh.sum() == pytest.approx(VALUES.sum(), rel=1e-4) and any(
        "register" in s for s in report.found
    )


def test_clock_changes_lose_nothing_and_count_nothing_twice():
    """The wall's clock skips 02:00-03:00 in March and comes to 01:00-02:00 twice in November:
    35,040 readings either way, told apart by order.
    """
    lines = [f"{on_the_wall(t)},{v}" for t, v in zip(instants(), VALUES, strict=True)]
    doubled = [x for x in lines if x.startswith("2023-11-05 01:")]
    assert len(doubled) == 8 and not [x for x in lines if x.startswith("2023-03-12 02:")]
    found, report = read("time,kWh\n" + "\n".join(lines))
    assert found.kwh == pytest.approx(VALUES) and any(
        "twice, and told apart" in s for s in report.found
    )


def test_a_meter_that_slips_30_seconds_at_the_change_loses_none_of_it():
    """Readings after the November change come 30 s late, and 30 s early again after March: gaps and
    overlaps of clocks, not of readings.
    """
    times = instants()
    slipped = [
        (
            t + timedelta(seconds=30)
            if datetime(2023, 3, 12, 8, tzinfo=UTC) < t < datetime(2023, 11, 5, 7, tzinfo=UTC)
            else t
        )
        for t in times
    ]
    found, report = read(
        "time,kWh\n"
        + "\n".join(f"{t:%Y-%m-%dT%H:%M:%SZ},{v}" for t, v in zip(slipped, VALUES, strict=True))
    )
    assert found.kwh.sum() == pytest.approx(VALUES.sum(), abs=VALUES.max() / 15)
    assert np.abs(np.cumsum(found.kwh) - np.cumsum(VALUES)).max() < 0.1 and not any(
        "no reading" in s for s in report.repaired
    )


def test_gaps_are_filled_and_said_and_the_rest_is_untouched():
    keep = np.ones(STEPS, bool)
    keep[5000:5400] = keep[20_000] = False
    lines = [f"{on_the_wall(t)},{v}" for t, v, k in zip(instants(), VALUES, keep, strict=True) if k]
    found, report = read("time,kWh\n" + "\n".join(lines))
    assert found.kwh[keep] == pytest.approx(VALUES[keep]) and (found.kwh[~keep] > 0).all()
    assert any("100.25 hours" in s and "like days" in s for s in report.repaired)


def test_bad_doubled_negative_and_wild_lines_are_said():
    lines = [f"{on_the_wall(t)},{v}" for t, v in zip(instants(), VALUES, strict=True)]
    lines[100] = "yesterday,0.3"
    lines[200] = lines[200].split(",")[0] + ",many"
    lines[300] = lines[300].split(",")[0] + ",-2.5"
    lines[400] = lines[400].split(",")[0] + ",99999"
    lines.insert(501, lines[500])
    found, report = read("time,kWh\n" + "\n".join(lines))
    assert [n for n, _ in report.bad_lines] == [102, 202] and report.bad == 2
    said = " ".join(report.repaired)
    assert (
        "1 readings below zero (2 kWh sold)" in said or "1 readings below zero (3 kWh sold)" in said
    )
    assert "1 readings came twice" in said and "1 readings above 300 kW" in said
    assert found.kwh[300] == 0 and found.kwh[500] == pytest.approx(VALUES[500])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("", "no"),
        ("hello\nworld\n", "no"),
        ("time,kWh\n2023-01-01 00:00,1\n", "readings"),
        ("time,kWh\n" + "\n".join(f"2023-{m:02d}-01 00:00,1" for m in range(1, 13)), "hours apart"),
        (
            "time,kWh\n" + "\n".join(f"2023-01-01 {h:02d}:00,0.5" for h in range(24)),
            "Give at least 7",
        ),
        ("time,kWh\n" + "\n".join("2023-13-45 99:99,x" for _ in range(50)), "line"),
        (
            "time,kWh\n"
            + "\n".join(f"1820-01-{d:02d} {h:02d}:00,1" for d in range(1, 12) for h in range(24)),
            "1980",
        ),
    ],
)
def test_what_cannot_be_read_is_refused_in_words(text, says):
    with pytest.raises(Unreadable) as caught:
        read(text)
    assert says.lower() in str(caught.value).lower() and "Traceback" not in str(caught.value)


def test_a_picture_is_not_a_table():
    with pytest.raises(Unreadable, match="not a text file"):
        interval_csv.read_csv(io.BytesIO(b"\x89PNG\r\n\x1a\n" + bytes(4000)), ZONE, None, True)


@settings(max_examples=40)
@given(st.binary(max_size=3000))
def test_no_bytes_raise_anything_else(data):
    for reader in (
        lambda f: interval_csv.read_csv(f, ZONE, None, True),
        lambda f: espi.read_espi(f, ZONE, None),
    ):
        with contextlib.suppress(Unreadable):
            reader(io.BytesIO(data))


@given(st.lists(st.tuples(st.integers(1, 4000), st.floats(0, 5000)), min_size=1, max_size=40))
def test_spreading_keeps_all_the_energy(pieces):
    cal = calendar(2023, None, 0.0)
    start = cal.start[1000] + np.cumsum([0, *(s for s, _ in pieces)])[:-1]
    raw = Raw(np.array(start), np.array([s for s, _ in pieces]), np.array([w for _, w in pieces]))
    wh, covered = spread(raw, cal)
    assert (
        wh.sum() == pytest.approx(raw.wh.sum())
        and covered.sum() == raw.length.sum()
        and covered.max() <= 900
    )


def test_lengths_and_usual_interval():
    start = np.array([0, 900, 1830, 2700, 6300], np.int64)
    assert usual_length(start) == 900 and lengths(start, 900).tolist() == [900, 930, 870, 900, 900]
    with pytest.raises(Unreadable, match="hours apart"):
        usual_length(np.arange(10) * 86400)


def test_a_clock_that_keeps_standard_time_is_seen_by_the_hour_spring_skips():
    report = Report()
    local = np.array(
        [int(datetime(2023, 3, 12, h, 30, tzinfo=UTC).timestamp()) for h in (1, 2, 3)], np.int64
    )
    assert (to_utc(local, ZONE, None, report) - local).tolist() == [
        6 * 3600
    ] * 3 and "standard time" in report.found[0]


# ESPI: the shape of the published sample (NAESB REQ.21; Atom feed with ReadingType and
# IntervalBlock), rebuilt by hand.

FEED = """<?xml version="1.0" encoding="UTF-8"?>
<feed xmlns="http://www.w3.org/2005/Atom" xmlns:espi="http://naesb.org/espi">
<entry><link rel="self" href="RetailCustomer/1/UsagePoint/1"/>
  <content><espi:UsagePoint><espi:ServiceCategory><espi:kind>0</espi:kind>
  </espi:ServiceCategory></espi:UsagePoint></content></entry>
<entry><link rel="self" href="RetailCustomer/1/UsagePoint/1/MeterReading/01"/>
  <link rel="related" href="RetailCustomer/1/UsagePoint/1/MeterReading/01/IntervalBlock"/>
  <link rel="related" href="ReadingType/07"/><content><espi:MeterReading/></content></entry>
<entry><link rel="self" href="ReadingType/07"/>
  <content><espi:ReadingType><espi:accumulationBehaviour>4</espi:accumulationBehaviour>
  <espi:commodity>1</espi:commodity><espi:flowDirection>1</espi:flowDirection>
  <espi:intervalLength>{length}</espi:intervalLength>
  <espi:powerOfTenMultiplier>{power}</espi:powerOfTenMultiplier><espi:uom>72</espi:uom>
  </espi:ReadingType></content></entry>
 {blocks}
</feed>"""

BLOCK = """<entry>
  <link rel="self" href="RetailCustomer/1/UsagePoint/1/MeterReading/01/IntervalBlock/{n}"/>
  <content><espi:IntervalBlock><espi:interval><espi:duration>86400</espi:duration>
  <espi:start>{start}</espi:start></espi:interval>{readings}</espi:IntervalBlock></content>
  </entry>"""
READING = """<espi:IntervalReading><espi:timePeriod><espi:duration>{length}</espi:duration>
  <espi:start>{start}</espi:start></espi:timePeriod><espi:value>{value}</espi:value>
  </espi:IntervalReading>"""


def feed(days=30, length=3600, power=0, wh=lambda n: 500 + n):
    first = int(datetime(2023, 3, 1, 6, tzinfo=UTC).timestamp())
    per = 86400 // length
    blocks = [
        BLOCK.format(
            n=d,
            start=first + 86400 * d,
            readings="".join(
                READING.format(
                    length=length, start=first + 86400 * d + length * k, value=wh(d * per + k)
                )
                for k in range(per)
            ),
        )
        for d in range(days)
    ]
    return FEED.format(length=length, power=power, blocks="\n".join(blocks)).encode()


def test_espi_reads_energy_in_its_own_instants():
    found, report = espi.read_espi(io.BytesIO(feed()), ZONE, None)
    cal = calendar(2023, ZONE, None)
    first = int(np.searchsorted(cal.start, int(datetime(2023, 3, 1, 6, tzinfo=UTC).timestamp())))
    hours = found.kwh[first : first + 30 * 96].reshape(-1, 4).sum(axis=1)
    assert hours == pytest.approx((500 + np.arange(720)) / 1000) and "2023" in report.found[-1]


def test_espi_multipliers_are_powers_of_ten():
    plain, kilo = (
        espi.read_espi(io.BytesIO(feed(power=p, wh=w)), ZONE, None)[0].kwh.sum()
        for p, w in ((0, lambda n: 2000), (3, lambda n: 2))
    )
    assert plain == pytest.approx(kilo)


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"<feed>", "breaks at line 1"),
        (b"<feed xmlns='http://www.w3.org/2005/Atom'></feed>", "no IntervalBlock"),
        (b"<!DOCTYPE x [<!ENTITY a 'b'>]><feed>&a;</feed>", "entities"),
    ],
)
def test_espi_that_cannot_be_read(data, says):
    with pytest.raises(Unreadable, match=says):
        espi.read_espi(io.BytesIO(data), ZONE, None)


def test_espi_cut_short_keeps_what_came_before():
    found, report = espi.read_espi(io.BytesIO(feed(days=40)[:-60_000]), ZONE, None)
    assert found.kwh.sum() > 0 and any("breaks at line" in s for s in report.repaired)


def test_kept_readings_come_back():
    readings = Readings(2023, VALUES)
    again = kept.read_readings(kept.write_readings(readings, calendar(2023, ZONE, None)))
    assert again.year == 2023 and again.kwh == pytest.approx(VALUES, rel=1e-5)
    for data in (b"", b"start,kwh_of_2023\n", b"start,kwh_of_x\n" + b"a,1\n" * 3):
        with pytest.raises((Unreadable, ValueError)):
            kept.read_readings(data)
