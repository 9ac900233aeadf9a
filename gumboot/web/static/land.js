// The walk from termination to termination: one big step, in a state that follows from the log and from what waits to be sent.
(() => {
  const walk = document.getElementById("walk");
  if (!walk) return;
  const read = (id) => JSON.parse(document.getElementById(id).textContent);
  const terminations = read("terminations"), said = read("said");
  const by = new Map(terminations.map((t) => [t.key, t]));
  const tools = said.tools, circuits = said.circuits;
  const may = walk.dataset.may === "yes", units = walk.dataset.units;
  let here = null, waiting = [], typed = "", toolId = "", told = "", correcting = "";

  const esc = (s) => String(s ?? "").replace(/[&<>"']/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" })[c]);
  const num = (v, d) => String(+v.toFixed(d));
  const inScale = Units.showTorque, crewScale = (nm) => Units.torqueUnit(nm, units);
  const scaleOf = (w, nm) => w && w.scale !== "both" ? w.scale : crewScale(nm); // of a termination, with the tool in hand
  const otherScale = (nm, scale) => scale === "N·m" ? (nm < 30 ? "in·lb" : "ft·lb") : "N·m";
  const today = () => new Date().toISOString().slice(0, 10);

  // Tools, as core/land/tools.py judges them.
  const refuses = (w, nm) => w.until < today() ? `${w.name}'s calibration ran out on ${w.until}` : nm < w.from_nm - 1e-9 || nm > w.most_nm + 1e-9 ? `${w.name} serves ${inScale(w.from_nm, scaleOf(w, nm))} to ${inScale(w.most_nm, scaleOf(w, nm))}` : "";
  function best(nm) {
    let found = null, rank = null;
    for (const w of tools) {
      if (refuses(w, nm)) continue;
      const r = [w.share, Math.abs(nm / w.most_nm - 0.6)];
      if (!rank || r[0] < rank[0] || (r[0] === rank[0] && r[1] < rank[1])) { found = w; rank = r; }
    }
    return found;
  }
  function judge(nm, reading, w) {
    const no = refuses(w, nm);
    if (no) return ["withheld", no];
    const s = w.share;
    if (reading < nm - s * nm - 1e-9) return ["under", "too low: apply the rated torque again"];
    if (reading > nm + s * nm + 1e-9) return ["over", "too high: stop, undo, replace the hardware, then torque again"];
    return ["good", `within ±${Math.round(100 * s)} %`];
  }
  function parsed(text, scale) {
    const [nm, fault] = Units.parse(text, "torque", scale);
    if (fault) return [null, fault];
    return nm > 0 && nm <= 1000 ? [nm, ""] : [null, `${text} cannot be: type what the wrench showed, more than 0 and at most 1000 N·m`];
  }

  // Where a termination stands: as core/land/events.py reads it. What the server said, then what waits.
  function fold(events, chain, from) {
    const s = from ? { ...from } : { at: 0, verdict: null, spoiled: false, rechecked: false, first_nm: null, second_nm: null, doubt: [] };
    const turn = chain.indexOf("torqued");
    const gone = new Set(events.flatMap((m) => [m.corrects, ...(m.drops || [])]).filter(Boolean));
    for (const m of events) {
      if (gone.has(m.uuid)) continue;
      if (m.act === "undone") { s.at = 0; s.verdict = null; s.rechecked = false; s.first_nm = s.second_nm = null; }
      else if (m.act === "replaced") { s.spoiled = false; s.verdict = null; s.rechecked = false; if (turn >= 0) s.at = Math.min(s.at, turn); }
      else if (m.act === "moved") { s.verdict = null; s.rechecked = false; s.at = turn >= 0 ? Math.min(s.at, turn) : 0; }
      else if (m.act === "re-checked") s.rechecked = s.at >= chain.length;
      else if (m.act === "torqued") {
        s.spoiled = (s.spoiled && !m.replaced) || m.verdict === "over";
        s.verdict = s.spoiled ? "over" : m.verdict;
        if (s.verdict === "good" && turn >= 0) {
          s.at = Math.max(s.at, turn + 1);
          if (m.again && s.first_nm) s.second_nm = m.torque_nm; else { s.first_nm = m.torque_nm; s.second_nm = null; }
          s.rechecked = !!m.again;
        } else if (turn >= 0) { s.at = Math.min(s.at, turn); s.rechecked = false; }
        else if (s.verdict === "done") s.at = chain.length;
      } else if (chain.includes(m.act) && (turn < 0 || s.at > turn || chain.indexOf(m.act) < turn)) s.at = Math.max(s.at, chain.indexOf(m.act) + 1);
    }
    return s;
  }
  function unsent(key) { const sent = new Set((Field.known.states[key]?.events || []).map((m) => m.uuid)); return waiting.filter((r) => r.entry.key === key && !r.refused && !sent.has(r.entry.uuid)); }
  function eventsOf(key) { return [...(Field.known.states[key]?.events || []), ...unsent(key).map(asEvent)]; }
  function asEvent(r) { return { uuid: r.entry.uuid, act: r.entry.act, who: r.who, at: r.entry.at_device, torque_nm: r.nm ?? null, typed: r.entry.typed || "", verdict: r.verdict || null, why: r.why || "", tool: r.toolName || "", note: r.entry.note || "", again: !!r.entry.again, replaced: !!r.entry.replaced, corrects: r.entry.corrects || null, waits: true }; }
  function stateOf(t) {
    const known = Field.known.states[t.key];
    const own = unsent(t.key);
    let s;
    if (!own.length) s = known ? { ...known.state } : fold([], t.chain);
    else if (!known || known.whole) s = { ...fold(eventsOf(t.key), t.chain), doubt: known?.state.doubt || [] };
    else s = fold(own.map(asEvent), t.chain, known.state);
    s.complete = s.at >= t.chain.length && !s.doubt.length;
    s.state = s.doubt.length ? "in doubt" : ["under", "over", "withheld"].includes(s.verdict) ? s.verdict : s.rechecked ? "re-checked" : s.at ? t.chain[s.at - 1] : "open";
    s.next = t.chain[s.at] || null;
    return s;
  }
  window.GumbootWalk = { fold, judge, parsed }; // held against the core by a test

  const BUTTON = { proven: "Proven dead", prepared: "Prepared", landed: "Landed", tugged: "Tugged", marked: "Marked", closed: "Closed", torqued: "Torqued" };
  const LANDED = { "pv connector": "Clicked home", plug: "Clicked home", clip: "Closed, clicked", spring: "Pushed home", ring: "On its bolt", bar: "In place" };
  const TUGGED = { spring: "Tugged, pushed home again" };
  const wordOf = (t, act) => act === "landed" ? LANDED[t.method] || BUTTON.landed : act === "tugged" ? TUGGED[t.method] || BUTTON.tugged : BUTTON[act];
  const DO = { dead: "Isolate, lock, tag, prove dead", cover: "Close up", spring: "Push home, tug, push again", clip: "Close it round its line, tug" };

  // The picture of the strip, to scale; 1:1 once the screen was held against a card.
  const perMm = () => +(localStorage.getItem("px_per_mm") || 96 / 25.4);
  function strip(t) {
    if (!t.strip_mm) return "";
    const k = perMm(), w = t.strip_mm * k, x = 90;
    const sleeve = t.sleeve_mm ? `<rect class="strip-sleeve" x="${x}" y="7" width="${(t.sleeve_mm * k).toFixed(1)}" height="20"/>` : "";
    return `<button type="button" class="strip-button" data-ruler aria-label="Strip ${esc(t.strip)}: set the screen to 1:1"><svg class="strip" viewBox="0 0 ${(x + w + 14).toFixed(1)} 48" width="${(x + w + 14).toFixed(1)}" height="48" aria-hidden="true"><rect class="strip-sheath" x="0" y="3" width="${x}" height="28"/><rect class="strip-copper" x="${x}" y="9" width="${w.toFixed(1)}" height="16"/>${sleeve}<path class="strip-dim" d="M${x} 33V44M${(x + w).toFixed(1)} 33V44M${x} 39H${(x + w).toFixed(1)}"/></svg></button>`;
  }

  const row = (name, value) => value ? `<dt>${name}</dt><dd>${value}</dd>` : "";
  const STRANDS = { solid: "solid", stranded: "stranded", fine: "fine-strand" };
  function facts(t) {
    const wire = t.size ? `${esc(t.conductor)} · ${esc(t.size)}, ${esc(t.cable)}` : esc(t.cable);
    const end = [t.method === "as made" ? "" : t.method === "dead" || t.method === "cover" ? "" : t.method, t.sleeve_mm ? `sleeve ${num(t.sleeve_mm, 1)} mm` : "", t.stud].filter(Boolean).map(esc).join(", ");
    return `<dl>${row("Open first", t.kind === "dead" ? "" : t.isolate.map(esc).join("; "))}${row("Conductor", wire)}${row("To", esc(t.far))}${row("Strip", t.strip ? `<span class="num">${esc(t.strip)}</span>${strip(t)}` : "")}${row("End", end)}${row("Crimp", t.tool ? `${esc(t.tool)}, ${esc(t.die)}` : "")}${row("Stack", t.hardware.map(esc).join(" · "))}${row("Bit", esc(t.bit))}${row("Ferrite", esc(t.ferrite))}</dl>${t.label ? `<p class="mt-2"><span class="label-text">${esc(t.label)}</span></p>` : ""}`;
  }
  function chain(t, s) {
    return `<ol class="chain" aria-label="States">${t.chain.map((c, i) => `<li class="${i < s.at ? "done" : i === s.at ? "now" : ""}">${i < s.at ? "✓ " : ""}${esc(c)}</li>`).join("")}${t.recheck !== "none" ? `<li class="${s.rechecked ? "done" : ""}">${s.rechecked ? "✓ " : ""}re-checked</li>` : ""}</ol>`;
  }
  function pad(t, w) {
    const scale = scaleOf(w, t.torque_nm);
    const options = tools.map((x) => `<option value="${esc(x.id)}"${w && x.id === w.id ? " selected" : ""}>${esc(x.name)}, ${inScale(x.from_nm, scaleOf(x, t.torque_nm))} to ${inScale(x.most_nm, scaleOf(x, t.torque_nm))}${x.until < today() ? ", calibration over" : ""}</option>`).join("");
    const keys = ["7", "8", "9", "4", "5", "6", "1", "2", "3", ".", "0", "⌫"].map((k) => `<button type="button" class="key" data-key="${k}"${k === "⌫" ? ' aria-label="Delete the last figure"' : k === "." ? ' aria-label="Point"' : ""}>${k}</button>`).join("");
    return `<form id="enter" autocomplete="off"><label for="torque" class="hide-small">What the wrench showed</label><div class="read"><input id="torque" class="torque" inputmode="decimal" value="${esc(typed)}" aria-label="What the wrench showed" aria-describedby="told"><span class="unit">${scale}</span></div>
      <div class="keys" role="group" aria-label="Number pad">${keys}</div><button class="go mt-2">${correcting ? "Correct it" : "Enter"}</button>
      <label for="tool" class="mt-2">Wrench</label><select id="tool">${options || '<option value="">none yet: add yours under Tools</option>'}</select></form>`;
  }

  let photo = null, note = "";
  function actions(t, s) {
    if (!may) return `<p class="notice">${walk.dataset.frozen ? "The job is signed: its log takes no entries." : "An installer records terminations."}</p>`;
    if (correcting) return `<p class="said check"><b>Correct</b> the reading: enter what it should have been.</p>${pad(t, tool(t))}<button type="button" data-stop-correcting>Cancel</button>`;
    if (s.doubt.length) return `<p class="notice bad-news"><b>In doubt.</b> Two people logged this termination without knowing of each other. <a href="/jobs/${walk.dataset.job}/land/log?termination=${encodeURIComponent(t.key)}">Look at both, and say which stands</a>${s.spoiled ? "; or replace the hardware" : t.chain.includes("torqued") ? "; or torque it again here" : ""}.</p>${s.spoiled ? '<button type="button" class="go" data-act="replaced">Hardware replaced</button>' : t.chain.includes("torqued") ? pad(t, tool(t)) : ""}`;
    if (s.spoiled) return `<p class="notice bad-news"><b>Over.</b> Undo it. New bolt, washers, lug or ferrule.</p><button type="button" class="go" data-act="replaced">Hardware replaced</button>`;
    const warn = s.verdict === "under" ? '<p class="notice"><b>Under.</b> Rated torque again.</p>' : s.verdict === "withheld" ? `<p class="notice"><b>Withheld.</b> ${esc(eventsOf(t.key).at(-1)?.why || "")}. Use a tool that serves, and enter it again.</p>` : "";
    if (s.next === "torqued") return warn + pad(t, tool(t));
    if (s.next) {
      const rest = t.chain.slice(s.at, t.chain.indexOf("torqued", s.at) < 0 ? undefined : t.chain.indexOf("torqued", s.at));
      const all = rest.length > 1 ? `<button type="button" class="go" data-act="${esc(rest.join("|"))}">${esc(rest.map((a, i) => i ? wordOf(t, a).toLowerCase() : wordOf(t, a)).join(", "))}</button>` : "";
      return `${warn}${all}<button type="button" class="${all ? "broad" : "go"} mt-2" data-act="${esc(s.next)}">${esc(wordOf(t, s.next))}${all ? " only" : ""}</button>`;
    }
    const due = s.made_at ? new Date(new Date(s.made_at).getTime() + 864e5) : null;
    const back = t.recheck === "none" || s.rechecked ? "" : t.recheck === "torque"
      ? `<details class="mt-3"${due && due < new Date() ? " open" : ""}><summary>Back after 24 h${due ? `, due ${due.toLocaleString([], { weekday: "short", hour: "2-digit", minute: "2-digit" })}` : ""}</summary>${pad(t, tool(t)).replace('id="enter"', 'id="enter" data-again="yes"')}</details>`
      : `<details class="mt-3"${due && due < new Date() ? " open" : ""}><summary>Back after 24 h${due ? `, due ${due.toLocaleString([], { weekday: "short", hour: "2-digit", minute: "2-digit" })}` : ""}</summary><button type="button" class="go mt-2" data-act="re-checked">Mark in line</button><button type="button" class="broad mt-2" data-ask="moved">Mark has moved</button></details>`;
    return `<p class="made">✓ ${s.rechecked ? "Re-checked" : t.kind === "dead" ? "Proven dead" : t.kind === "cover" ? "Closed" : "Made off"}</p>${nextOpen(t.number) ? '<button type="button" class="go" data-next>Next open termination</button>' : ""}${back}`;
  }
  function log(t) {
    const rows = eventsOf(t.key);
    if (!rows.length) return "";
    const gone = new Set(rows.flatMap((m) => [m.corrects, ...(m.drops || [])]).filter(Boolean));
    return `<h3 class="mt-4">Log of this termination</h3><div class="scroll" tabindex="0" role="region" aria-label="Log of this termination"><table class="stack"><tbody>${rows.slice().reverse().map((m) => `<tr${gone.has(m.uuid) ? ' class="voided"' : ""}><td class="num small">${esc(Field.clock(m.at))}</td><td>${esc(m.act)}${m.torque_nm != null ? ` <span class="num">${inScale(m.torque_nm, crewScale(m.torque_nm))}</span>` : ""}${m.verdict ? ` <span class="verdict-${esc(m.verdict)}">${esc(m.verdict)}</span>` : ""}${m.again ? " (24 h)" : ""}${gone.has(m.uuid) ? " · no longer counts" : ""}${m.waits ? ' <span class="waits">waiting</span>' : ""}<div class="soft small">${esc([m.who, m.tool, m.why, m.note].filter(Boolean).join(" · "))}${m.photo ? ` · <a href="/jobs/${walk.dataset.job}/photos/${esc(m.photo)}.jpg">photograph</a>` : ""}</div></td><td class="small">${may && !gone.has(m.uuid) && !m.waits && m.act !== "settled" ? `${m.act === "torqued" ? `<button type="button" class="small-button" data-correct="${esc(m.uuid)}">Correct</button>` : `<button type="button" class="small-button" data-back="${esc(m.uuid)}">Take back</button>`}` : ""}</td></tr>`).join("")}</tbody></table></div>${Field.known.states[t.key]?.whole === false ? `<p class="small"><a href="/jobs/${walk.dataset.job}/land/log?termination=${encodeURIComponent(t.key)}">All of it</a></p>` : ""}`;
  }
  function tool(t) { return tools.find((w) => w.id === toolId) || best(t.torque_nm) || tools[0] || null; }

  function render(focus) {
    const t = here;
    if (!t) { walk.querySelector("[data-step]").innerHTML = ""; return; }
    const wasOpen = walk.querySelector("[data-more]")?.dataset.more === t.key && walk.querySelector("[data-more]").open;
    const s = stateOf(t), w = t.torque_nm ? tool(t) : null, scale = t.torque_nm ? scaleOf(w, t.torque_nm) : "";
    const fit = t.torque_nm && !best(t.torque_nm) ? `<p class="bad small">No tool of the crew reaches this: see Tools.</p>` : "";
    const big = t.torque_nm ? `<div class="big my-1"><a class="fig" href="/jobs/${walk.dataset.job}/size?at=${encodeURIComponent(`${t.key}.torque`)}#working" data-at="${esc(t.key)}.torque">${inScale(t.torque_nm, scale)}</a></div>` : `<p class="what my-1">${DO[t.kind] || DO[t.method] || "Click, tug"}</p>`;
    const under = t.torque_nm ? `<div class="small">${w ? `<b>${esc(w.name)}</b>, ` : ""}${esc(t.bit)}</div><div class="soft small">${inScale(t.torque_nm, otherScale(t.torque_nm, scale))}${w ? ` ±${Math.round(100 * w.share)} %` : ""} · ${esc(t.torque_source)}${t.doubt ? ", from memory" : ""}</div>` : "";
    walk.querySelector("[data-step]").innerHTML = `<section id="step" class="step" aria-label="Termination ${t.number}"><div>
      <div class="soft">${t.number} · ${esc(t.stage)} · <span class="state-${esc(s.state.replace(/\W/g, "-"))}">${esc(s.state)}</span></div><h2 class="text-xl">${esc(t.place)}${t.kind === "dead" ? "" : `, ${esc(t.terminal)}`}</h2>
      ${big}${t.kind === "dead" ? `<p>${esc(t.terminal[0].toUpperCase() + t.terminal.slice(1))}.</p>${t.isolate.length ? `<p class="soft small mt-2">Open and lock first</p><ul class="plain-list">${t.isolate.map((x) => `<li>${esc(x)}</li>`).join("")}</ul>` : ""}` : ""}${under}${t.live.length ? `<p class="bad small mt-2"><b>Stays live</b></p><ul class="plain-list">${t.live.map((x) => `<li>${esc(x[0].toUpperCase() + x.slice(1))}</li>`).join("")}</ul>` : ""}${fit}${t.kind === "dead" ? "" : chain(t, s)}<div data-picture></div></div>
      <div class="do">${may && t.wants?.length ? `<div class="mb-2">${t.wants.map((x) => `<label class="button broad small mb-1">${Field.known.pictures?.includes(x.key) ? "✓ Photographed: " : "Photograph first: "}${esc(x.says)}<input type="file" accept="image/*" capture="environment" class="sr-only" data-slot="${esc(x.key)}" aria-label="${esc(x.says)}"></label>`).join("")}</div>` : ""}<div id="told" aria-live="polite">${told}</div>${actions(t, s)}
      <div class="flex gap-2 mt-3"><button type="button" class="grow" data-go="-1">Back</button>${plates && t.kind !== "cover" ? `<button type="button" class="grow" data-whole>${whole ? "Near" : "Block"}</button>` : ""}<button type="button" class="grow" data-go="1">Skip</button></div>
      ${may ? `<details class="mt-2" data-more="${esc(t.key)}"${note || photo || wasOpen ? " open" : ""}><summary class="small">Note, photograph, undo</summary><label for="note" class="small mt-2">Note</label><input id="note" maxlength="500" value="${esc(note)}"><label for="photo" class="small mt-2">Photograph, kept with the next entry</label><input id="photo" type="file" accept="image/*" capture="environment">${photo ? `<p class="small">${esc(photo.name)} goes with the next entry</p>` : ""}${s.at || s.verdict ? '<button type="button" class="broad mt-2" data-ask="undone">Undo this termination</button>' : ""}</details>` : ""}</div>
      <div class="facts-of">${facts(t)}</div></section><div id="termination-log">${log(t)}</div>`;
    walk.querySelector("[data-picture]").append(plates);
    paint();
    picture();
    shown = sign();
    document.querySelector("[data-circuit-name]").textContent = circuitName(circuits.find((c) => c.keys.includes(t.key)));
    if (focus && !narrow.matches) document.getElementById("torque")?.focus({ preventScroll: true });
    if (location.search !== `?at=${encodeURIComponent(t.key)}`) history.replaceState(null, "", `?at=${encodeURIComponent(t.key)}`);
  }
  // The picture comes near the termination in hand; the whole block at a touch.
  const plates = document.getElementById("plates");
  let whole = false;
  function picture() {
    plates.hidden = here.kind === "cover" || (here.kind === "dead" && narrow.matches);
    for (const p of plates.querySelectorAll(".plate")) {
      p.hidden = p.dataset.body !== here.body;
      if (p.hidden) continue;
      const svg = p.querySelector("svg"), full = (svg.dataset.full ||= svg.getAttribute("viewBox")), [, , w, h] = full.split(" ").map(Number);
      const g = svg.querySelector(".pad-here");
      if (whole || !g) { svg.setAttribute("viewBox", full); continue; }
      const b = g.querySelector(".pad"), box = b.getBBox(), shift = /translate\(([-\d.]+) ([-\d.]+)\)/.exec(g.innerHTML);
      const cx = box.x + box.width / 2 + (shift ? +shift[1] : 0), cy = box.y + box.height / 2 + (shift ? +shift[2] : 0), cw = Math.min(w, 330), ch = Math.min(h, narrow.matches ? 86 : 120);
      svg.setAttribute("viewBox", `${Math.min(Math.max(cx - cw / 2, 0), w - cw)} ${Math.min(Math.max(cy - ch / 2, 0), h - ch)} ${cw} ${ch}`);
    }
    walk.querySelector("[data-whole]")?.replaceChildren(whole ? "Near" : "Block");
  }
  const circuitName = (c) => c ? `${c.number ? `C${c.number} · ` : ""}${c.name}` : "";

  function paint() {
    let made = 0;
    for (const t of terminations) {
      const s = stateOf(t);
      made += s.complete;
      t.now = s;
      const g = document.querySelector(`.plate .termination[data-termination="${CSS.escape(t.key)}"]`);
      if (g) {
        g.setAttribute("class", `termination ${s.doubt.length || s.verdict === "over" ? "pad-over" : s.verdict === "under" || s.verdict === "withheld" ? "pad-under" : s.complete ? "pad-made" : s.at ? "pad-part" : ""} ${t === here ? "pad-here" : ""}`);
        g.querySelector(".pad-state").textContent = s.complete ? "✓" : s.verdict === "over" ? "over" : s.verdict === "under" ? "low" : t === here ? "next" : "";
      }
    }
    document.querySelector("[data-made]").textContent = `${made} of ${terminations.length} made off`;
    const bar = document.querySelector("progress.bar-done");
    bar.value = made;
    if (!document.getElementById("all").hidden) list();
  }
  function list() {
    const body = document.querySelector("#all tbody");
    let stage = "";
    body.innerHTML = terminations.map((t) => {
      const head = t.stage !== stage ? `<tr><th colspan="6" scope="colgroup"><b class="text-base">${esc(t.stage)}</b></th></tr>` : "";
      stage = t.stage;
      return `${head}<tr data-row data-at="${esc(t.key)}" data-termination-row="${esc(t.key)}" data-find="${esc(`${t.label} ${t.place} ${t.terminal} ${t.number}`)}" tabindex="0"${t === here ? ' class="picked"' : ""}><td class="num">${t.number}</td><td><button type="button" class="link" data-to="${esc(t.key)}">${esc(t.place)}, ${esc(t.terminal)}</button></td><td class="num">${esc(t.size ? `${t.conductor} ${t.size}` : "")}</td><td class="num">${t.torque_nm ? inScale(t.torque_nm, crewScale(t.torque_nm)) : ""}<div class="soft small">${esc(t.bit)}</div></td><td class="num small">${esc(t.label)}</td><td><span class="state-${esc(t.now.state.replace(/\W/g, "-"))}">${esc(t.now.state)}</span></td></tr>`;
    }).join("");
  }

  function to(key, focus = true) {
    const t = by.get(key);
    if (!t) return;
    if (t !== here) { typed = ""; told = ""; correcting = ""; toolId = ""; note = ""; photo = null; }
    here = t;
    render(focus);
    if (narrow.matches && walk.dataset.ready) document.getElementById("step").scrollIntoView({ block: "start" });
  }
  const narrow = matchMedia("(max-width: 1000px)");
  function reach() { if (here && narrow.matches && stateOf(here).next === "torqued") document.getElementById("step").scrollIntoView({ block: "start" }); } // the whole pad on a phone
  function nextOpen(after) {
    const todo = terminations.filter((t) => !stateOf(t).complete);
    return todo.find((t) => t.number > after) || todo[0] || null;
  }
  function tell(how, words) { told = `<p class="told ${how}">${words}</p>`; }

  let acting = false; // a second tap while the first is being kept does nothing
  async function act(acts, more = {}) {
    if (acting) return;
    acting = true; walk.dataset.acting = "yes";
    const t = here, { verdict = "good", ...fields } = more, said_with = [note, photo];
    note = ""; photo = null; typed = ""; correcting = ""; // what is typed from here on is for what comes next
    try {
      for (const a of acts) {
        const last = a === acts.at(-1);
        await Field.add({ kind: "termination", key: t.key, label: t.label || `${t.place}, ${t.terminal}`, act: a, seen: Field.known.seq, note: last ? said_with[0] : "", ...fields }, last ? said_with[1] : null);
        waiting = await queuedHere();
      }
    } finally { acting = false; }
    const s = stateOf(t);
    if (s.complete && verdict === "good") {
      tell("well", `${t.number} ${esc(t.label || t.terminal)}: ${acts[0] === "torqued" ? "good" : esc(acts.at(-1))}`);
      const following = fields.again || acts.includes("re-checked") ? terminations.find((x) => x.number > t.number && x.recheck !== "none" && !stateOf(x).rechecked && stateOf(x).complete) : nextOpen(t.number);
      const keep = told;
      if (following && following !== t) { to(following.key); told = keep; }
    }
    render(true);
    reach();
    delete walk.dataset.acting;
  }
  async function queuedHere() { return (await Field.queued()).filter((r) => r.entry.kind !== "hole").map((r) => withVerdict(r)); }
  // A waiting reading is judged here as the server will judge it.
  function withVerdict(r) {
    const t = by.get(r.entry.key);
    if (r.entry.act === "torqued" && t?.torque_nm) {
      const w = tools.find((x) => x.id === r.entry.wrench), [nm] = parsed(r.entry.typed, r.entry.scale);
      r.nm = nm; r.toolName = w ? `${w.name}, ${w.serial}` : "";
      [r.verdict, r.why] = w && nm ? judge(t.torque_nm, nm, w) : ["withheld", "no wrench"];
    }
    return r;
  }

  walk.addEventListener("submit", async (e) => {
    if (e.target.id !== "enter") return;
    e.preventDefault(); e.stopPropagation();
    const w = tools.find((x) => x.id === document.getElementById("tool").value);
    typed = document.getElementById("torque").value;
    if (acting) return;
    if (!w) { tell("bad", "Choose the wrench you used; add yours under Tools."); render(true); return; }
    if (!typed.trim()) { tell("bad", "Nothing is typed: type what the wrench showed."); render(true); return; }
    const scale = scaleOf(w, here.torque_nm), [nm, fault] = parsed(typed, scale);
    if (nm === null) { tell("bad", esc(fault)); render(true); return; }
    const [verdict, why] = judge(here.torque_nm, nm, w);
    const again = e.target.dataset.again === "yes" || !!(correcting && eventsOf(here.key).find((m) => m.uuid === correcting)?.again);
    tell(verdict === "good" ? "well" : "bad", `${inScale(nm, scale)}: <b>${verdict}</b>, ${esc(why)}`);
    await act(["torqued"], { typed, scale, wrench: w.id, again, corrects: correcting, verdict });
  });
  walk.addEventListener("input", (e) => { if (e.target.id === "torque") typed = e.target.value; if (e.target.id === "note") note = e.target.value; });
  walk.addEventListener("change", (e) => {
    if (e.target.id === "tool") { toolId = e.target.value; render(true); }
    if (e.target.dataset.slot && e.target.files[0]) {
      const says = e.target.getAttribute("aria-label");
      (Field.known.pictures ??= []).push(e.target.dataset.slot);
      Field.add({ kind: "picture", key: e.target.dataset.slot, label: says, act: "done", typed: "", note: "", seen: Field.known.seq }, e.target.files[0]).then(() => render());
    }
    if (e.target.id === "photo") { photo = e.target.files[0] || null; render(); }
  });
  document.addEventListener("click", (e) => {
    const b = e.target.closest("button, a, tr[data-termination-row]");
    if (!b) return;
    if (b.dataset.key) { typed = b.dataset.key === "⌫" ? typed.slice(0, -1) : typed + b.dataset.key; const f = document.getElementById("torque"); f.value = typed; }
    else if (b.dataset.act) act(b.dataset.act.split("|"));
    else if (b.dataset.ask) ask(b.dataset.ask);
    else if ("next" in b.dataset) to(nextOpen(here.number).key);
    else if (b.dataset.go) { const list = terminations, i = list.indexOf(here); to((list[i + +b.dataset.go] || here).key); }
    else if (b.dataset.correct) { correcting = b.dataset.correct; typed = ""; told = ""; render(true); }
    else if (b.dataset.back) ask("taken back", b.dataset.back);
    else if ("stopCorrecting" in b.dataset) { correcting = ""; render(); }
    else if ("whole" in b.dataset) { whole = !whole; picture(); }
    else if ("ruler" in b.dataset) ruler();
    else if ("circuits" in b.dataset) showCircuits();
    else if ("finder" in b.dataset) showFinder();
    else if ("showAll" in b.dataset) { const all = document.getElementById("all"); all.hidden = !all.hidden; if (!all.hidden) { paint(); all.scrollIntoView({ block: "start" }); } }
    else if (b.dataset.to) { close(); to(b.dataset.to); walk.scrollIntoView({ block: "start" }); }
    else if (b.classList.contains("termination")) { e.preventDefault(); to(b.dataset.termination); }
    else if (b.dataset.terminationRow) { to(b.dataset.terminationRow); walk.scrollIntoView({ block: "start" }); }
  });
  function close() { for (const d of document.querySelectorAll("dialog[open]")) d.close(); }

  const asking = document.getElementById("asking");
  const WHY = { undone: "Why is it undone?", moved: "What had moved?", "taken back": "Why does the entry not hold?" };
  function ask(what, corrects = "") {
    asking.querySelector("h2").textContent = WHY[what];
    const f = asking.querySelector("form"), why = f.elements.why;
    why.value = ""; f.dataset.what = what; f.dataset.corrects = corrects;
    asking.querySelector(".fault").hidden = true;
    asking.showModal(); why.focus();
  }
  asking.querySelector("form").addEventListener("submit", async (e) => {
    e.preventDefault(); e.stopPropagation();
    const f = e.target;
    if (!f.elements.why.value.trim()) { asking.querySelector(".fault").hidden = false; return; }
    note = f.elements.why.value.trim();
    asking.close();
    await act([f.dataset.what], f.dataset.corrects ? { corrects: f.dataset.corrects } : {});
  });

  function showCircuits() {
    const d = document.getElementById("circuits");
    d.querySelector("[data-list]").innerHTML = circuits.map((c) => { const rows = c.keys.map((k) => by.get(k)), made = rows.filter((t) => stateOf(t).complete).length, first = rows.find((t) => !stateOf(t).complete) || rows[0]; return `<button type="button" class="choice" data-to="${esc(first.key)}"><span>${esc(circuitName(c))}</span><span class="num">${made}/${rows.length}</span></button>`; }).join("");
    d.showModal();
  }
  const finder = document.getElementById("finder");
  function showFinder() { finder.querySelector("input").value = ""; found(); finder.showModal(); finder.querySelector("input").focus(); }
  function found() {
    let q = finder.querySelector("input").value.trim();
    const scanned = /[?&#]at=([^&#]+)/.exec(q);
    if (scanned) q = decodeURIComponent(scanned[1]);
    const words = q.toLowerCase().split(/\s+/).filter(Boolean);
    const hits = terminations.filter((t) => words.every((w) => `${t.label} ${t.place} ${t.terminal} ${t.number} ${t.key}`.toLowerCase().includes(w)));
    finder.querySelector("[data-list]").innerHTML = hits.slice(0, 12).map((t) => `<button type="button" class="choice" data-to="${esc(t.key)}"><span>${t.number} · ${esc(t.place)}, ${esc(t.terminal)}<span class="soft small block">${esc(t.label)}</span></span><span class="state-${esc(stateOf(t).state.replace(/\W/g, "-"))}">${esc(stateOf(t).state)}</span></button>`).join("") || '<p class="soft">Nothing has that in its label.</p>';
    return hits;
  }
  finder.querySelector("input").addEventListener("input", found);
  finder.querySelector("form").addEventListener("submit", (e) => { e.preventDefault(); e.stopPropagation(); const hit = found()[0]; if (hit) { close(); to(hit.key); } });
  document.addEventListener("keydown", (e) => {
    if ((e.target.matches("input, select, textarea") && e.target.id !== "torque") || e.ctrlKey || e.metaKey || e.altKey) return;
    if (e.key === "/") { e.preventDefault(); e.stopImmediatePropagation(); showFinder(); }
  }, true);

  const card = document.getElementById("ruler");
  function ruler() {
    const range = card.querySelector("input"), bar = card.querySelector("rect"), svg = card.querySelector("svg");
    const set = () => { const w = +range.value * 85.6; bar.setAttribute("width", w); svg.setAttribute("width", w + 2); svg.setAttribute("viewBox", `0 0 ${w + 2} 60`); };
    range.value = perMm(); range.oninput = set; set();
    card.querySelector("[data-keep]").onclick = () => { localStorage.setItem("px_per_mm", range.value); card.close(); render(); };
    card.showModal();
  }

  // What comes in from elsewhere is shown at once. Where it says nothing new of this termination's state only its log is drawn again: a finger on a key keeps the key.
  let shown = "";
  const sign = () => { if (!here) return ""; const s = stateOf(here); return JSON.stringify([here.key, s.at, s.verdict, s.spoiled, s.rechecked, s.doubt, s.complete && s.made_at]); };
  document.addEventListener("known", async () => {
    waiting = await queuedHere();
    if (acting || sign() === shown || document.querySelector("dialog[open]")) { // while an entry is being kept its own end draws what comes next
      paint();
      if (here) document.getElementById("termination-log").innerHTML = log(here);
      return;
    }
    const typing = document.activeElement?.id === "torque";
    render(false);
    if (typing) document.getElementById("torque")?.focus({ preventScroll: true });
  });
  for (const d of document.querySelectorAll("dialog")) d.addEventListener("close", () => document.dispatchEvent(new CustomEvent("known"))); // what came in meanwhile
  (async () => {
    await Field.begin({ job: +walk.dataset.job, person: +walk.dataset.person, who: walk.dataset.who }, said);
    waiting = await queuedHere();
    const wanted = new URLSearchParams(location.search).get("at") || decodeURIComponent(location.hash.slice(1));
    here = by.get(wanted) || nextOpen(0) || terminations.at(-1);
    render(!narrow.matches);
    reach();
    walk.dataset.ready = "yes";
  })();
})();
