"""The whole job as one JSON file, under a published JSON Schema; and back.

Plan, log and the files kept with them are the job; the design is written for readers and made again
on reading.
"""

from __future__ import annotations

import base64
import binascii
import hashlib
import json
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from itertools import islice
from typing import Any

from pydantic import TypeAdapter, ValidationError

from gumboot.core.design import Design
from gumboot.core.journal import log
from gumboot.core.journal.entry import DIGEST, KINDS, TEXT, Entry
from gumboot.core.kit import entry as kit_entry
from gumboot.core.network.bonds import by_state
from gumboot.core.plan import Plan

FORMAT = "gumboot-job/1"
CSV = "text/csv; charset=utf-8"
MEDIA_OF = {"readings": CSV, "weather": CSV, "photo": "image/jpeg", "pack": "text/html"}
MOST_FAULTS = 50  # told at once
MOST_MEMBERS, DEEPEST = 500, 24  # of a list or object; of nesting
MOST = {"/log": 300_000, "/design/figures": 20_000, "/design/terminations": 20_000}


class BrokenFile(ValueError):
    """The file cannot be taken in. faults: (path in the file, what is wrong there)."""

    def __init__(self, faults: list[tuple[str, str]]) -> None:
        super().__init__("; ".join(f"{p}: {m}" for p, m in faults))
        self.faults = faults


@dataclass(frozen=True)
class Attached:
    """A file that goes with a job, named by the SHA-256 of its bytes."""

    digest: str
    kind: str
    name: str
    media: str
    about: dict[str, Any]
    kept_by: str
    data: bytes


@dataclass(frozen=True)
class Taken:
    """A job as read from a file."""

    uid: str
    version: int
    plan: Plan
    entries: list[Entry]
    files: list[Attached]
    kit: list[dict[str, Any]]


def design_json(design: Design) -> dict[str, Any]:
    """The design for readers: findings, circuits, terminations, settings and every figure with its
    working.
    """
    return {
        "findings": [
            {
                "key": f.key,
                "level": f.level.value,
                "place": f.place,
                "says": f.says,
                "rule": f.rule,
                "cures": [c.text for c in f.cures],
            }
            for f in design.findings
        ],
        "duties": [
            {"key": f.key, "place": f.place, "says": f.says, "rule": f.rule} for f in design.duties
        ],
        "circuits": [
            {
                "id": s.id,
                "number": s.circuit.number,
                "name": s.circuit.name,
                "conductor": s.size,
                "earth": str(s.protective.value),
                "protection_a": s.protection.value if s.protection else None,
                "sets": s.sets,
                "material": s.cable.material,
                "label": s.label_text,
                "length_m": s.conditions.run.length_m,
                "permitted_a": s.permitted.value,
            }
            for s in design.circuits
        ],
        "bodies": [{"id": b.id, "role": b.role, "label": b.label} for b in design.bodies],
        "links": [
            {"name": x.name, "conductors": x.conductors, "from": x.source, "to": x.load}
            for x in design.links
        ],
        "raceways": [
            {
                "name": r.name,
                "circuits": list(r.circuits),
                "conduit": r.conduit.text,
                "trough": r.trough.text if r.trough else None,
            }
            for r in design.raceways
        ],
        "disconnects": [asdict(x) for x in design.disconnects],
        "devices": [
            {
                "place": x.key,
                "label": x.label,
                "role": x.role,
                "required_a": x.amps,
                "dc_v": x.volts_dc,
                "device": x.device.id if x.device else None,
                "chosen": x.chosen,
            }
            for x in (design.network.places if design.network else ())
        ],
        "safeguards": [
            {
                "label": x.says,
                "body": x.body,
                "required_a": x.amps,
                "device": x.device.id if x.device else None,
            }
            for x in (design.network.guards if design.network else ())
        ],
        "bonds": (
            {state: [b.id for b in bonds] for state, bonds in by_state(design.bonds).items()}
        ),
        "sharing_a": (
            {k: [round(a, 3) for a in v] for k, v in design.sharing.amps.items()}
            if design.sharing
            else None
        ),
        "loops": [
            {
                "circuit": x.circuit,
                "grid_ohm": x.grid.value if x.grid else None,
                "limit_ohm": x.limit.value,
                "islanded_a": x.islanded.value if x.islanded else None,
            }
            for x in design.loops
        ],
        "terminations": [
            {
                "key": t.key,
                "number": t.number,
                "kind": t.kind,
                "stage": t.stage,
                "method": t.method,
                "far": t.far,
                "isolate": list(t.isolate),
                "recheck": t.recheck,
                "place": t.place,
                "terminal": t.terminal,
                "conductor": t.conductor,
                "size": t.size,
                "strip_mm": t.strip_mm,
                "torque_nm": t.torque.value if t.torque else None,
                "label": t.label,
            }
            for t in design.terminations
        ],
        "settings": [
            {"id": s.id, "label": s.label, "value": s.value, "unit": s.unit, "reason": s.reason}
            for s in design.settings
        ],
        "figures": {
            k: {
                "name": f.name,
                "value": f.value,
                "unit": f.unit,
                "formula": f.formula,
                "put_in": f.put_in,
                "source": f.source,
                "lookup": f.lookup,
                "assumption": f.assumption,
                "doubt": f.doubt,
            }
            for k, f in design.figures.items()
        },
    }


