"""The catalogue that ships with Gumboot: invented equipment, as JSON files under a published
schema.
"""

from __future__ import annotations

import json
from functools import lru_cache
from importlib.resources import files
from typing import Any

from pydantic import ValidationError

from gumboot.core.kit import AnyEntry, BrokenCatalogue, Catalogue, file


@lru_cache(maxsize=1)
def catalogue() -> Catalogue:
    """All shipped entries. Raises BrokenCatalogue naming the file and the path of each fault."""
    return Catalogue(e for name, text in texts() for e in read(name, text))


def texts() -> list[tuple[str, str]]:
    """(name, text) of every file that ships."""
    return [
        (path.name, path.read_text(encoding="utf-8"))
        for path in sorted(files(__name__).iterdir(), key=lambda p: p.name)
        if path.name.endswith(".json") and not path.name.endswith(".schema.json")
    ]


@lru_cache(maxsize=1)
def documents() -> tuple[dict[str, Any], ...]:
    """Every shipped entry as its file has it."""
    return tuple(d for _, text in texts() for d in json.loads(text))


def read(name: str, text: str) -> list[AnyEntry]:
    """The entries of one catalogue file. Raises BrokenCatalogue."""
    try:
        return file.validate_json(text)
    except ValidationError as exc:
        faults = "; ".join(
            f"{'/'.join(str(p) for p in e['loc'])}: {e['msg']}" for e in exc.errors()
        )
        raise BrokenCatalogue(f"{name}: {faults}") from exc
