"""Code books: the tables and clauses of each standard, one module a book, tables as CSV beside
them.
"""

from __future__ import annotations

import csv
from functools import lru_cache
from importlib.resources import files


class OutsideTable(LookupError):
    """The value asked for is not in the table; nothing is extrapolated. The message says what was
    asked and how far the table goes.
    """


@lru_cache(maxsize=32)
def table(name: str) -> tuple[dict[str, str], ...]:
    """The rows of `tables/<name>.csv` as texts by column; lines starting with # are its
    provenance.
    """
    text = files(__package__).joinpath("tables", f"{name}.csv").read_text(encoding="utf-8")
    return tuple(
        csv.DictReader(line for line in text.splitlines() if line and not line.startswith("#"))
    )