def write(
    uid: str,
    version: int,
    plan: Plan,
    design: Design,
    entries: Sequence[Entry],
    attached: Iterable[Attached] = (),
    kit: Sequence[dict[str, Any]] = (),
) -> str:
    """The file's text. kit: the entries of the shelf that do not ship, as the job was made with
    them.
    """
    document = {
        "format": FORMAT,
        "uid": uid,
        "version": version,
        "plan": plan.model_dump(mode="json"),
        "log": [asdict(e) for e in entries],
        "files": [{**asdict(a), "data": base64.b64encode(a.data).decode()} for a in attached],
        **({"kit": list(kit)} if kit else {}),
        "design": design_json(design),
    }
    return json.dumps(document, indent=1, ensure_ascii=False, allow_nan=False) + "\n"


def _when(key: str, value: str, then: str, rule: dict[str, Any]) -> dict[str, Any]:
    return {
        "if": {"properties": {key: {"const": value}}},
        "then": {"properties": {then: rule}},
    }


@lru_cache(maxsize=1)
def schema() -> dict[str, Any]:
    """JSON Schema (2020-12) of a job file."""
    plan = Plan.model_json_schema(ref_template="#/$defs/{model}")
    entry = TypeAdapter(Entry).json_schema()
    entry["additionalProperties"] = False
    entry["properties"]["kind"] = {"enum": list(KINDS)}
    entry["properties"]["uuid"] = {"type": "string", "minLength": 8, "maxLength": 64}
    attached = {
        "digest": DIGEST,
        "kind": {"enum": list(MEDIA_OF)},
        "name": {**TEXT, "maxLength": 200},
        "media": {"enum": sorted(set(MEDIA_OF.values()))},
        "about": {"type": "object"},
        "kept_by": TEXT,
        "data": {**TEXT, "contentEncoding": "base64"},
    }
    rules = [_when("kind", k.name, "body", k.schema()) for k in KINDS.values()]
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Gumboot job",
        "type": "object",
        "required": ["format", "uid", "version", "plan", "log"],
        "additionalProperties": False,
        "properties": {
            "format": {"const": FORMAT},
            "uid": {"type": "string", "pattern": "^[0-9a-f-]{36}$"},
            "version": {"type": "integer", "minimum": 1, "maximum": 2_000_000_000},
            "plan": {k: v for k, v in plan.items() if k != "$defs"},
            "log": {"type": "array", "items": {**entry, "allOf": rules}},
            "files": {
                "type": "array",
                "items": {
                    "type": "object",
                    "required": list(attached),
                    "properties": attached,
                    "additionalProperties": False,
                    "allOf": [_when("kind", k, "media", {"const": m}) for k, m in MEDIA_OF.items()],
                },
            },
            "kit": {"type": "array", "maxItems": 600, "items": {"type": "object"}},
            "design": {"type": "object"},
        },
        "$defs": plan["$defs"],
    }


def schema_text() -> str:
    """The schema as it is published."""
    return json.dumps(schema(), indent=1, ensure_ascii=False) + "\n"


