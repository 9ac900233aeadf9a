"""A photograph as it is kept: upright, no larger than needed, and without where it was taken or by
which telephone.
"""

from __future__ import annotations

import io
import threading
import warnings
from dataclasses import dataclass

from gumboot.imports.interval import Unreadable

EDGE, SMALL_EDGE, QUALITY = 1600, 320, 82  # px of the longer side; JPEG quality
MOST_PIXELS = 120_000_000  # of a JPEG, which is decoded at a fraction of its size
MOST_WHOLE = 40_000_000  # of what has to be decoded whole
AT_ONCE = threading.BoundedSemaphore(2)
FORMATS = ("JPEG", "PNG", "WEBP", "TIFF")
MEDIA = "image/jpeg"
TAKEN = 36867  # EXIF DateTimeOriginal: JEITA CP-3451, table 8


@dataclass(frozen=True)
class Photo:
    """JPEG bytes, a small one beside, px, and when it was taken by the camera's clock ("" if it
    does not say).
    """

    data: bytes
    small: bytes
    width: int
    height: int
    taken: str


def read_photo(data: bytes) -> Photo:
    """A photograph made ready to keep. Raises Unreadable, with what to send."""
    from PIL import Image, ImageFile, ImageOps, UnidentifiedImageError

    want = "Send photographs as JPEG, PNG or WebP"
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore", Image.DecompressionBombWarning)
            opened = Image.open(io.BytesIO(data), formats=FORMATS)
        most = MOST_PIXELS if opened.format == "JPEG" else MOST_WHOLE
        if opened.width * opened.height > most:
            raise Unreadable(
                f"It has {opened.width} × {opened.height} pixels, more than any camera takes."
                f" {want}."
            )
        said = opened.getexif()
        taken = str(said.get_ifd(0x8769).get(TAKEN, ""))[:19]
        ImageFile.LOAD_TRUNCATED_IMAGES = False  # others of this process may have set it
        opened.draft("RGB", (2 * EDGE, 2 * EDGE))
        with AT_ONCE:
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except Unreadable:
        raise
    except Image.DecompressionBombError as exc:
        raise Unreadable(f"It has more pixels than any camera takes. {want}.") from exc
    except UnidentifiedImageError as exc:
        raise Unreadable(f"It is not a photograph that can be read here. {want}.") from exc
    except (
        OSError,
        ValueError,
        SyntaxError,
        KeyError,
        TypeError,
    ) as exc:
        raise Unreadable(
            f"The photograph is damaged or cut short. {want}, and send it again."
        ) from exc
    upright.thumbnail((EDGE, EDGE))
    small = upright.copy()
    small.thumbnail((SMALL_EDGE, SMALL_EDGE))
    return Photo(
        _jpeg(upright),
        _jpeg(small),
        upright.width,
        upright.height,
        taken if taken[:4].isdecimal() else "",
    )


def _jpeg(image: object) -> bytes:
    from PIL import Image

    assert isinstance(image, Image.Image)  # noqa: S101
    out = io.BytesIO()
    plain = Image.new("RGB", image.size)
    plain.paste(image)  # a fresh picture carries no data of the old
    plain.save(out, "JPEG", quality=QUALITY, optimize=True)
    return out.getvalue()
