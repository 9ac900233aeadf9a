// What is entered at the termination or the hole is kept in the browser's own database first, and sent in order when there is a signal.
// Each entry has its own number (UUID), made here: however often it is sent, it is kept once.
const Field = (() => {
  const uuid = () => crypto.randomUUID ? crypto.randomUUID() : "10000000-1000-4000-8000-100000000000".replace(/[018]/g, (c) => (c ^ (crypto.getRandomValues(new Uint8Array(1))[0] & (15 >> (c / 4)))).toString(16));
  const device = (() => { try { return localStorage.device || (localStorage.device = uuid().slice(0, 8)); } catch { return uuid().slice(0, 8); } })();
  const clock = (at) => { const d = new Date(at || NaN); return isNaN(d) ? at || "" : d.toLocaleString("sv", { dateStyle: "short", timeStyle: "short" }); }; // as the clock of this device shows it
  const state = { line: navigator.onLine ? "on" : "off", waiting: 0, refused: 0, others: "", signIn: false, store: "", sending: false };
  let me = { person: 0, who: "", job: 0 };
  let base = null; // the open database
  const memory = []; // entries that the browser refused to keep, while this page is open

  const asked = (request) => new Promise((yes, no) => { request.onsuccess = () => yes(request.result); request.onerror = () => no(request.error); });
  function opened() {
    base ||= new Promise((yes, no) => {
      if (!window.indexedDB) { no(new Error("this browser has no store of its own")); return; }
      const request = indexedDB.open("gumboot", 1);
      request.onupgradeneeded = () => {
        request.result.createObjectStore("queue", { keyPath: "n", autoIncrement: true }).createIndex("job", "job");
        request.result.createObjectStore("known", { keyPath: "job" });
      };
      request.onsuccess = () => yes(request.result);
      request.onerror = () => no(request.error);
      request.onblocked = () => no(new Error("the store is in use by an older page"));
    });
    return base;
  }
  async function store(name, mode, act) {
    const db = await opened();
    return new Promise((yes, no) => {
      const deal = db.transaction(name, mode, { durability: "strict" });
      const wanted = act(deal.objectStore(name));
      deal.oncomplete = () => yes(wanted.result);
      deal.onerror = deal.onabort = () => no(deal.error || new Error("the store gave up"));
    });
  }
  const queued = async () => { try { return [...await store("queue", "readonly", (s) => s.index("job").getAll(me.job)), ...memory]; } catch { return [...memory]; } };

  function refusedStore(why) {
    state.store = /quota/i.test(`${why?.name} ${why?.message}`) ? "This device's store is full: what you enter is not kept without a signal. Make room on the device." : "This browser keeps nothing of its own (a private window, or its settings): without a signal, nothing you enter would last.";
    said();
  }
  function said() { document.dispatchEvent(new CustomEvent("field", { detail: state })); }
  async function count() {
    const rows = await queued();
    const mine = rows.filter((r) => r.person === me.person && !r.refused);
    state.waiting = mine.length;
    state.refused = rows.filter((r) => r.refused).length;
    state.others = [...new Set(rows.filter((r) => r.person !== me.person && !r.refused).map((r) => r.who))].join(", ");
    said();
  }

  // Add one entry. It stands in the store before this returns; then sending begins.
  async function add(entry, photo) {
    const row = { job: me.job, person: me.person, who: me.who, photo: photo || null, refused: "", entry: { uuid: uuid(), at_device: new Date().toISOString(), device, ...entry } };
    try { row.n = await store("queue", "readwrite", (s) => s.add(row)); } catch (why) { memory.push(row); refusedStore(why); }
    await count();
    send();
    return row;
  }
  async function drop(row) {
    const at = memory.indexOf(row);
    if (at >= 0) memory.splice(at, 1); else await store("queue", "readwrite", (s) => s.delete(row.n));
    await count();
  }
  async function put(row) { if (!memory.includes(row)) await store("queue", "readwrite", (s) => s.put(row)); }
  async function again(rows) { for (const row of rows) { row.refused = ""; row.ours = false; await put(row); } await count(); send(); }

  const patience = (ms) => AbortSignal.timeout ? AbortSignal.timeout(ms) : undefined;
  async function get(url) { return fetch(url, { credentials: "same-origin", cache: "no-store", signal: patience(15000) }); }
  async function session() {
    const answer = await get("/session.json");
    if (answer.status === 401) { state.signIn = true; return null; }
    if (!answer.ok) throw new Error(`${answer.status}`);
    state.signIn = false;
    return answer.json();
  }

  let busy = false, once_more = false;
  async function send() {
    if (busy) { once_more = true; return; }
    busy = true;
    try {
      do {
        once_more = false;
        const work = navigator.locks ? () => navigator.locks.request(`gumboot-${me.job}`, sendAll) : sendAll; // one tab at a time, in order
        await work();
      } while (once_more);
    } finally { busy = false; await count(); }
  }
  async function sendAll() {
    let at_once = 25;
    for (;;) {
      const rows = (await queued()).filter((r) => !r.refused);
      if (!rows.length) return;
      state.sending = true; said();
      try {
        const now = await session();
        if (!now) return;
        state.line = "on";
        const mine = rows.filter((r) => r.person === now.person).slice(0, at_once);
        if (!mine.length) return;
        for (const r of mine) if (r.photo && !r.entry.digest) await sendPhoto(r, now);
        const ready = mine.filter((r) => !r.refused);
        if (!ready.length) continue;
        const answer = await fetch(`/jobs/${me.job}/log`, { method: "POST", credentials: "same-origin", signal: patience(30000), headers: { accept: "application/json", "content-type": "application/json", "x-csrf-token": now.csrf }, body: JSON.stringify({ entries: ready.map((r) => r.entry) }) });
        if (answer.status === 401) { state.signIn = true; return; }
        if (answer.status === 403 || answer.status === 404) {
          const why = (await answer.json().catch(() => ({}))).message || "your crew has no such job";
          if (/reload/.test(why)) throw new Error(why); // signed in anew meanwhile: the next turn has the right token
          for (const r of ready) { r.refused = why; await put(r); }
          continue;
        }
        if (answer.status === 500) { // one entry that trips the server must not hold back the others: find it, put it aside
          if (at_once > 1) at_once = 1; else for (const r of ready) { r.ours = true; r.refused = "Gumboot could not keep it. The fault is ours and has been logged; it is tried again when the page is opened next."; await put(r); }
          continue;
        }
        if (!answer.ok) throw new Error(`${answer.status}`);
        const said_of = await answer.json();
        merge(said_of); // known before it leaves the queue: at no moment is an entry in neither
        for (const a of said_of.entries) {
          const row = ready.find((r) => r.entry.uuid === a.uuid);
          if (!row) continue;
          if (a.state === "kept") await drop(row); else { row.refused = a.why; row.field = a.field; await put(row); }
        }
        await learn(said_of);
      } catch { state.line = "off"; return; } finally { state.sending = false; await count(); }
    }
  }
  async function sendPhoto(row, now) {
    const form = new FormData();
    form.append("csrf", now.csrf); form.append("photo", row.photo, "field.jpg"); form.append("what", { hole: "wall for the kit", picture: "picture" }[row.entry.kind] || "termination"); form.append("note", row.entry.label || row.entry.key); form.append("at_device", row.entry.at_device);
    const answer = await fetch(`/jobs/${me.job}/log/photo`, { method: "POST", credentials: "same-origin", headers: { accept: "application/json" }, body: form, signal: patience(120000) });
    const told = await answer.json().catch(() => ({}));
    if (answer.ok) { row.entry.digest = told.digest; row.photo = null; await put(row); }
    else if (answer.status === 422 || answer.status === 409 || answer.status === 413) { row.refused = told.message || "the photograph was refused"; await put(row); }
    else { state.signIn = answer.status === 401; throw new Error(`${answer.status}`); }
  }

  // What the log says, as far as this device knows: the page's own, and what came since.
  const known = { seq: 0, states: {}, holes: {}, steps: {} };
  function merge(more) { if (!more) return; Object.assign(known.states, more.states || {}); Object.assign(known.holes, more.holes || {}); Object.assign(known.steps, more.steps || {}); known.pictures = [...new Set([...(known.pictures || []), ...(more.pictures || [])])]; known.seq = Math.max(known.seq, more.seq || 0); }
  async function learn(more) {
    merge(more);
    try {
      const kept = await store("known", "readonly", (s) => s.get(me.job)) || { job: me.job, seq: 0, holes: {} };
      kept.states ??= {}; kept.steps ??= {};
      Object.assign(kept.states, more.states || {}); Object.assign(kept.holes, more.holes || {}); Object.assign(kept.steps, more.steps || {}); kept.seq = Math.max(kept.seq, more.seq || 0);
      await store("known", "readwrite", (s) => s.put(kept));
    } catch { /* the page still knows it */ }
    document.dispatchEvent(new CustomEvent("known"));
  }
  async function refresh() {
    if (document.hidden) return;
    try {
      const answer = await get(`/jobs/${me.job}/land/changed.json?after=${known.seq}`);
      if (answer.status === 401) { state.signIn = true; said(); return; }
      if (!answer.ok) return;
      state.line = "on";
      const more = await answer.json();
      if (more.seq > known.seq) await learn(more);
      said();
    } catch { state.line = "off"; said(); }
  }

  async function begin(page, from, every = 15000) {
    me = page;
    merge(from);
    try {
      const kept = await store("known", "readonly", (s) => s.get(me.job));
      if (kept && kept.seq > from.seq) merge(kept);
      if (navigator.storage?.persist) navigator.storage.persist();
    } catch (why) { refusedStore(why); }
    window.addEventListener("online", () => { state.line = "on"; send(); refresh(); });
    window.addEventListener("offline", () => { state.line = "off"; said(); });
    document.addEventListener("visibilitychange", () => { if (!document.hidden) { send(); refresh(); } });
    setInterval(() => { if (state.waiting) send(); else refresh(); }, every);
    await again((await queued()).filter((r) => r.ours));
  }
  return { begin, add, drop, again, send, refresh, queued, known, state, device, clock };
})();

