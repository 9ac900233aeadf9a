// The walk from hole to hole: where the next one is, one big button, and where it came out.
(() => {
  const walk = document.getElementById("drill-walk");
  if (!walk) return;
  const data = JSON.parse(document.getElementById("holes").textContent), holes = data.holes;
  const may = walk.dataset.may === "yes", hints = walk.dataset.units === "us" ? ["1/8", "−1/8"] : ["3 mm", "−2 mm"];
  const esc = (s) => String(s ?? "").replace(/[&<>"']/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" })[c]);
  let here = null, waiting = [], told = "", typed = {}, tried = false;
  const drilled = (h) => waiting.some((r) => r.entry.key === h.id && !r.refused) || !!Field.known.holes[h.id];

  let shown = "";
  const sign = () => JSON.stringify([here.id, Field.known.holes[here.id], waiting.map((r) => r.n)]);
  function render() {
    shown = sign();
    const wasOpen = walk.dataset.at === here.id && !!walk.querySelector("details")?.open;
    walk.dataset.at = here.id;
    const h = here, was = h.drilled, entry = Field.known.holes[h.id], wait = waiting.find((r) => r.entry.key === h.id && !r.refused);
    const off = was && (was.right_mm || was.up_mm) ? `: came out ${was.right_mm} mm right, ${was.up_mm} mm up of its place` : "";
    const who = wait ? `${wait.who}, waiting to be sent` : entry ? `${entry.who}, ${Field.clock(entry.at)}${off}${entry.note ? `. ${entry.note}` : ""}` : "";
    const field = (name, label, hint) => `<div><label for="${name}" class="small">${label}</label><input id="${name}" class="num" value="${esc(typed[name] || "")}" placeholder="${hint}" autocomplete="off"></div>`;
    const form = may ? `<form id="drilled" autocomplete="off"><button class="go">Drilled</button><details class="mt-2"${wasOpen || Object.values(typed).some(Boolean) ? " open" : ""}><summary>It came out elsewhere, or a photograph</summary><div class="grid grid-cols-2 gap-3 mt-2">${field("right", "Off to the right", hints[0])}${field("up", "Off upwards", hints[1])}</div><label for="photo" class="small mt-2">Photograph</label><input id="photo" type="file" accept="image/*" capture="environment"><label for="note" class="small mt-2">Note</label><input id="note" maxlength="500" value="${esc(typed.note || "")}"></details></form>` : `<p class="notice">${walk.dataset.frozen ? "The job is signed: its log takes no entries." : "An installer ticks the holes."}</p>`;
    walk.innerHTML = `<section id="step" class="step mt-3" aria-label="Hole ${h.number}"><div><div class="soft">Hole ${h.number}${drilled(h) ? ' · <span class="verdict-done">drilled</span>' : ""}</div><h2 class="text-xl">${esc(h.label)}</h2><div class="big my-1">${esc(h.told.x)}</div><div class="soft small">from the left edge of the wall</div><div class="big my-1">${esc(h.told.y)}</div><div class="soft small">from the floor; ${esc(h.told.up)}</div><dl class="mt-3"><dt>Meets</dt><dd>${esc(h.meets)}</dd><dt>Anchor</dt><dd>${esc(h.anchor)}</dd><dt>Bit</dt><dd>${esc(h.bit)}</dd><dt>Deep</dt><dd class="num">${esc(h.told.deep)}</dd></dl>${who ? `<p class="mt-2 small">${esc(who)}${entry?.photo ? ` <a href="/jobs/${walk.dataset.job}/photos/${entry.photo}.jpg">photograph</a>` : ""}</p>` : ""}</div><div><div aria-live="polite">${told}</div>${form}<div class="flex gap-2 mt-3"><button type="button" class="grow" data-go="-1">Back</button><button type="button" class="grow" data-go="1">Skip</button></div></div></section>`;
    const near = document.getElementById("near"), ring = near.querySelector("circle");
    ring.setAttribute("cx", h.cx); ring.setAttribute("cy", h.cy);
    near.querySelector("path").setAttribute("d", `M${data.x0} ${h.cy}H${h.cx - 13}M${h.cx} ${data.y0}V${h.cy + 13}`);
    const made = holes.filter(drilled).length;
    document.querySelector("[data-done]").textContent = `${made} of ${holes.length} drilled`;
    document.querySelector("progress.bar-done").value = made;
    for (const cell of document.querySelectorAll("[data-hole-state]")) { const one = holes.find((x) => x.id === cell.dataset.holeState); if (drilled(one) && !one.drilled) { cell.textContent = "✓ drilled"; cell.className = "verdict-done"; } }
    const url = new URL(location.href); url.searchParams.set("at", h.id);
    history.replaceState(null, "", url);
    if (tried) faulty();
  }
  function fault(text) {
    if (!text.trim()) return "";
    const [mm, says] = Units.place(text, walk.dataset.units);
    return says || (Math.abs(mm) > data.farthest_mm ? `${Units.showPlace(Math.abs(mm), walk.dataset.units)} off is another place: move the box under Place, then drill it` : "");
  }
  // What cannot be read is said at its field; said again when the step is drawn anew meanwhile.
  function faulty() {
    for (const name of ["right", "up"]) {
      const f = document.getElementById(name), says = f ? fault(typed[name] || "") : "";
      if (!f) continue;
      f.toggleAttribute("aria-invalid", !!says);
      f.parentElement.querySelector(".fault")?.remove();
      if (!says) continue;
      const d = document.createElement("div");
      d.className = "fault"; d.id = `${name}-fault`; d.textContent = says;
      f.setAttribute("aria-invalid", "true"); f.setAttribute("aria-describedby", d.id);
      f.after(d); f.closest("details").open = true;
      return f;
    }
    return null;
  }
  function to(id) { const h = holes.find((x) => x.id === id); if (!h) return; if (h !== here) { typed = {}; told = ""; tried = false; } here = h; render(); }
  const queued = async () => (await Field.queued()).filter((r) => r.entry.kind === "hole");
  walk.addEventListener("input", (e) => { if (["right", "up", "note"].includes(e.target.id)) typed[e.target.id] = e.target.value; });
  walk.addEventListener("submit", async (e) => {
    e.preventDefault(); e.stopPropagation();
    const photo = document.getElementById("photo").files[0] || null, from = here;
    tried = true;
    const wrong = faulty();
    if (wrong) { wrong.focus({ preventScroll: true }); wrong.nextElementSibling.scrollIntoView({ block: "center" }); return; }
    tried = false;
    await Field.add({ kind: "hole", key: here.id, label: `hole ${here.number}, ${here.label}`, wall: walk.dataset.wall, right: typed.right || "", up: typed.up || "", note: typed.note || "" }, photo);
    waiting = await queued();
    const next = holes.find((x) => x.number > from.number && !drilled(x)) || holes.find((x) => !drilled(x)) || from;
    to(next.id);
    told = `<p class="told well">Hole ${from.number}: drilled</p>`; render();
  });
  document.addEventListener("click", (e) => {
    const b = e.target.closest("[data-go], [data-hole]");
    if (!b) return;
    if (b.dataset.go) { const i = holes.indexOf(here); to((holes[i + +b.dataset.go] || here).id); }
    else { e.preventDefault(); to(b.dataset.hole); walk.scrollIntoView({ block: "start" }); }
  });
  document.addEventListener("known", async () => {
    waiting = await queued();
    const refused = (await Field.queued()).find((r) => r.refused && r.entry.kind === "hole");
    if (refused) told = `<p class="told bad">${esc(refused.entry.label)} was refused: ${esc(refused.refused)}</p>`;
    if (refused || sign() !== shown) render(); // else a hand at work is left alone
  });
  (async () => {
    await Field.begin({ job: +walk.dataset.job, person: +walk.dataset.person, who: walk.dataset.who }, data.said);
    waiting = await queued();
    here = holes.find((x) => x.id === new URLSearchParams(location.search).get("at")) || holes.find((x) => !drilled(x)) || holes.at(-1);
    render();
    walk.dataset.ready = "yes";
  })();
})();
