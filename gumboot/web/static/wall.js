// The wall: pick boxes up by mouse, finger or keys. Places live in the form; the server judges them while they move.
(() => {
  const form = document.getElementById("places");
  const svg = form?.querySelector("svg");
  if (!form || !svg || !form.dataset.may) return;
  const wall = JSON.parse(form.dataset.wall);
  const layer = (name) => svg.querySelector(`#layer-${name}`);
  const where = form.querySelector("[data-where]"), undoButton = form.querySelector("[data-undo]"), redoButton = form.querySelector("[data-redo]");
  const guides = form.querySelector("[data-guides]");
  form.querySelector("[data-tools]").hidden = false;
  form.querySelector("[data-no-script]").hidden = true;
  const boxes = wall.boxes;
  const field = (axis, id) => form.elements[`${axis}.${id}`];
  const exact = (axis, id) => form.elements[`${axis}mm.${id}`];
  const thing = (id) => svg.querySelector(`.thing[data-box="${CSS.escape(id)}"]`);

  const spoken = (mm) => Units.showPlace(mm, wall.units);
  function put(id, x, y) {
    const b = boxes[id];
    b.x = Math.round(x * 10) / 10; b.y = Math.round(y * 10) / 10;
    field("x", id).value = spoken(b.x); field("y", id).value = spoken(b.y);
    exact("x", id).value = b.x; exact("y", id).value = b.y;
    thing(id).setAttribute("transform", `translate(${(wall.left + b.x * wall.k).toFixed(2)} ${(wall.floor - (b.y + b.h) * wall.k).toFixed(2)})`);
    where.textContent = `${b.label}: ${spoken(b.x)} across, ${spoken(b.y)} up`;
  }

  // What a move snaps to: edges and middles of the other boxes, studs under a hole, the eye for a display.
  function lines(id) {
    const b = boxes[id], xs = [], ys = [];
    for (const [k, o] of Object.entries(boxes)) {
      if (k === id) continue;
      xs.push([o.x, o.x], [o.x + o.w - b.w, o.x + o.w], [o.x + o.w / 2 - b.w / 2, o.x + o.w / 2]);
      ys.push([o.y, o.y], [o.y + o.h - b.h, o.y + o.h]);
    }
    for (const s of wall.studs) for (const h of b.holes) xs.push([s - h, s]);
    if (b.display !== null) ys.push([wall.eye - b.display, wall.eye]);
    return { xs: xs.filter(([v]) => v >= 0 && v + b.w <= wall.width), ys: ys.filter(([v]) => v >= 0 && v + b.h <= wall.height) };
  }
  function snapped(id, x, y) {
    const shown = [];
    if (guides.checked) {
      const near = (list, v) => list.map(([to, at]) => [Math.abs(to - v), to, at]).sort((a, c) => a[0] - c[0])[0];
      const all = lines(id), reach = 6 / wall.k;
      const nx = near(all.xs, x), ny = near(all.ys, y);
      if (nx && nx[0] <= reach) { x = nx[1]; shown.push(`M${wall.left + nx[2] * wall.k} ${wall.floor - wall.height * wall.k}V${wall.floor}`); }
      if (ny && ny[0] <= reach) { y = ny[1]; shown.push(`M${wall.left} ${wall.floor - ny[2] * wall.k}H${wall.left + wall.width * wall.k}`); }
    }
    layer("guides").innerHTML = shown.map((d) => `<path class="guide" d="${d}"/>`).join("");
    return [x, y];
  }
  function within(id, x, y) {
    const b = boxes[id];
    return [Math.min(Math.max(x, 0), Math.max(0, wall.width - b.w)), b.floor ? 0 : Math.min(Math.max(y, 0), Math.max(0, wall.height - b.h))];
  }

  // The server's word: one question at a time, the newest last.
  let asking = false, waiting = false, settledWanted = false;
  async function judge(settled) {
    settledWanted = settledWanted || settled;
    if (asking) { waiting = true; return; }
    asking = true;
    const body = new FormData();
    body.set("csrf", form.elements.csrf.value); body.set("wall", form.elements.wall.value);
    body.set("placed", JSON.stringify(Object.fromEntries(Object.entries(boxes).map(([k, b]) => [k, [b.x, b.y]]))));
    if (settledWanted) body.set("settled", "1");
    settledWanted = false;
    try {
      const answer = await fetch(`${form.action}/try`, { method: "POST", body });
      if (answer.ok) show(await answer.json());
      else if (answer.status === 401) where.textContent = "Your sign-in ran out: save to sign in again; the places are kept.";
    } catch { where.textContent = "The server does not answer; the places are kept here until you save."; }
    asking = false;
    if (waiting) { waiting = false; judge(false); }
  }
  function show(told) {
    for (const name of ["zones", "ways", "holes"]) layer(name).innerHTML = told[name];
    const says = document.getElementById("says"), changed = document.getElementById("changed");
    const stops = told.says.filter((f) => f.level === "stop");
    says.replaceChildren(...stops.map((f) => { const p = document.createElement("p"), b = document.createElement("b"); p.className = "said stop"; b.textContent = "■ stop "; p.append(b, f.says); return p; }));
    if (told.changed.length) {
      const head = document.createElement("h3"), list = document.createElement("ul"), box = document.createElement("div");
      box.className = "notice mt-3"; head.textContent = "What this move would change"; list.className = "plain-list small";
      list.replaceChildren(...told.changed.map((t) => { const li = document.createElement("li"); li.textContent = t; return li; }));
      box.append(head, list); changed.replaceChildren(box);
    } else changed.replaceChildren();
  }

  // Taking back, and doing again.
  const past = [], future = [];
  const now = () => JSON.stringify(Object.entries(boxes).map(([k, b]) => [k, b.x, b.y]));
  function remember() { past.push(now()); future.length = 0; buttons(); }
  function buttons() { undoButton.disabled = !past.length; redoButton.disabled = !future.length; }
  function restore(from, to) {
    if (!from.length) return;
    to.push(now());
    for (const [k, x, y] of JSON.parse(from.pop())) if (boxes[k].x !== x || boxes[k].y !== y) put(k, x, y);
    buttons(); judge(true);
  }
  undoButton.addEventListener("click", () => restore(past, future));
  redoButton.addEventListener("click", () => restore(future, past));

  let held = null;
  const at = (e) => { const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse()); return [p.x / wall.k, -p.y / wall.k]; };
  svg.addEventListener("pointerdown", (e) => {
    const g = e.target.closest(".thing");
    if (!g || e.button > 0) return;
    const id = g.dataset.box, [px, py] = at(e);
    e.preventDefault(); g.focus({ preventScroll: true });
    held = { id, dx: boxes[id].x - px, dy: boxes[id].y - py, moved: false, pointer: e.pointerId };
    svg.setPointerCapture(e.pointerId);
    g.classList.add("held");
  });
  svg.addEventListener("pointermove", (e) => {
    if (!held || e.pointerId !== held.pointer) return;
    const [px, py] = at(e), want = within(held.id, px + held.dx, py + held.dy), b = boxes[held.id];
    if (!held.moved && Math.hypot(want[0] - b.x, want[1] - b.y) * wall.k < 3) return;
    if (!held.moved) { remember(); held.moved = true; }
    put(held.id, ...within(held.id, ...snapped(held.id, ...want)));
    judge(false);
  });
  const drop = (e) => {
    if (!held || e.pointerId !== held.pointer) return;
    thing(held.id).classList.remove("held"); layer("guides").innerHTML = "";
    if (held.moved) judge(true);
    held = null;
  };
  svg.addEventListener("pointerup", drop);
  svg.addEventListener("pointercancel", drop);

  const STEP = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] };
  let settle = 0;
  svg.addEventListener("keydown", (e) => {
    const id = e.target.closest(".thing")?.dataset.box, by = STEP[e.key];
    if (!id || !by) return;
    e.preventDefault(); e.stopPropagation();
    const b = boxes[id];
    let [x, y] = [b.x, b.y];
    if (e.altKey) {
      const list = by[0] ? lines(id).xs : lines(id).ys, from = by[0] ? x : y, sign = by[0] || by[1];
      const next = list.map(([v]) => v).filter((v) => (v - from) * sign > 0.5).sort((p, q) => (p - q) * sign)[0];
      if (next === undefined) return;
      if (by[0]) x = next; else y = next;
    } else { const n = e.shiftKey ? 10 : 1; x += by[0] * n; y += by[1] * n; }
    remember();
    put(id, ...within(id, x, y));
    judge(false);
    clearTimeout(settle); settle = setTimeout(() => judge(true), 400);
  });
  document.addEventListener("keydown", (e) => {
    if (!(e.ctrlKey || e.metaKey) || e.target.matches("input, select, textarea")) return;
    const key = e.key.toLowerCase();
    if (key === "z" && !e.shiftKey) { e.preventDefault(); restore(past, future); }
    else if (key === "y" || (key === "z" && e.shiftKey)) { e.preventDefault(); restore(future, past); }
  });
  // A typed place moves the box; what cannot be read waits for the server to say so.
  form.addEventListener("change", (e) => {
    const [axis, ...rest] = (e.target.name || "").split("."), id = rest.join(".");
    if (!/^[xy]$/.test(axis) || !boxes[id]) return;
    const [mm] = Units.place(e.target.value, wall.units);
    if (mm === null) return;
    remember();
    put(id, axis === "x" ? mm : boxes[id].x, axis === "y" ? mm : boxes[id].y);
    judge(true);
  });
  form.addEventListener("submit", () => { saved = true; });
  let saved = false;
  window.addEventListener("beforeunload", (e) => { if (past.length && !saved) e.preventDefault(); });
})();
