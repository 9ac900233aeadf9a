"""What colour a conductor has, by code book."""

from __future__ import annotations

from gumboot.core.kit import Book
from gumboot.core.kit.terminal import Conductor

COLOURS: dict[Book, dict[Conductor, str]] = {
    "nec-2023": {
        "L1": "black",
        "L2": "red",
        "L3": "blue",
        "N": "white",
        "PE": "green",
        "+": "red",
        "−": "black",
    },  # N 200.6, PE 250.119; the others common practice
    "iec-60364": {
        "L1": "brown",
        "L2": "black",
        "L3": "grey",
        "N": "blue",
        "PE": "green-yellow",
        "+": "red",
        "−": "black",
    },  # IEC 60445 for AC, from memory; DC by common practice
}


def colour(book: Book, conductor: Conductor) -> str:
    """The colour of a conductor."""
    return COLOURS[book][conductor]
