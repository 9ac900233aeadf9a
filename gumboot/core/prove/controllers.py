"""What charge controllers drive into the bank."""

from __future__ import annotations

from collections.abc import Iterator

from gumboot.core.basis.figure import COMMON_PRACTICE, fmt
from gumboot.core.design import Design
from gumboot.core.plan.kit import CONTROLLERS
from gumboot.core.prove.due import Due
from gumboot.core.prove.live import serving
from gumboot.core.size.controllers import from_array


def controller_dues(d: Design) -> Iterator[Due]:
    """Every charge controller: that it charges, and holds its limit."""
    kit, bank = d.plan.kit, d.bank
    for n in range(1, kit.controllers_fitted + 1 if d.controller and bank else 0):
        own = [s for s in d.strings if s.body == f"controller-{n}"]
        if not own or d.controller is None or bank is None:
            continue
        keyed = [s.value for s in d.menu(CONTROLLERS + n) if s.rule == "charge"]
        held = next((float(x) for x in keyed if not isinstance(x, str)), None)
        sun = from_array(own, bank, d.controller, held)
        name = kit.unit_name(CONTROLLERS + n)
        yield Due(
            f"charge.controller.{n}",
            serving(d)[0],
            f"{name}: amperes into the bank",
            "amp",
            "DC clamp at its battery lead",
            ("Its own display shows the same within 3 %; the arrow toward the bank.",),
            "Sun on its array, battery below 80 %.",
            COMMON_PRACTICE,
            place=f"controller-{n}",
            hazard="Insulated gloves: a pack cannot be switched off at its posts.",
            expects=f"more than nothing in light, {fmt(sun.n)} A at most",
            least=0.0,
            most=1.03 * sun.n + 1.0,
            limit=sun,
            probes=("round the lead", ""),
        )
