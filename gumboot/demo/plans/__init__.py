"""The demo's plans, one of each kind of system, all of it invented."""

from gumboot.demo.plans.heron_slip import HERON_SLIP
from gumboot.demo.plans.juniper_cut import JUNIPER_CUT
from gumboot.demo.plans.mossbank_terrace import MOSSBANK_TERRACE
from gumboot.demo.plans.saltings_barn import SALTINGS_BARN
from gumboot.demo.plans.tern_hollow import TERN_HOLLOW

__all__ = [
    "HERON_SLIP",
    "JUNIPER_CUT",
    "MOSSBANK_TERRACE",
    "SALTINGS_BARN",
    "TERN_HOLLOW",
]
