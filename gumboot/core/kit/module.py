"""PV modules."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from gumboot.core.kit.entry import Entry, Positive, WrongTogether


class Optimizer(Entry):
    """A converter at each module, direct current in and out; its inverter holds the string's volts.

    in_v_max, in_isc_max_a, in_w_max: what its module may put in. out_v_max, out_a_max: what it puts
    out. off_v: what it shows until its inverter lets it work. least, most: modules of a string;
    string_v: what the inverter holds a string at; string_v_max: the most by the maker's manual,
    without one all of them at their highest; string_w_max: modules on one string.
    """

    name: str = "optimizer"
    in_v_max: Positive
    in_isc_max_a: Positive
    in_w_max: Positive
    out_v_max: Positive
    out_a_max: Positive
    off_v: Positive = 1.0
    least: Annotated[int, Field(ge=1)]
    most: Annotated[int, Field(ge=1)]
    string_v: Positive
    string_v_max: Positive | None = None
    string_w_max: Positive | None = None

    @model_validator(mode="after")
    def _fewest_first(self) -> Optimizer:
        if self.least > self.most:
            raise WrongTogether("most", f"type {self.least} or more: as many are the fewest")
        return self


class Module(Entry):
    """A PV module at standard test conditions; coefficients as fractions per °C, None where the
    sheet is silent. A silent sheet's largest fuse and system voltage are the least that are
    sold (common practice). optimizer: the converter at each, where there is one.
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
    optimizer: Optimizer | None = None

    @property
    def pushes_a(self) -> float:
        """The most A that a string of it drives."""
        return self.optimizer.out_a_max if self.optimizer else self.i_sc_a

    @property
    def works_a(self) -> float:
        """The A that a string of it works with, at most."""
        return self.optimizer.out_a_max if self.optimizer else self.i_mp_a
