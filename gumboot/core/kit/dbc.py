"""What a pack's messages on CAN mean, as the text of a DBC file."""

from __future__ import annotations

import re
from functools import lru_cache

import cantools
from cantools.database import Database
from cantools.database.errors import Error as DatabaseError
from textparser import ParseError

MOST_DBC = 400_000  # characters; a real one has some ten thousand
MOST_MESSAGES = 2000


class BadDbc(ValueError):
    """A file that is no DBC, or one whose signals lie over each other; the message says what to
    mend.
    """


@lru_cache(maxsize=32)
def read_dbc(text: str) -> Database:
    """A DBC. Raises BadDbc."""
    if len(text) > MOST_DBC:
        raise BadDbc(
            f"the file has {len(text):,} characters; a DBC of a pack has fewer than {MOST_DBC:,}"
        )
    try:
        made = cantools.database.load_string(text, "dbc", strict=True)
    except (DatabaseError, ParseError, ValueError, KeyError, IndexError, RecursionError) as exc:
        words = re.sub(r"\s+", " ", str(exc))[:200]
        raise BadDbc(f"this is no DBC that can be read: {words}") from exc
    if not isinstance(made, Database) or not made.messages:
        raise BadDbc("the file names no message: it wants at least one line BO_")
    if len(made.messages) > MOST_MESSAGES:
        raise BadDbc(f"the file names more than {MOST_MESSAGES} messages")
    return made
