"""`static/units.js`: how a page reads and shows lengths and torques, made from `core/basis/units`
so that browser and server never differ.

`python -m gumboot.web.pages.units_script` writes it anew; a test says when that is due.
"""

from __future__ import annotations

import json
from pathlib import Path

from gumboot.core.basis import units

SCRIPT = Path(__file__).parents[1] / "static" / "units.js"
SCALES = {"N·m": (1, 2), "in·lb": (units.NM_INLB, 1), "ft·lb": (units.NM_FTLB, 1)}

TEMPLATE = """\
// How lengths and torques are read and shown. Made from core/basis/units.py by
// `python -m gumboot.web.pages.units_script`: change those.
window.Units = (() => {
  const KINDS = %(kinds)s;
  const FIGURES = new RegExp(%(figures)s), TYPED = new RegExp(%(typed)s);
  const GROUPS = new RegExp(%(groups)s, "g");
  const FEET = new RegExp(%(feet)s);
  const SCALES = %(scales)s; // a unit of torque: how many make 1 N·m, decimals shown
  const plain = (text) => text.replaceAll("−", "-");
  const round = (x, digits) => { // to even, as Python does
    const n = x * 10 ** digits, r = Math.round(n);
    return (Math.abs(n %% 1) === 0.5 && r %% 2 ? r - 1 : r) / 10 ** digits;
  };

  // [a number in m or N·m, or null; what is wrong]
  function parse(text, kind, bare) {
    const { an, units, example } = KINDS[kind], want = `type a number and unit, such as ${example}`;
    const all = plain(text).replace(GROUPS, "$1"), figures = FIGURES.exec(all)[0];
    const one = (figures.match(/,/g) || []).length === 1 && !figures.includes(".");
    const found = TYPED.exec(figures.replaceAll(",", one ? "." : "") + all.slice(figures.length));
    if (!found) return [null, `“${text.trim()}” is not ${an} ${kind}: ${want}`];
    const unit = (found[2] || bare).toLowerCase();
    if (Object.hasOwn(units, unit)) return [+found[1] * units[unit], ""];
    return [null, `“${found[2]}” is not a unit of ${kind}: ${want}`];
  }
  // A place or an offset: [mm, or null; what is wrong]
  function place(text, system) {
    const fault = `“${text.trim()}” is not a place: %(place)s`, all = plain(text).trim();
    const found = FEET.exec(all.replace(/^-+/, ""));
    if (found && found.slice(1, 6).some(Boolean) && (system === "us" || found[1] || found[6])) {
      const [feet, whole, top, bottom, number] = found.slice(1, 6).map((x) => +(x || 0));
      if (found[4] && !bottom) return [null, fault];
      const inches = whole + (bottom ? top / bottom : 0) + number;
      return [round((all.startsWith("-") ? -1 : 1) * (feet * 304.8 + inches * 25.4), 2), ""];
    }
    const [m] = parse(all, "length", system === "us" ? "in" : "mm");
    return m === null ? [null, fault] : [round(1000 * m, 2), ""];
  }
  function showPlace(mm, system) {
    if (system === "si") {
      const near = round(mm, 1);
      const digits = near ? Math.max(0, 3 - Math.floor(Math.log10(Math.abs(near)))) : 0;
      return `${round(near, digits)} mm`;
    }
    const n = round(Math.abs(mm) / 25.4 * 16, 0), whole = Math.floor(n / 16);
    let part = n %% 16, bottom = 16;
    while (part && part %% 2 === 0) { part /= 2; bottom /= 2; }
    const said = [whole || !part ? `${whole}` : "", part ? `${part}/${bottom}` : ""];
    return `${mm < -0.7 ? "−" : ""}${said.filter(Boolean).join(" ")} in`;
  }
  function showTorque(nm, scale) {
    const [each, digits] = SCALES[scale];
    return `${+(nm * each).toFixed(digits)} ${scale}`;
  }
  const torqueUnit = (nm, system) => system === "si" ? "N·m" : nm < 30 ? "in·lb" : "ft·lb";
  return { parse, place, showPlace, showTorque, torqueUnit };
})();
"""


def units_script() -> str:
    """The script's text."""

    def told(value: object) -> str:
        return json.dumps(value, ensure_ascii=False)

    kinds = {
        kind: {
            "an": "an" if kind[0] in "aeiou" else "a",
            "example": units.KINDS[kind].example,
            "units": units.spellings(kind),
        }
        for kind in ("length", "torque")
    }
    return TEMPLATE % {
        "kinds": told(kinds),
        "figures": told(units.FIGURES.pattern),
        "groups": told(units.GROUPS.pattern),
        "typed": told(units.TYPED.pattern),
        "feet": told(units.FEET.pattern),
        "scales": told(SCALES),
        "place": units.PLACE,
    }


if __name__ == "__main__":
    SCRIPT.write_text(units_script(), encoding="utf-8")
