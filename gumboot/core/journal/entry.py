"""One entry of a job's log, and the registry of the kinds of entry there are.

A kind registers with its fields (JSON Schema), one sentence for the page of the log, and what it
does to the state of the log; the job file's schema, the page and the reading of the log follow from
there.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from gumboot.core.journal.log import Growing


@dataclass(frozen=True, slots=True)
class Entry:
    """One entry. Times are ISO 8601 with zone; body is the kind's own record; hash covers all of it
    and `prev`.
    """

    seq: int
    uuid: str
    kind: str
    who: str
    role: str
    at_device: str
    at_server: str
    body: dict[str, Any]
    prev: str
    hash: str


TEXT: dict[str, Any] = {"type": "string"}
MAYBE_TEXT: dict[str, Any] = {"type": ["string", "null"]}
DIGEST: dict[str, Any] = {"type": "string", "pattern": "^[0-9a-f]{64}$"}
MAYBE_DIGEST: dict[str, Any] = {"type": "string", "pattern": "^([0-9a-f]{64})?$"}
Fields = Mapping[str, dict[str, Any]]
Reads = Callable[["Growing", Entry], None]


@dataclass(frozen=True)
class Kind:
    """A kind of entry.

    name: as it stands in the log for good; fields: what every body of it has, by JSON Schema; more:
    what entries of before have not; says: one sentence for the page of the log; about: the field
    that names what it is about; reads: what it does to the state of the log; after: whether it is
    kept on a job that is signed, or of which bodies.
    """

    name: str
    fields: Fields
    says: Callable[[dict[str, Any]], str]
    reads: Reads
    about: str = "label"
    more: Fields = field(default_factory=dict)
    after: bool | Callable[[dict[str, Any]], bool] = False

    def kept_after(self, body: dict[str, Any]) -> bool:
        """Whether an entry with this body is kept on a job that is signed."""
        return self.after(body) if callable(self.after) else self.after

    def schema(self) -> dict[str, Any]:
        """JSON Schema of its body."""
        return {
            "required": list(self.fields),
            "properties": {**self.fields, **self.more},
            "additionalProperties": False,
        }


KINDS: dict[str, Kind] = {}


def kind(
    name: str,
    fields: Fields,
    says: Callable[[dict[str, Any]], str],
    about: str = "label",
    more: Fields | None = None,
    after: bool | Callable[[dict[str, Any]], bool] = False,
) -> Callable[[Reads], Reads]:
    """Register a kind of entry by the function that reads it into the state of the log. Raises
    ValueError
    when there is one of that name already.
    """

    def register(reads: Reads) -> Reads:
        if name in KINDS:
            raise ValueError(f"there is a kind of entry “{name}” already")
        KINDS[name] = Kind(name, fields, says, reads, about, more or {}, after)
        return reads

    return register
