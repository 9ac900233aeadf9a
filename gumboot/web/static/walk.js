// A walk: one step at a time, of Link or of Wake; what is entered goes by the field's own queue.
(() => {
  const walk = document.getElementById("walk");
  if (!walk) return;
  const data = JSON.parse(document.getElementById("walk-steps").textContent), steps = data.steps;
  const may = walk.dataset.may === "yes", board = walk.querySelector("[data-step]"), list = document.getElementById("walk-list"), kind = walk.dataset.kind, job = walk.dataset.job;
  const esc = (s) => String(s ?? "").replace(/[&<>"']/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;", "'": "&#39;" })[c]);
  const UNIT = { ohm: "Ω", megohm: "MΩ", dbm: "dBm", volt: "V" }, reads = (s) => s.does in UNIT || !!s.scales, unit = (s) => UNIT[s.does] || s.unit;
  const OPEN = 3000;
  let here = null, waiting = [], told = "", typed = {}, fault = "", shown = "", asking = false, wasDone = true;

  const wait_of = (s) => waiting.filter((r) => r.entry.key === s.key && !r.refused).at(-1);
  function state(s) { // done, outside, declined, or nothing yet
    const w = wait_of(s);
    if (w) return w.entry.act === "back" ? "" : w.entry.act === "declined" ? "declined" : judge(s, w.entry.typed).verdict;
    if (s.known) return "done";
    const e = Field.known.steps[s.key];
    if (e && s.lapsed && e.seq === s.entry) return ""; // the plan has changed since
    return e && e.verdict !== "taken back" ? e.verdict : "";
  }
  const complete = (s) => ["done", "declined"].includes(state(s));

  function number(s, text) {
    const plain = text.trim().toLowerCase().replace("−", "-").replace(",", ".");
    if (s.scales) { // a plain number in one unit, or in what else may be typed behind it
      const found = /^([+-]?\d{1,7}(?:\.\d{1,6})?)\s*([^\d\s]{0,5})$/.exec(plain), scale = found && (found[2] ? s.scales[found[2]] : 1);
      const value = scale ? +found[1] * scale : NaN;
      return value >= s.can_least && value <= s.can_most ? value : NaN;
    }
    if (s.does === "ohm" && ["open", "ol", "o.l.", "o.l", "∞"].includes(plain.replace("ω", "").trim())) return OPEN;
    const found = /^([<>]?)\s?([+-]?\d{1,7}(?:\.\d{1,6})?)\s*(k|m|g)?\s*(ω|ohms?|dbm|v|volts?|w)?$/.exec(plain);
    if (!found || (found[1] && s.does !== "megohm")) return NaN;
    let value = +found[2];
    if (found[3] && (s.does === "dbm" || (found[3] === "g" && !/ohm/.test(s.does)))) return NaN;
    if (s.does === "megohm") { value *= { k: 1e-3, g: 1e3 }[found[3]] ?? 1; return value < 0 ? NaN : value; }
    if (found[3] === "k") value *= 1e3;
    if (found[3] === "g") value *= 1e9;
    if (found[3] === "m") value *= s.does === "ohm" && /M/.test(text) ? 1e6 : 1e-3;
    if (s.does === "volt" && Math.abs(value) > 3000) return NaN;
    if (s.does === "dbm") value = -Math.abs(value);
    if (s.does === "ohm" && value < 0) return NaN;
    return s.does === "ohm" ? Math.min(value, OPEN) : value;
  }
  // Strings are judged by the light read last, sent or not: between the bands that the server made.
  const FRESH = 30 * 60000; // how long a reading of light stands
  const told_of = (key) => { const s = steps.find((x) => x.key === key), w = s && wait_of(s), e = Field.known.steps[key], at = Date.parse(w ? w.entry.at_device : e?.at); if (Math.abs(Date.now() - at) > FRESH) return NaN; const text = w ? (w.entry.act === "done" ? w.entry.typed : "") : e && e.verdict === "done" ? e.typed : ""; return s && text ? number(s, text) : NaN; };
  const spot = (row, x) => { let n = row.findIndex((v) => v > x) - 1; n = n < 0 ? (x < row[0] ? 0 : row.length - 2) : n; return [n, Math.min(1, Math.max(0, (x - row[n]) / (row[n + 1] - row[n])))]; };
  function band(s, light = told_of("sky.light"), cell = told_of("sky.cell")) {
    const k = data.skies?.[s.module];
    if (!k || !s.sky || isNaN(cell) || !(light >= k.light[0])) return [s.least, s.most];
    const [i, f] = spot(k.light, light), [j, g] = spot(k.cell, cell), of = k[s.sky];
    return [0, 1].map((n) => s.times * ((1 - f) * ((1 - g) * of[i][j][n] + g * of[i][j + 1][n]) + f * ((1 - g) * of[i + 1][j][n] + g * of[i + 1][j + 1][n])));
  }
  const expects = (s) => { const e = Field.known.steps[s.key]; if (s.sky && state(s) && !wait_of(s) && e?.expected) return e.expected; const [low, high] = s.sky ? band(s) : []; return s.sky && low !== s.least ? `${low.toFixed(s.sky === "open" ? 0 : 1)} to ${high.toFixed(s.sky === "open" ? 0 : 1)} ${unit(s)}` : s.expects; };
  window.Walk = { number, band }; // for tests: how what is typed is read and judged
  function sameAs(s, text) {
    const t = text.trim().toLowerCase(), unit = (s.in || "").toLowerCase();
    const plain = (unit && t.endsWith(unit) ? t.slice(0, -unit.length) : t).trim().replace(",", "."), n = plain ? Number(plain) : NaN;
    if ([s.lever, s.expects, ...(s.words || [])].some((x) => x && x.toLowerCase() === t)) return true;
    return s.least !== null && isFinite(n) && Math.abs(n - s.least) < s.near;
  }
  function judge(s, text) {
    if (s.does === "key") return !text || sameAs(s, text) ? { verdict: "done", why: "" } : { verdict: "outside", why: `“${text}” stands there, and ${s.expects} was to be keyed` };
    if (s.does !== "pins" && !reads(s)) return { verdict: "done", why: "" };
    if (s.does === "pins") {
      const got = Object.fromEntries([...text.matchAll(/([^\s=:;]+)\s*=\s*([^=;]*?)(?=\s*(?:;|$|[^\s=:;]+\s*=))/g)].map((m) => [m[1], m[2].trim()]));
      const wrong = s.pins.filter((p) => got[p.pin] !== p.far);
      return { verdict: wrong.length ? "outside" : "done", why: wrong.map((p) => `${p.does}: pin ${p.pin} should sound to ${p.far}`).join("; ") };
    }
    const value = number(s, text);
    if (isNaN(value)) return { verdict: "", why: "" };
    const [least, most] = band(s), fits = (least === null || value >= least) && (most === null || value <= most);
    let why = "";
    if (!fits && s.reads) { // the single fault whose reading lies nearest
      const near = s.reads.map(([says, ohm]) => [Math.abs(Math.log(Math.max(ohm, .05) / Math.max(value, .05))), says]).sort((a, b) => a[0] - b[0]);
      why = `reads as if ${near[0][1]}`;
    }
    return { verdict: fits ? "done" : "outside", why };
  }
  // One device leads: its hands move switches. The others follow what it enters, read, or take the lead.
  function leader() {
    const w = waiting.filter((r) => r.entry.key === "lead" && !r.refused).at(-1), e = Field.known.steps.lead;
    if (w) return w.entry.act === "back" ? null : { who: w.who, device: Field.device };
    return e && e.verdict === "done" ? e : null;
  }
  const follows = () => { const l = kind === "wake" ? leader() : null; return l && (l.device !== Field.device || l.who !== walk.dataset.who) ? l : null; };
  function leading() {
    if (kind !== "wake" || !may) return "";
    const l = leader(), f = follows();
    if (asking) return `<div class="notice" role="alert">${l ? `Has ${esc(l.who)} been told, and does nobody move a switch now?` : "Does nobody else move a switch now?"} <div class="flex gap-2 mt-2"><button type="button" class="go grow" data-lead="done">Yes: I lead now</button><button type="button" class="grow" data-lead="no">No</button></div></div>`;
    if (f) return `<div class="flex items-center gap-3 small mb-2"><span class="grow">${esc(f.who)} leads on another device.</span><button type="button" data-lead="ask">Take the lead</button></div>`;
    return l ? '<div class="flex items-center gap-3 small mb-2"><span class="grow">You lead on this device.</span><button type="button" data-lead="back">Leave the lead</button></div>' : "";
  }
  const SAYS = { done: '<span class="verdict-done">✓ done</span>', outside: '<span class="verdict-bad">✗ not as expected</span>', withheld: '<span class="verdict-bad">? verdict withheld</span>', declined: "left out", "": "" };

  const sign = () => JSON.stringify([here.key, Field.known.steps[here.key], Field.known.steps.lead, waiting.map((r) => r.n)]);
  function render() {
    shown = sign(); wasDone = complete(here);
    const s = here, e = Field.known.steps[s.key], w = wait_of(s), now = state(s);
    const open = board.dataset.at === s.key && !!board.querySelector("details")?.open;
    board.dataset.at = s.key;
    const tool = (() => { try { return typed.tool ?? localStorage.linkTool ?? ""; } catch { return typed.tool ?? ""; } })();
    const who = w ? `${w.who}, waiting to be sent` : e && now ? `${e.typed ? `${e.typed} · ` : ""}${e.who}, ${Field.clock(e.at)}${e.tool ? `, ${e.tool}` : ""}${e.note ? `. ${e.note}` : ""}` : "";
    const why = e && !w && s.lapsed && e.seq === s.entry ? s.lapsed : now === "outside" || now === "withheld" ? (e && !w && e.why) || judge(s, w ? w.entry.typed : e?.typed || "").why : "";
    const held = s.does === "act" ? steps.filter((x) => x.n < s.n && !complete(x)) : [];
    const left = s.does === "act" && steps.some((x) => x.n < s.n && x.does === "act" && state(x) === "declined");
    const wrong = kind === "wake" && (now === "outside" || late(s));
    let field = "";
    if (s.does === "pins") field = `<button class="go" data-right>Each to its own pin</button><details class="mt-2"${open ? " open" : ""}><summary>Something else was found</summary><div class="grid grid-cols-2 gap-3 mt-2">${s.pins.map((p) => `<div><label for="pin-${esc(p.pin)}" class="small">${esc(p.does)}: pin ${esc(p.pin)} sounds to</label><input id="pin-${esc(p.pin)}" data-pin="${esc(p.pin)}" class="num" value="${esc(typed[p.pin] ?? "")}" placeholder="${esc(p.far)}, or open" autocomplete="off"></div>`).join("")}</div><button class="broad mt-2" data-pins>Keep these</button></details>`;
    else if (s.does === "duty") field = `<a class="button go" href="/jobs/${job}/hand-over#duties">Write it down under Hand over</a>`;
    else if (s.does === "ct") field = `<a class="button go" href="/jobs/${job}/link/ct">Open the CT test</a>`;
    else if (s.does === "page") field = `<a class="button go" href="/jobs/${job}/${s.lever}">Open it</a>`;
    else if (reads(s)) field = `<label for="read">Reading, ${unit(s)}</label><input id="read" class="num torque" inputmode="${/ohm/.test(s.does) ? "text" : "decimal"}" value="${esc(typed.read ?? "")}" placeholder="${esc(s.example)}" autocomplete="off">${data.live?.[(s.asks || "").replace(/^\d+:.*/, "unit").replace(/:.*/, "")] ? '<button type="button" class="broad mt-2" data-live>Read it from the device</button>' : ""}<button class="go mt-2">Keep</button>`;
    else if (s.does === "key") field = `<button class="go">Keyed: ${esc(s.lever)}</button><details class="mt-2"${open || typed.read ? " open" : ""}><summary>Something else stands there</summary><label for="read" class="small mt-2">What the display shows</label><input id="read" class="num" value="${esc(typed.read ?? "")}" autocomplete="off"><button class="broad mt-2" data-other>Keep that</button></details>`;
    else if (s.does === "text") field = `<label for="read">What stands there</label><input id="read" class="num" maxlength="80" value="${esc(typed.read ?? "")}" autocomplete="off"><button class="go mt-2">Keep</button>`;
    else if (s.does === "wait") field = `<p class="clock" data-clock aria-live="off"></p><button class="go">Seen</button>`;
    else if (held.length) field = `<div class="notice bad-news"><b>Held.</b> ${held.length === 1 ? "One step" : `${held.length} steps`} before it ${held.length === 1 ? "is" : "are"} open, first: <button type="button" class="link" data-step-key="${esc(held[0].key)}">${esc(held[0].title)}</button></div>`;
    else if (s.does === "act" && follows()) field = `<div class="notice"><b>${esc(follows().who)} moves this one.</b> It stands here as soon as it is entered there.</div>`;
    else field = `<button class="go">${s.does === "act" ? `Done: ${esc(s.expects)}` : "Done"}</button>`;
    const by = !reads(s) && s.does !== "pins" ? "" : `<label for="tool" class="small mt-2">Instrument</label><input id="tool" list="tools" maxlength="80" value="${esc(tool)}" placeholder="name and number of the meter" autocomplete="off">`;
    const form = may ? `<form id="walk-form" autocomplete="off">${field}${by}${fault ? `<div class="fault" role="alert">${esc(fault)}</div>` : ""}<details class="mt-3" data-out${typed.note ? " open" : ""}><summary>Leave it out, or a note</summary><label for="note" class="small mt-2">Reason or note</label><input id="note" maxlength="500" value="${esc(typed.note ?? "")}"><button type="button" class="broad mt-2" data-decline>Leave it out for this reason</button></details>${now ? '<button type="button" class="broad mt-2" data-back>Take the last entry back</button>' : ""}</form>` : `<p class="notice">${walk.dataset.frozen ? "The job is signed: its log takes no entries." : "An installer does these steps."}</p>`;
    board.innerHTML = `<section id="step" class="step" aria-label="${esc(s.title)}"><div><div class="soft">${s.n} of ${steps.length} · ${esc(s.stage)} ${SAYS[now] ? `· ${SAYS[now]}` : ""}</div><h2 class="text-xl">${esc(s.title)}</h2>${s.expects && s.does !== "pins" && s.does !== "act" ? `<div class="${expects(s).length > 14 ? "what" : "big"} my-1">${esc(expects(s))}</div>` : ""}<p class="mt-1">${esc(s.says)}</p>${s.more ? `<dl class="facts small mt-2">${s.more.map(([k, v]) => `<div><dt>${esc(k)}</dt><dd>${esc(v)}</dd></div>`).join("")}</dl>` : ""}${who ? `<p class="mt-2 small">${esc(who)}</p>` : ""}${why ? `<p class="told bad mt-2">${esc(why)}</p>` : ""}${left && !now ? '<p class="caution mt-2">An act before it was left out: the order was found with it. Ask under “What if I move something else now” before you move this.</p>' : ""}${(now === "outside" || now === "withheld") && s.search ? `<p class="mt-2"><a class="button" href="/jobs/${job}/prove/why?of=${esc(s.search)}">Find out why</a></p>` : ""}${wrong ? `<p class="mt-2"><a class="button" href="/jobs/${job}/wake/back?at=${encodeURIComponent(s.key)}">The safe way back</a></p>` : ""}</div><div>${leading()}<div aria-live="polite">${told}</div>${form}<div class="flex gap-2 mt-3"><button type="button" class="grow" data-go="-1">Back</button><button type="button" class="grow" data-go="1">Skip</button></div></div></section>`;
    for (const p of document.querySelectorAll("[data-picture]")) p.hidden = p.dataset.picture !== s.shows;
    if (window.SwitchRow) SwitchRow.show(data.states?.[s.stands || s.shows], s.stands ? "" : s.lever);
    const done = steps.filter(complete).length;
    document.querySelector("[data-done]").textContent = `${done} of ${steps.length} done`;
    document.querySelector("progress.bar-done").value = done;
    walk.querySelector("[data-stage-name]").textContent = s.stage;
    const url = new URL(location.href); url.searchParams.set("at", s.key);
    history.replaceState(null, "", url);
    tick();
  }
  // A wait: its beginning is kept, so that a locked screen or a lost signal does not stop it.
  const ready = (s) => steps.every((x) => x.n >= s.n || complete(x));
  const begun = (s) => { const at = `wait:${job}:${s.key}`; try { const t = +localStorage[at]; if (t && t <= Date.now()) return t; localStorage[at] = Date.now(); return +localStorage[at]; } catch { return (s.begun ??= Date.now()); } };
  const waited = (s) => ready(s) ? (Date.now() - begun(s)) / 1000 : 0;
  const late = (s) => s.does === "wait" && s === here && !complete(s) && waited(s) > s.wait_s;
  const minutes = (t) => `${Math.floor(t / 60)}:${String(Math.floor(t % 60)).padStart(2, "0")}`;
  function tick() {
    const face = board.querySelector("[data-clock]");
    if (!face || here?.does !== "wait") return;
    if (complete(here)) { face.textContent = ""; return; }
    if (!ready(here)) { face.textContent = "The clock starts once the steps before it are done."; return; }
    const was = face.dataset.late, now = late(here) ? "yes" : "no";
    face.dataset.late = now;
    face.textContent = `${minutes(waited(here))} of ${minutes(here.wait_s)}${now === "yes" ? ": longer than it should take" : ""}`;
    if (was && was !== now && now === "yes") render();
  }
  setInterval(tick, 500);
  let aloud = (() => { try { return localStorage.aloud === "yes"; } catch { return false; } })(), spoken = "";
  function speak(s) {
    if (!aloud || !window.speechSynthesis || spoken === s.key) return;
    spoken = s.key; speechSynthesis.cancel();
    speechSynthesis.speak(new SpeechSynthesisUtterance(`${s.title}. ${s.says} ${s.expects && s.does !== "act" ? `Expected: ${s.expects}.` : ""}`));
  }
  function to(s) { if (!s) return; if (s !== here) { typed = {}; fault = ""; told = ""; } here = s; render(); tick(); speak(s); }
  async function ask() { // the unit itself: its own reading stands in the field, and a hand keeps it
    const s = here;
    try {
      const reply = await fetch(`/jobs/${job}/${data.live_at || "wake/live"}.json?key=${encodeURIComponent(s.key)}`, { credentials: "same-origin", headers: { accept: "application/json" }, signal: AbortSignal.timeout?.(12000) });
      const said = await reply.json();
      if (here !== s) return;
      fault = reply.ok ? "" : said.message;
      if (reply.ok) typed.read = said.value;
    } catch { fault = "the unit could not be asked: no signal, or it takes too long"; }
    render();
  }
  const queued = async () => (await Field.queued()).filter((r) => r.entry.kind === kind);
  async function lead(act) {
    await Field.add({ kind, key: "lead", label: "Leads: who moves the switches", act, typed: "", note: "", tool: "", seen: Field.known.seq });
    waiting = await queued();
  }
  async function enter(act, text, note) {
    const from = here, verdict = act === "done" ? judge(here, text).verdict : act;
    if (kind === "wake" && here.does === "act" && act === "done" && !leader()) await lead("done");
    await Field.add({ kind, key: here.key, label: here.title, act, typed: text, note, tool: document.getElementById("tool")?.value.trim() || "", seen: Field.known.seq });
    waiting = await queued();
    typed = {}; fault = "";
    if (act === "back" || verdict === "outside") { told = ""; render(); return; }
    const next = steps.find((x) => x.n > from.n && !complete(x)) || steps.find((x) => !complete(x)) || from;
    to(next);
    told = `<p class="told well">${esc(from.title)}: ${act === "declined" ? "left out" : "done"}</p>`; render();
  }
  walk.addEventListener("input", (e) => { if (e.target.dataset.pin) typed[e.target.dataset.pin] = e.target.value; else if (["read", "note", "tool"].includes(e.target.id)) { typed[e.target.id] = e.target.value; if (e.target.id === "tool") try { localStorage.linkTool = e.target.value; } catch { /* kept for this step alone */ } } });
  walk.addEventListener("submit", async (e) => {
    e.preventDefault(); e.stopPropagation();
    const by = e.submitter?.dataset || {};
    if (here.does === "pins" && !("pins" in by)) return enter("done", here.pins.map((p) => `${p.pin}=${p.far}`).join(" "), typed.note || "");
    if (here.does === "pins") {
      const lacks = here.pins.find((p) => !(typed[p.pin] || "").trim());
      if (lacks) { fault = `type which pin ${lacks.does}, pin ${lacks.pin}, sounds to, or “open”`; render(); document.querySelector(`[data-pin="${CSS.escape(lacks.pin)}"]`)?.focus(); return; }
      return enter("done", here.pins.map((p) => `${p.pin}=${typed[p.pin].trim()}`).join("; "), typed.note || "");
    }
    if (["ct", "duty", "page"].includes(here.does)) return;
    if (here.does === "text" || "other" in by) {
      if ((typed.read || "").trim()) return enter("done", typed.read.trim(), typed.note || "");
      fault = here.does === "key" ? "type what the display shows" : "type what stands there"; render(); document.getElementById("read").focus(); return;
    }
    if (here.does === "key") return enter("done", here.lever, typed.note || "");
    if (!reads(here)) return enter("done", here.does === "wait" ? `after ${minutes(waited(here))}` : "", typed.note || "");
    if (isNaN(number(here, typed.read || ""))) { fault = here.wants ? `type the reading: ${here.wants}` : { ohm: "type what the meter shows in Ω, such as 60, or “open”", megohm: "type what the tester shows in MΩ, such as 12 or > 200", dbm: "type the level in dBm, such as -67" }[here.does] || `type the volts, such as ${here.example}`; render(); document.getElementById("read").focus(); return; }
    return enter("done", typed.read, typed.note || "");
  });
  document.addEventListener("click", (e) => {
    const b = e.target.closest("[data-go], [data-step-key], [data-decline], [data-back], [data-list-open], [data-live], [data-aloud], [data-lead], #walk-list [data-close]");
    if (!b) return;
    if ("aloud" in b.dataset) { aloud = !aloud; b.setAttribute("aria-pressed", aloud); try { localStorage.aloud = aloud ? "yes" : ""; } catch { /* for this page alone */ } spoken = ""; if (aloud) speak(here); else window.speechSynthesis?.cancel(); return; }
    if ("live" in b.dataset) { ask(); return; }
    if (b.dataset.lead) {
      asking = b.dataset.lead === "ask";
      if (["done", "back"].includes(b.dataset.lead)) lead(b.dataset.lead).then(render); else render();
      return;
    }
    if (b.dataset.go) to(steps[steps.indexOf(here) + +b.dataset.go] || here);
    else if ("decline" in b.dataset) { if ((typed.note || "").trim()) enter("declined", "", typed.note); else { fault = "type why it is left out"; render(); const d = board.querySelector("[data-out]"); d.open = true; document.getElementById("note").focus(); } }
    else if ("back" in b.dataset) enter("back", "", typed.note || "");
    else if ("listOpen" in b.dataset) {
      let stage = "";
      list.querySelector("[data-list]").innerHTML = steps.map((s) => `${s.stage !== stage ? `<h3 class="mt-2">${esc(stage = s.stage)}</h3>` : ""}<button type="button" data-step-key="${esc(s.key)}"${s === here ? ' aria-current="true"' : ""}>${s.n} ${esc(s.title)} ${{ done: "✓", outside: "✗", withheld: "?", declined: "–", "": "" }[state(s)]}</button>`).join("");
      list.showModal();
    } else if (b.dataset.stepKey) { list.close(); to(steps.find((s) => s.key === b.dataset.stepKey)); walk.scrollIntoView({ block: "start" }); }
    else list.close();
  });
  document.addEventListener("known", async () => {
    waiting = await queued();
    const refused = (await Field.queued()).find((r) => r.refused && r.entry.kind === kind);
    if (refused) told = `<p class="told bad">${esc(refused.entry.label)} was refused: ${esc(refused.refused)}</p>`;
    const idle = !Object.values(typed).some((v) => (v || "").trim());
    if (follows() && idle && !wasDone && complete(here)) to(steps.find((x) => x.n > here.n && !complete(x)) || here); // it goes where the leader is
    if (refused || sign() !== shown) render(); // else a hand at work is left alone
  });
  (async () => {
    await Field.begin({ job: +job, person: +walk.dataset.person, who: walk.dataset.who }, data.said, kind === "wake" ? 5000 : undefined);
    waiting = await queued();
    here = steps.find((s) => s.key === new URLSearchParams(location.search).get("at")) || steps.find((s) => !complete(s)) || steps[0];
    walk.querySelector("[data-aloud]")?.setAttribute("aria-pressed", aloud);
    render(); tick();
    walk.dataset.ready = "yes";
  })();
})();
