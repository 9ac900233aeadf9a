"""EPW and TMY3 by their published layouts, rebuilt by hand; photographs, and what is none."""

import io

import numpy as np
import pytest
from PIL import Image

from gumboot.imports import kept
from gumboot.imports.interval import Unreadable
from gumboot.imports.photo import EDGE, SMALL_EDGE, read_photo
from gumboot.imports.weather import read_weather


def epw(hours=8760, change=None):
    """EnergyPlus Auxiliary Programs: eight head lines, 35 columns; dry bulb the 7th, then global
    14th, direct 15th, diffuse 16th, wind 22nd.
    """
    head = ["LOCATION,Hay Bluff,XX,YY,TMY,1,44.5,-92.9,-6.0,250.0"] + [
        f"HEAD {n}" for n in range(7)
    ]
    rows = []
    for h in range(hours):
        cells = ["2001", "1", "1", str(h % 24 + 1), "0", "x", *["0"] * 29]
        cells[6], cells[13], cells[14], cells[15], cells[21] = (
            f"{10 + h % 24}",
            "400",
            "300",
            "150",
            "2.5",
        )
        rows.append(",".join(cells))
    if change:
        rows[change[0]] = change[1]
    return "\n".join(head + rows).encode()


def tmy3(hours=8760):
    """NREL/TP-581-43156: station line, a line of names, dates as MM/DD/YYYY."""
    names = (
        "Date (MM/DD/YYYY),Time (HH:MM),ETR (W/m^2),GHI (W/m^2),DNI (W/m^2),DHI (W/m^2),Dry-bulb"
        " (C),Wspd (m/s)"
    )
    rows = [f"01/01/1999,{h % 24 + 1:02d}:00,0,410,310,160,11.5,3.1" for h in range(hours)]
    return "\n".join(['722,"HAY BLUFF",XX,-6.0,44.5,-92.9,250', names, *rows]).encode()


def test_epw_and_tmy3():
    weather, station, _ = read_weather(io.BytesIO(epw()))
    assert (weather.ghi[0], weather.dni[5], weather.dhi[7], weather.air_c[3], weather.wind[9]) == (
        400,
        300,
        150,
        13,
        2.5,
    )
    assert (station.name, station.latitude_deg, station.longitude_deg, station.utc_offset_h) == (
        "Hay Bluff",
        44.5,
        -92.9,
        -6,
    )
    weather, station, _ = read_weather(io.BytesIO(tmy3()))
    assert (weather.ghi[0], weather.dhi[7], weather.air_c[3], weather.wind[9]) == (
        410,
        160,
        11.5,
        3.1,
    ) and station.latitude_deg == 44.5
    again = kept.read_weather(kept.write_weather(weather))
    assert all(
        (a == b).all() for a, b in zip(vars(again).values(), vars(weather).values(), strict=True)
    )


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "empty"),
        (b"hello\nworld\nagain\n", "neither"),
        (b"\x89PNG\x00\x00", "not a text file"),
        (epw(8000), "8000 hours"),
        (b"a,b\n" + b"x" * 200_000, "not CSV"),
        (epw(change=(41, "2001,1,1,1,0,x,warm" + ",0" * 28)), "Line 50, column 7"),
    ],
)
def test_weather_that_cannot_be_read(data, says):
    with pytest.raises(Unreadable, match=says):
        read_weather(io.BytesIO(data))


def test_missing_hours_are_filled_and_said():
    """EPW marks a missing dry bulb as 99.9."""
    cells = epw().splitlines()[50].decode().split(",")
    cells[6] = "99.9"
    weather, _, report = read_weather(io.BytesIO(epw(change=(42, ",".join(cells)))))
    assert (
        weather.air_c[42] == pytest.approx((weather.air_c[41] + weather.air_c[43]) / 2)
        and "1 hours of air" in report.repaired[0]
    )


def picture(w, h, orientation=1, form="JPEG"):
    image = Image.fromarray(np.linspace(0, 255, w * h * 3).reshape(h, w, 3).astype("uint8"))
    image.paste((255, 0, 0), (0, 0, w // 4, h // 4))
    exif = Image.Exif()
    exif[274], exif[271] = orientation, "a telephone"
    exif.get_ifd(0x8825).update({1: "N", 2: (44.0, 30.0, 0.0), 3: "W", 4: (92.0, 54.0, 0.0)})
    exif.get_ifd(0x8769)[36867] = "2026:11:20 10:00:00"
    out = io.BytesIO()
    image.save(out, form, **({"exif": exif} if form != "PNG" else {}))
    return out.getvalue()


def test_a_photo_is_turned_upright_made_smaller_and_stripped():
    """EXIF orientation 6: the camera was turned; shown upright the red corner is at the top right
    (JEITA CP-3451, 4.6.4).
    """
    photo = read_photo(picture(4000, 3000, 6))
    image = Image.open(io.BytesIO(photo.data))
    assert (
        image.size == (photo.width, photo.height) == (1200, EDGE)
        and not image.getexif()
        and photo.taken == "2026:11:20 10:00:00"
    )
    assert b"telephone" not in photo.data and b"Exif" not in photo.data
    red = image.convert("RGB").getpixel((1150, 50))
    assert red[0] > 200 and red[1] < 60
    assert max(Image.open(io.BytesIO(photo.small)).size) == SMALL_EDGE


def test_a_small_one_is_not_blown_up_and_png_will_do():
    assert read_photo(picture(300, 200, form="PNG")).width == 300


@pytest.mark.parametrize(
    ("data", "says"),
    [
        (b"", "not a photograph"),
        (b"not a photo", "not a photograph"),
        (b"<svg xmlns='http://www.w3.org/2000/svg'/>", "not a photograph"),
        (picture(800, 600)[:900], "damaged"),
        (b"GIF89a" + bytes(50), "not a photograph"),
    ],
)
def test_photos_that_are_not(data, says, monkeypatch):
    monkeypatch.setattr("PIL.ImageFile.LOAD_TRUNCATED_IMAGES", True)  # as a PDF library leaves it
    with pytest.raises(Unreadable, match=says):
        read_photo(data)


def test_a_picture_that_would_unfold_to_gigabytes_is_refused():
    out = io.BytesIO()
    Image.new("1", (20_000, 20_000)).save(out, "PNG")
    with pytest.raises(Unreadable, match=r"pixels|damaged"):
        read_photo(out.getvalue())
