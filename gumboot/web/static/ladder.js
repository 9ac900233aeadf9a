// Ladders of settings: a rung follows its line, and the line its rung; what is out of order is red.
(() => {
  for (const board of document.querySelectorAll("[data-ladder]")) {
    const x = JSON.parse(board.querySelector("script").textContent), svg = board.querySelector("svg");
    const { top: TOP, high: HIGH, left: LEFT, right: RIGHT, names: NAMES, apart: APART } = x.places;
    const told = board.querySelector("[data-told]");
    const rungs = Object.fromEntries(x.rungs.map((r) => [r.id, { ...r, g: svg.querySelector(`[data-rung="${CSS.escape(r.id)}"]`), field: document.getElementById(r.id) }]));
    const at = (v) => TOP + ((x.high - v) / (x.high - x.low)) * (HIGH - 2 * TOP);
    const value = (y) => x.high - ((y - TOP) / (HIGH - 2 * TOP)) * (x.high - x.low);
    const shown = (v) => `${+v.toFixed(4)}`;
    function draw() {
      const rows = Object.values(rungs).sort((a, b) => b.value - a.value), wrong = {};
      for (const [low, up, even] of x.pairs) {
        const a = rungs[low], b = rungs[up];
        if (a.value > b.value || (a.value === b.value && !even)) { (wrong[low] ??= []).push(`below ${b.name}`); (wrong[up] ??= []).push(`above ${a.name}`); }
      }
      const names = rows.map((r) => at(r.value));
      for (let n = 0; n < 60; n++) {
        let moved = false;
        for (let i = 1; i < names.length; i++) { const lack = APART - (names[i] - names[i - 1]); if (lack > 0.01) { names[i - 1] -= lack / 2; names[i] += lack / 2; moved = true; } }
        if (!moved) break;
      }
      rows.forEach((r, i) => {
        const y = at(r.value), [hit, rung, feed] = r.g.querySelectorAll("path"), words = r.g.querySelector("text");
        for (const p of [hit, rung]) p.setAttribute("d", `M${LEFT} ${y} L${RIGHT} ${y}`);
        feed.setAttribute("d", `M${RIGHT + 2} ${y} L${NAMES - 4} ${names[i]}`);
        words.setAttribute("y", names[i] + 4);
        words.textContent = `${r.name} ${shown(r.value)} ${x.unit}${x.cells ? `, ${(r.value / x.cells).toFixed(2)}` : ""}`;
        r.g.classList.toggle("wrong", !!wrong[r.id]);
      });
      const first = rows.find((r) => wrong[r.id]);
      told.textContent = first ? `${first.name} must lie ${wrong[first.id].join(", ")}.` : "";
    }
    function put(r, v, typed) {
      const held = Math.round(v / r.step) * r.step;
      r.value = typed ? v : Math.min(r.most ?? Infinity, Math.max(r.least ?? -Infinity, held));
      if (!typed && r.field) { r.field.value = shown(r.value); r.field.dispatchEvent(new Event("input", { bubbles: true })); }
      draw();
    }
    let held = null;
    svg.addEventListener("pointerdown", (e) => {
      const g = e.target.closest("[data-rung]");
      if (!g || !rungs[g.dataset.rung].field || rungs[g.dataset.rung].field.disabled) return;
      held = rungs[g.dataset.rung]; svg.setPointerCapture(e.pointerId); e.preventDefault();
    });
    svg.addEventListener("pointermove", (e) => {
      if (!held) return;
      const place = svg.getBoundingClientRect();
      put(held, value(((e.clientY - place.top) / place.height) * HIGH), false);
    });
    const drop = () => { if (held) held.field.dispatchEvent(new Event("change", { bubbles: true })); held = null; };
    svg.addEventListener("pointerup", drop);
    svg.addEventListener("pointercancel", drop);
    for (const r of Object.values(rungs)) r.field?.addEventListener("input", () => { const v = parseFloat(r.field.value.replace(",", ".")); if (isFinite(v) && document.activeElement === r.field) put(r, v, true); });
    board.dataset.ready = "yes";
  }
})();
