"""A module's or string's current by the single-diode model, fitted to a sheet or to a curve, and
translated to another light and warmth.

          ┌──────┬──────┬──[R_s]── +
        (I_L)   ▽ D    [R_sh]        I = I_L − I_o·(exp(V_d/a) − 1) − V_d/R_sh
          └──────┴──────┴───────── −    V = V_d − I·R_s

    I_L  = G/1000 · (I_L,ref + alpha·(T − 25))                a = a_ref · T_K / 298.15
    I_o  = I_o,ref · (T_K/298.15)³ · exp(E_ref/(k·298.15) − E/(k·T_K))      R_sh = R_sh,ref · 1000/G

De Soto, Klein and Beckman 2006, doi 10.1016/j.solener.2005.06.010.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

Array = NDArray[np.float64]
K_EV, T_REF_K = 8.617333262e-5, 298.15  # eV/K, K
GAP_EV, GAP_PER_K = 1.121, -0.0002677  # crystalline silicon
POINTS = 200


@dataclass(frozen=True, slots=True)
class Diode:
    """Light current and saturation current A, series and shunt resistance Ω, a in V; alpha of the
    light current in A/°C. At one light and warmth.
    """

    i_l: float
    i_o: float
    r_s: float
    r_sh: float
    a: float
    alpha: float = 0.0

    def at(self, light: float, cell_c: float) -> Diode:
        """The same under another light, W/m², and warmth, °C; from 1000 W/m² and 25 °C."""
        t = cell_c + 273.15
        gap = GAP_EV * (1 + GAP_PER_K * (t - T_REF_K))
        i_o = self.i_o * (t / T_REF_K) ** 3 * np.exp(GAP_EV / (K_EV * T_REF_K) - gap / (K_EV * t))
        i_l = light / 1000 * (self.i_l + self.alpha * (t - T_REF_K))
        return Diode(
            i_l, float(i_o), self.r_s, self.r_sh * 1000 / light, self.a * t / T_REF_K, self.alpha
        )

    def times(self, modules: int) -> Diode:
        """So many of them in series."""
        return replace(self, r_s=self.r_s * modules, r_sh=self.r_sh * modules, a=self.a * modules)

    def curve(self, points: int = POINTS) -> tuple[Array, Array]:
        """(V, A) from shorted to open, by the diode's own voltage: nothing implicit to solve."""
        top = self.a * np.log(self.i_l / self.i_o + 1)
        own = np.concatenate(
            [np.linspace(0, 0.7 * top, points // 3), np.linspace(0.7 * top, top * 1.001, points)]
        )
        amps = self.i_l - self.i_o * np.expm1(own / self.a) - own / self.r_sh
        volts = own - amps * self.r_s
        own_0 = self.i_l * self.r_s  # a little before zero, so that it reaches the axis
        first = self.i_l - self.i_o * np.expm1(own_0 / self.a) - own_0 / self.r_sh
        volts = np.concatenate([[own_0 - first * self.r_s], volts])
        amps = np.concatenate([[first], amps])
        order = np.argsort(volts)
        return volts[order], amps[order]

    @property
    def corners(self) -> tuple[float, float, float, float]:
        """(I_sc, V_oc, I_mp, V_mp)."""
        v, i = self.curve(2000)
        n = int((v * i).argmax())
        return (
            float(np.interp(0.0, v, i)),
            float(np.interp(0.0, -i, v)),
            float(i[n]),
            float(v[n]),
        )


def of_sheet(
    i_sc: float,
    v_oc: float,
    i_mp: float,
    v_mp: float,
    alpha: float = 0.0005,
    beta: float = -0.0028,
) -> Diode:
    """The model that gives a sheet's four corners at 25 °C and its open volts' slope; alpha, beta
    as fractions a degree. Raises ValueError where no such curve is.
    """
    if not (0 < i_mp < i_sc and 0 < v_mp < v_oc):
        raise ValueError("at full power a module gives less than shorted, and less than open")
    slope = alpha * i_sc

    def model(x: Array) -> Diode:
        r_s, log_sh, a = x[0], x[1], x[2]
        r_sh = float(np.exp(log_sh))
        wide = np.expm1(v_oc / a) - np.expm1(i_sc * r_s / a)
        i_o = (i_sc * (1 + r_s / r_sh) - v_oc / r_sh) / wide
        i_l = i_o * np.expm1(v_oc / a) + v_oc / r_sh
        return Diode(float(i_l), max(float(i_o), 1e-30), float(r_s), r_sh, float(a), slope)

    def off(x: Array) -> Array:
        d = model(x)
        own = v_mp + i_mp * d.r_s
        at_mp = d.i_l - d.i_o * np.expm1(own / d.a) - own / d.r_sh - i_mp
        steep = d.i_o / d.a * np.exp(own / d.a) + 1 / d.r_sh
        flat = (i_mp - v_mp * steep / (1 + steep * d.r_s)) / i_mp
        warm = d.at(1000.0, 35.0)
        v_warm = warm.a * np.log(max(warm.i_l - v_oc / warm.r_sh, 1e-9) / warm.i_o + 1)
        return np.array([at_mp / i_mp, flat, 0.5 * (v_warm / v_oc - 1 - 10 * beta) * 10])

    cells = max(v_oc / 0.68, 1.0)
    start = np.array([0.3 * (v_oc - v_mp) / i_mp, np.log(100 * v_oc / i_sc), 0.0257 * 1.1 * cells])
    low = np.array([0.0, np.log(5 * v_oc / i_sc), 0.0257 * 0.6 * cells])
    high = np.array([(v_oc - v_mp) / i_mp, np.log(1e4 * v_oc / i_sc), 0.0257 * 2.0 * cells])
    from scipy.optimize import least_squares

    found = least_squares(off, start, bounds=(low, high), x_scale=np.maximum(np.abs(start), 1e-3))
    return model(found.x)


def fitted(volts: Array, amps: Array, like: Diode) -> Diode:
    """The model nearest a measured curve, begun from one that is like it. Shapes (n,), n ≥ 8."""
    size = float(amps.max())

    def model(x: Array) -> Diode:
        return Diode(
            float(np.exp(x[0])),
            float(np.exp(x[1])),
            float(np.exp(x[2])),
            float(np.exp(x[3])),
            float(np.exp(x[4])),
            like.alpha,
        )

    def off(x: Array) -> Array:
        v, i = model(x).curve()
        out: Array = (np.interp(volts, v, i) - amps) / size
        return out

    start = np.log([max(size, 1e-3), like.i_o, max(like.r_s, 1e-3), like.r_sh, like.a])
    wide = np.array([1.0, 12.0, 3.0, 4.0, 0.4])
    from scipy.optimize import least_squares

    found = least_squares(
        off, start, bounds=(start - wide, start + wide), loss="soft_l1", f_scale=0.01
    )
    return model(found.x)


def moved(
    volts: Array,
    amps: Array,
    of: tuple[float, float],
    to: tuple[float, float],
    alpha_a: float,
    beta_v: float,
    r_s: float,
) -> tuple[Array, Array]:
    """A measured curve translated from one (light, warmth) to another: IEC 60891 procedure 1, from
    memory, without its curve correction. alpha_a A/°C, beta_v V/°C.
    """
    (g_1, t_1), (g_2, t_2) = of, to
    i_sc = float(np.interp(0.0, volts, amps))
    out_i = amps + i_sc * (g_2 / g_1 - 1) + alpha_a * (t_2 - t_1)
    out_v = volts - r_s * (out_i - amps) + beta_v * (t_2 - t_1)
    return out_v, out_i
