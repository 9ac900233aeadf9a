// How lengths and torques are read and shown. Made from core/basis/units.py by
// `python -m gumboot.web.pages.units_script`: change those.
window.Units = (() => {
  const KINDS = {"length": {"an": "a", "example": "38 ft or 11.6 m", "units": {"'": 0.30479999999999996, "ft": 0.30479999999999996, "feet": 0.30479999999999996, "foot": 0.30479999999999996, "\"": 0.0254, "in": 0.0254, "inch": 0.0254, "inches": 0.0254, "m": 1.0, "mm": 0.001, "cm": 0.01, "metre": 1.0, "metres": 1.0, "meter": 1.0, "meters": 1.0}}, "torque": {"an": "a", "example": "11 ft-lb, 35 in-lb or 15 Nm", "units": {"nm": 1.0, "n.m": 1.0, "n·m": 1.0, "n-m": 1.0, "n m": 1.0, "inlb": 0.1129848290276167, "in-lb": 0.1129848290276167, "in.lb": 0.1129848290276167, "in·lb": 0.1129848290276167, "in lb": 0.1129848290276167, "lb-in": 0.1129848290276167, "in-lbs": 0.1129848290276167, "inlbs": 0.1129848290276167, "in lbs": 0.1129848290276167, "lbf-in": 0.1129848290276167, "lbf·in": 0.1129848290276167, "in·lbf": 0.1129848290276167, "ftlb": 1.3558179483314001, "ft-lb": 1.3558179483314001, "ft.lb": 1.3558179483314001, "ft·lb": 1.3558179483314001, "ft lb": 1.3558179483314001, "lb-ft": 1.3558179483314001, "ft-lbs": 1.3558179483314001, "ftlbs": 1.3558179483314001, "ft lbs": 1.3558179483314001, "lbf-ft": 1.3558179483314001, "lbf·ft": 1.3558179483314001, "ft·lbf": 1.3558179483314001}}};
  const FIGURES = new RegExp("^[\\s+\\-0-9.,]*"), TYPED = new RegExp("^\\s*([+-]?(?:[0-9]+(?:\\.[0-9]*)?|\\.[0-9]+))\\s*(.*?)\\s*\\.?\\s*$");
  const GROUPS = new RegExp("([0-9])[    ](?=[0-9]{3}(?![0-9]))", "g");
  const FEET = new RegExp("^\\s*(?:([0-9]+(?:\\.[0-9]+)?)\\s*(?:ft|feet|foot|'))?\\s*(?:(?:([0-9]+)[\\s-]+)?([0-9]+)/([0-9]+)|([0-9]+(?:\\.[0-9]+)?))?\\s*(in|inch|inches|\\\"|'')?\\s*$");
  const SCALES = {"N·m": [1, 2], "in·lb": [8.850746, 1], "ft·lb": [0.7375621, 1]}; // a unit of torque: how many make 1 N·m, decimals shown
  const plain = (text) => text.replaceAll("−", "-");
  const round = (x, digits) => { // to even, as Python does
    const n = x * 10 ** digits, r = Math.round(n);
    return (Math.abs(n % 1) === 0.5 && r % 2 ? r - 1 : r) / 10 ** digits;
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
    const fault = `“${text.trim()}” is not a place: type it as 46 1/4 in, 3 ft 10 in or 1175 mm`, all = plain(text).trim();
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
    let part = n % 16, bottom = 16;
    while (part && part % 2 === 0) { part /= 2; bottom /= 2; }
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
