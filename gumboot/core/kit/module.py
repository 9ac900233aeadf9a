"""PV modules."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from gumboot.core.kit.entry import Entry, Positive


class Module(Entry):
    """A PV module at standard test conditions; coefficients as fractions per °C, None where the
    sheet is silent. A silent sheet's largest fuse and system voltage are the least that are
    sold (common practice).
    """

    kind: Literal["module"]
    id: str
    maker: str
    model: str
    p_max_w: Positive
    v_oc_v: Positive
    v_mp_v: Positive
    i_sc_a: Positive
    i_mp_a: Positive
    beta_voc_per_c: Annotated[float, Field(le=0, ge=-0.01)] | None = None
    gamma_vmp_per_c: Annotated[float, Field(le=0, ge=-0.01)] | None = None
    fuse_max_a: Positive = 15
    system_v_max: Positive = 600
