"""The catalogue that ships with Gumboot: invented equipment, as JSON files under a published
schema.
"""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

from pydantic import ValidationError

from gumboot.core.kit import AnyEntry, BrokenCatalogue, Catalogue, file


@lru_cache(maxsize=1)
def catalogue() -> Catalogue:
    """All shipped entries. Raises BrokenCatalogue naming the file and the path of each fault."""
    entries: list[AnyEntry] = []
    for path in sorted(files(__name__).iterdir(), key=lambda p: p.name):
        if path.name.endswith(".json") and not path.name.endswith(".schema.json"):
            entries += read(path.name, path.read_text(encoding="utf-8"))
    return Catalogue(entries)


def read(name: str, text: str) -> list[AnyEntry]:
    """The entries of one catalogue file. Raises BrokenCatalogue."""
    try:
        return file.validate_json(text)
    except ValidationError as exc:
        faults = "; ".join(
            f"{'/'.join(str(p) for p in e['loc'])}: {e['msg']}" for e in exc.errors()
        )
        raise BrokenCatalogue(f"{name}: {faults}") from exc
