// The switch row: which levers are closed, and what is live at their ends.
const SwitchRow = window.SwitchRow = (() => {
  const row = document.getElementById("switch-row"), units = document.getElementById("switch-units");
  const esc = (s) => String(s ?? "").replace(/[&<>"]/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[c]);
  function show(state, next) {
    if (!row || !state) return;
    const closed = new Set(state.closed), a = new Set(state.a), b = new Set(state.b);
    for (const lever of row.querySelectorAll("[data-lever]")) {
      const key = lever.dataset.lever, on = closed.has(key);
      lever.classList.toggle("closed", on);
      lever.classList.toggle("hot-a", a.has(key));
      lever.classList.toggle("hot-b", b.has(key));
      lever.classList.toggle("next", key === next);
      const word = lever.classList.contains("knob") ? (on ? "on" : "off") : on ? "closed" : "open";
      lever.querySelector("[data-now]").textContent = word;
      if (lever.tagName === "BUTTON") { lever.setAttribute("aria-pressed", on); lever.setAttribute("aria-label", `${lever.dataset.whole}, ${word}`); }
    }
    for (const box of row.querySelectorAll(".switch-box")) box.classList.toggle("first", !!next && !!box.querySelector(`[data-lever="${CSS.escape(next)}"]`));
    if (units) units.innerHTML = [...state.units.map((u) => `<div class="switch-unit ${esc(u.how)}"><b>${esc(u.name)}</b> ${esc(u.says)}</div>`), ...state.loads.map((l) => `<div class="switch-unit ${l.live ? "live" : "off"}"><b>${esc(l.name[0].toUpperCase() + l.name.slice(1))}</b> ${l.live ? "live" : "dead"}</div>`)].join("");
    for (const wire of document.querySelectorAll(".drawing .wire[data-at]")) wire.classList.toggle("live", state.live.includes(wire.dataset.at));
  }
  const own = document.getElementById("row-state");
  if (own) show(JSON.parse(own.textContent));
  return { show };
})();
