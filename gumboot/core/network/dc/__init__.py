"""The direct-current side: packs, stacks, cabinets or a lead bank to the inverters.

bus      packs ─[own]─ posts ══ (fuse) bus ─[breaker]─ BAT   all on one bus, a breaker an inverter;
                                                             stacks of one unit in a combiner
chain    pack 3 ══ pack 2 ══ pack 1 ══ BAT                   posts to posts, the last to the unit
inputs   pack 1 ══ BAT 1, pack 2 ══ BAT 2                    each pack or stack to its own input
alone    pack ══ BAT                                         a pack, a stack, right at its unit
"""

from gumboot.core.network.dc.bank import lay_battery
from gumboot.core.network.dc.packs import packs_each, stacks_of

__all__ = ["lay_battery", "packs_each", "stacks_of"]
