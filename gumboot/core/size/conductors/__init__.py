"""Sizing a circuit: protection, conductor, earth, drop, raceway, and what the fitted conductor
permits; under either code book.
"""

from gumboot.core.size.conductors.findings import (
    cable_schools,
    drop_findings,
    limit_cures,
    school_findings,
    size_findings,
    told_together,
)
from gumboot.core.size.conductors.iec import IEC
from gumboot.core.size.conductors.nec import NEC
from gumboot.core.size.conductors.sizing import (
    Choice,
    SizedCircuit,
    permitted_by_size,
    places,
    size_circuit,
)
from gumboot.core.size.conductors.trial import DROP_PCT, Conditions, Rules, SizeTrial

__all__ = [
    "DROP_PCT",
    "IEC",
    "NEC",
    "RULES",
    "Choice",
    "Conditions",
    "Rules",
    "SizeTrial",
    "SizedCircuit",
    "cable_schools",
    "drop_findings",
    "limit_cures",
    "permitted_by_size",
    "places",
    "school_findings",
    "size_circuit",
    "size_findings",
    "told_together",
]

RULES: dict[str, Rules] = {x.book.code: x for x in (NEC, IEC)}