// The sign of it all: on line or off, what waits, what was refused and why.
(() => {
  const chip = document.getElementById("signal"), near = document.getElementById("signal-near"), list = document.getElementById("unsent");
  if (!chip) return;

  const text = (s) => {
    if (s.signIn && (s.waiting || s.others)) return ["warn", `sign in to send ${s.waiting || ""}`];
    if (s.signIn) return ["warn", "sign-in ran out"];
    if (s.refused) return ["bad", `${s.refused} refused${s.waiting ? ` · ${s.waiting} waiting` : ""}`];
    if (s.line === "off") return ["warn", s.waiting ? `no signal · ${s.waiting} waiting` : "no signal"];
    if (s.waiting) return ["warn", `${s.sending ? "sending" : "waiting"} ${s.waiting}`];
    return ["well", "all sent"];
  };
  document.addEventListener("field", (e) => {
    const [how, words] = text(e.detail);
    chip.textContent = words; chip.className = `signal ${how}`;
    if (near) { // the same on a phone whose page has moved to the step
      near.hidden = !(e.detail.refused || e.detail.signIn || e.detail.line === "off"); near.className = `signal small ${how}`;
      near.textContent = e.detail.refused ? `${e.detail.refused} refused` : e.detail.waiting ? `${e.detail.waiting} ${e.detail.waiting > 1 ? "wait" : "waits"}` : e.detail.signIn ? "sign in" : "no signal";
    }
    const full = document.getElementById("store-refused");
    full.hidden = !e.detail.store; full.textContent = e.detail.store;
    full.onclick = () => full.classList.add("seen"); // on a phone it stands over the page until it is touched
    const wait = document.getElementById("waits-for");
    wait.hidden = !e.detail.others; wait.textContent = e.detail.others ? `Entries of ${e.detail.others} wait on this device until they sign in here.` : "";
  });
  const show = async () => {
    const rows = await Field.queued();
    list.querySelector("[data-rows]").replaceChildren(...rows.map((r) => {
      const line = document.createElement("div"); line.className = "unsent-row";
      const words = document.createElement("p");
      words.textContent = `${r.entry.label || r.entry.key}: ${r.entry.typed || r.entry.act || "drilled"}, ${new Date(r.entry.at_device).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })}, ${r.who}`;
      line.append(words);
      if (r.refused) {
        const why = document.createElement("p"); why.className = "fault"; why.textContent = `Refused: ${r.refused}`;
        const tools = document.createElement("div"); tools.className = "flex gap-2";
        for (const [word, act] of [["Send again", () => Field.again([r])], ["Leave it out", () => { if (confirm("Leave this entry out for good?")) return Field.drop(r); }]]) {
          const b = document.createElement("button"); b.type = "button"; b.textContent = word; b.addEventListener("click", async () => { await act(); list.close(); document.dispatchEvent(new CustomEvent("known")); });
          tools.append(b);
        }
        line.append(why, tools);
      }
      return line;
    }));
    const refused = rows.filter((r) => r.refused), all = list.querySelector("[data-all]");
    all.hidden = refused.length < 2;
    all.onclick = async () => { await Field.again(refused); list.close(); };
    list.querySelector("[data-none]").hidden = rows.length > 0;
    const enter = list.querySelector("[data-sign-in]");
    enter.hidden = !Field.state.signIn; enter.href = `/sign-in?next=${encodeURIComponent(location.pathname + location.search)}`;
    list.showModal();
  };
  for (const b of [chip, near]) b?.addEventListener("click", show);
})();
