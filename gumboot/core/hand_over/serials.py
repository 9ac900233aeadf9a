"""A serial number out of what a plate's code says, or a hand typed."""

from __future__ import annotations

import re

MARKED = re.compile(
    r"\b(?:S/?N|SER(?:IAL)?(?:\s*(?:NO|NUMBER))?)\b\.?\s*[:=#]?\s*([A-Z0-9][A-Z0-9./-]{3,39})",
    re.IGNORECASE,
)
GS1 = re.compile(r"(?:\(21\)|[\x1d]21)([!-~]{3,20})")
PLAIN = re.compile(r"[A-Z0-9][A-Z0-9 ./-]{2,39}", re.I)


class NoSerial(ValueError):
    """Why this is no serial number, and what to do."""


def gtin(text: str) -> bool:
    """Whether digits are an article's number, the same on every box: GS1, its check digit.

    >>> gtin("4006381333931"), gtin("4006381333932")
    (True, False)
    """
    if not re.fullmatch(r"\d{8}|\d{12,14}", text):
        return False
    total = sum(int(c) * (3 if n % 2 else 1) for n, c in enumerate(reversed(text)))
    return total % 10 == 0


def serial_of(text: str) -> str:
    """The serial number in what was scanned or typed. Raises NoSerial.

    >>> serial_of("P/N: X-5 S/N: 22A-00417"), serial_of("(01)04006381333931(21)AB77")
    ('22A-00417', 'AB77')
    """
    plain = " ".join(text.split())
    if not plain:
        raise NoSerial("type the number from the plate, or scan its code")
    if found := GS1.search(text) or MARKED.search(plain):
        return found[1].strip().upper()
    if gtin(plain):
        raise NoSerial("this is the article's number, the same on every box: scan the one by “S/N”")
    if re.match(r"(?:https?:|www\.|WIFI:|BEGIN:)", plain, re.I):
        raise NoSerial("this code is a link, not a serial number: scan the one by “S/N”")
    if not PLAIN.fullmatch(plain):
        raise NoSerial("letters, digits, dots, strokes and hyphens: type it as on the plate")
    return plain.upper()