def read(data: bytes) -> Taken:
    """Read a job file. Raises BrokenFile with the path of every fault found; stores nothing."""
    from jsonschema import Draft202012Validator

    try:
        document = json.loads(data.decode("utf-8"), parse_constant=_no_constant)
    except UnicodeDecodeError as exc:
        raise BrokenFile([("file", f"not UTF-8 text (byte {exc.start})")]) from exc
    except (json.JSONDecodeError, RecursionError) as exc:
        where = (
            f"line {exc.lineno}, column {exc.colno}: {exc.msg}"
            if isinstance(exc, json.JSONDecodeError)
            else "nested too deep"
        )
        raise BrokenFile([("file", f"not JSON, {where}")]) from exc
    except ValueError as exc:
        raise BrokenFile([("file", str(exc))]) from exc
    if odd := list(islice(_unprintable(document), MOST_FAULTS)):
        raise BrokenFile(odd)
    if large := list(islice(_too_much(document), MOST_FAULTS)):
        raise BrokenFile(large)
    found = islice(Draft202012Validator(schema()).iter_errors(document), MOST_FAULTS)
    faults = sorted(
        ("/".join(str(p) for p in e.absolute_path) or "file", _say(e.message)) for e in found
    )
    if faults:
        raise BrokenFile(faults)
    try:
        plan = Plan.model_validate(document["plan"])
    except ValidationError as exc:
        raise BrokenFile(
            [("/".join(["plan", *(str(p) for p in e["loc"])]), e["msg"]) for e in exc.errors()]
        ) from exc
    entries = [Entry(**e) for e in document["log"]]
    seen: dict[str, int] = {}
    for i, e in enumerate(entries):
        if e.uuid in seen:
            faults.append((f"log/{i}/uuid", f"the same as log/{seen[e.uuid]}/uuid"))
        seen[e.uuid] = i
    broken = log.first_broken(document["uid"], entries)
    if broken is not None:
        faults.append(
            (
                f"log/{broken - 1}",
                (
                    "its hash does not follow from what it holds and the entry before: the log was"
                    " changed after it was written"
                ),
            )
        )
    files = [_attached(i, a, faults) for i, a in enumerate(document.get("files", []))]
    kit = document.get("kit", [])
    faults += [
        (f"kit/{i}/{'/'.join(str(p) for p in e['loc'])}", e["msg"])
        for i, row in enumerate(kit)
        for e in _kit_faults(row)
    ]
    if faults:
        raise BrokenFile(faults[:50])
    return Taken(document["uid"], document["version"], plan, entries, files, kit)


def _kit_faults(row: Any) -> list[Any]:
    try:
        kit_entry.validate_python(row)
    except ValidationError as exc:
        return list(exc.errors())
    return []


def _too_much(document: Any) -> Iterator[tuple[str, str]]:
    """Lists, objects and nesting beyond what any job holds, by path: seen before anything is
    judged, since to say all that is wrong with them would take hours.
    """
    stack: list[tuple[str, Any, int]] = [("", document, 0)]
    while stack:
        path, value, depth = stack.pop()
        if not isinstance(value, dict | list):
            continue
        most = next((n for start, n in MOST.items() if path == start), MOST_MEMBERS)
        if len(value) > most:
            yield path.strip("/") or "file", f"holds {len(value)} members; a job has {most} at most"
        elif depth > DEEPEST:
            yield path.strip("/")[:200], f"nested deeper than {DEEPEST}"
        else:
            pairs = value.items() if isinstance(value, dict) else enumerate(value)
            stack += [(f"{path}/{str(k)[:60]}", v, depth + 1) for k, v in pairs]


def _attached(i: int, a: dict[str, Any], faults: list[tuple[str, str]]) -> Attached:
    """One file, if its bytes are those that its digest names."""
    try:
        data = base64.b64decode(a["data"], validate=True)
    except binascii.Error:
        data = b""
    if hashlib.sha256(data).hexdigest() != a["digest"]:
        faults.append(
            (
                f"files/{i}/data",
                "does not hold the bytes that its digest names: the file was changed or cut short",
            )
        )
    return Attached(**{**a, "data": data})


def _unprintable(document: Any) -> Iterator[tuple[str, str]]:
    """Texts that no database keeps: null characters and halves of surrogate pairs, by path."""
    stack: list[tuple[str, Any]] = [("", document)]
    while stack:
        path, value = stack.pop()
        if isinstance(value, dict):
            stack += [(f"{path}/{k}", x) for k, v in value.items() for x in (k, v)]
        elif isinstance(value, list):
            stack += [(f"{path}/{i}", x) for i, x in enumerate(value)]
        elif isinstance(value, str) and (
            "\x00" in value or any("\ud800" <= c <= "\udfff" for c in value)
        ):
            where = path.strip("/").encode("utf-8", "replace").decode().replace("\x00", "?")
            yield (
                where or "file",
                "holds a character that no record may (a null, or half a surrogate pair)",
            )


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is not a number that JSON has")


def _say(message: str) -> str:
    return message if len(message) < 200 else message[:200] + " …"
