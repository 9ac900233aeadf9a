// Keys, sheets and small comforts. Everything works without this file; with it, it works faster.
const at = (s, root = document) => root.querySelector(s);
const all = (s, root = document) => [...root.querySelectorAll(s)];
const rows = () => all("[data-row]").filter((r) => r.offsetParent !== null);

document.documentElement.dataset.theme = localStorage.getItem("theme") || "";

let here = null; // the row that j and k move from; one key may stand in two tables

function pick(key, scroll, own) {
  all(".picked").forEach((e) => e.classList.remove("picked"));
  all(`[data-at="${CSS.escape(key)}"]`).forEach((e) => e.classList.add("picked"));
  here = own || all("[data-row]").find((r) => r.dataset.at === key) || null;
  if (here && scroll) here.scrollIntoView({ block: "nearest" });
}
function picked() { return here && here.offsetParent !== null ? here : undefined; }
function work(key) {
  const panel = at("#working");
  if (!panel || !panel.dataset.from) return;
  pick(key, true, here?.dataset.at === key ? here : null);
  htmx.ajax("GET", `${panel.dataset.from}?at=${encodeURIComponent(key)}`, { target: "#working", swap: "innerHTML" });
  if (location.pathname.endsWith("/size")) history.replaceState(null, "", `?at=${encodeURIComponent(key)}`);
}
function openRow(row) {
  if (row.dataset.href) location.href = row.dataset.href;
  else work(row.dataset.at);
}
function step(by) {
  const list = rows(), from = list.indexOf(picked());
  const next = list[Math.min(list.length - 1, Math.max(0, from < 0 ? 0 : from + by))];
  if (next) { pick(next.dataset.at, true, next); next.focus({ preventScroll: true }); }
}
function station(by) {
  const list = all(".treads a"), from = list.findIndex((a) => a.hasAttribute("aria-current"));
  const next = list[from + by];
  if (next) location.href = next.href;
}
const KEYS = {
  "[": () => station(-1), "]": () => station(1), j: () => step(1), k: () => step(-1),
  w: () => { const row = picked() || rows()[0]; if (at("#working")?.dataset.from && row) work(row.dataset.at); at("#working")?.focus(); },
  f: () => { const side = at("#side"); side?.classList.toggle("up"); at("#findings")?.focus(); },
  "/": () => at("#find")?.focus(), "?": () => at("#keys")?.showModal(),
  Enter: () => { const row = picked(); if (row && document.activeElement === row) openRow(row); },
};
document.addEventListener("keydown", (e) => {
  const typing = e.target.matches("input, select, textarea");
  if (typing && e.key === "Escape") e.target.blur();
  if (typing || e.ctrlKey || e.metaKey || e.altKey) return;
  const act = KEYS[e.key];
  if (act) { if (e.key !== "Enter") e.preventDefault(); act(); }
});
document.addEventListener("click", (e) => {
  const wire = e.target.closest("a[data-at], a.fig");
  if (wire && at("#working")?.dataset.from) { e.preventDefault(); work(wire.dataset.at); at("#side")?.classList.add("up"); return; }
  const row = e.target.closest("tr[data-row]");
  if (row && !e.target.closest("a, button, input, select")) openRow(row);
  if (e.target.closest(".pull")) at("#side").classList.toggle("up");
  if (e.target.closest("[data-theme-switch]")) {
    const now = document.documentElement.dataset.theme === "cellar" ? "" : "cellar";
    document.documentElement.dataset.theme = now; localStorage.setItem("theme", now);
  }
  if (e.target.closest("[data-close]")) e.target.closest("dialog").close();
  if (e.target.closest("[data-open-keys]")) at("#keys")?.showModal();
});
document.addEventListener("input", (e) => {
  if (e.target.id !== "find") return;
  const words = e.target.value.toLowerCase().split(/\s+/).filter(Boolean);
  all("[data-row]").forEach((r) => { r.hidden = !words.every((w) => (r.dataset.find || r.textContent).toLowerCase().includes(w)); });
});
document.addEventListener("submit", (e) => {
  const when = at('input[name="at_device"]', e.target);
  if (when) when.value = new Date().toISOString();
  if (new URL(e.target.action).pathname === "/sign-out") for (const k of Object.keys(localStorage)) if (k.startsWith("kept:")) localStorage.removeItem(k); // the worker forgets its pages
  if (e.submitter) e.submitter.classList.add("busy"); // until the answer comes: a file or a search may take a while
});
window.addEventListener("pageshow", () => all(".busy").forEach((b) => b.classList.remove("busy")));
document.addEventListener("keydown", (e) => {
  if (e.target.id === "find" && e.key === "Enter") { e.preventDefault(); const row = rows()[0]; if (row) { pick(row.dataset.at, true); openRow(row); } }
});
// What is typed in a long form survives a closed tab or a lost session, until it is saved. Where the
// form that was typed had other fields than this one, the server shows it again.
document.addEventListener("alpine:init", () => {
  Alpine.data("draft", () => ({
    key: "", kept: false,
    init() {
      this.key = `draft:${location.pathname}:${this.$el.dataset.version}`;
      this.kept = !!this.$el.dataset.resumed;
      const saved = JSON.parse(sessionStorage.getItem(this.key) || "null");
      if (this.$el.dataset.answered) sessionStorage.removeItem("draft-sent"); // it was not saved
      if (!saved || this.$el.dataset.answered) return;
      const fields = this.$el.elements, plain = (f) => f && !(f instanceof RadioNodeList) && f.type !== "hidden" && !f.hasAttribute("hx-post");
      const typed = Object.entries(saved).filter(([n, v]) => (fields[n] ? fields[n].value : "") !== v);
      if (typed.every(([n]) => n === "rows" || plain(fields[n]))) {
        for (const [name, value] of typed) if (name !== "rows") { fields[name].value = value; this.kept = true; }
      } else {
        const again = { ...saved, csrf: fields.csrf.value, version: fields.version.value, more: "fields", resumed: "1" };
        this.$nextTick(() => htmx.ajax("POST", location.pathname, { values: again, target: this.$el, select: "form[x-data=draft]", swap: "outerHTML" }));
      }
    },
    keep() { sessionStorage.setItem(this.key, JSON.stringify(Object.fromEntries([...new FormData(this.$el)].filter(([n, v]) => n !== "csrf" && typeof v === "string" && !(this.$el.elements[n]?.dataset && "once" in this.$el.elements[n].dataset))))); },
    sent(e) { if (e.submitter?.name !== "more") sessionStorage.setItem("draft-sent", JSON.stringify([this.key, location.pathname])); },
    forget() { sessionStorage.removeItem(this.key); location.assign(location.pathname + location.search); },
  }));
});
document.addEventListener("DOMContentLoaded", () => {
  // A draft is thrown away only once the server has answered with another page: then it was saved.
  const [sent, from] = JSON.parse(sessionStorage.getItem("draft-sent") || "[]");
  if (sent && from !== location.pathname) { sessionStorage.removeItem(sent); sessionStorage.removeItem("draft-sent"); }
  const key = new URLSearchParams(location.search).get("at");
  if (key) pick(key, false);
});
// A form that asks for other fields keeps what is being typed meanwhile, and where the hand is.
let meanwhile = null;
document.addEventListener("htmx:beforeSwap", (e) => {
  if (e.detail.target.id !== "asked" || !e.detail.target.isConnected) return; // a later answer stands already
  const here = document.activeElement, sent = e.detail.requestConfig.formData;
  const since = [...new FormData(e.detail.target.closest("form"))].filter(([name, value]) => value !== sent.get(name)); // typed after it was sent
  meanwhile = { typed: Object.fromEntries(since), from: e.detail.requestConfig.elt.id, id: here && here.id, marked: here && [here.selectionStart, here.selectionEnd] };
});
document.addEventListener("htmx:afterSwap", (e) => {
  const form = at("#asked")?.closest("form");
  if (!meanwhile || !form) return;
  let asks = null; // a choice that asks for other fields too: its own answer went to a form that is gone
  for (const [name, value] of Object.entries(meanwhile.typed)) {
    const field = form.elements[name];
    if (field && field.type !== "hidden" && field.value !== value && (field.tagName !== "SELECT" || [...field.options].some((o) => o.value === value))) { field.value = value; asks ||= field.hasAttribute?.("hx-post") && field; }
  }
  const echo = meanwhile.from && at(".echo", document.getElementById(meanwhile.from)?.parentNode || undefined);
  if (echo) echo.setAttribute("hx-trigger", `load, ${echo.getAttribute("hx-trigger")}`);
  const back = meanwhile.id && document.getElementById(meanwhile.id);
  if (back) { back.focus({ preventScroll: true }); try { back.setSelectionRange?.(...meanwhile.marked); } catch { /* a number or an e-mail has no caret */ } }
  meanwhile = null;
  if (asks) document.addEventListener("htmx:afterSettle", () => asks.dispatchEvent(new Event("change", { bubbles: true })), { once: true }); // by then it asks again
});

// Opening a job keeps its field pages on this device, for where there is no signal.
if ("serviceWorker" in navigator && document.body.dataset.keep) {
  navigator.serviceWorker.register("/sw.js").then(() => navigator.serviceWorker.ready).then((worker) => {
    const last = `kept:${document.body.dataset.keep}`;
    if (Date.now() - (+localStorage.getItem(last) || 0) < 120000) return;
    localStorage.setItem(last, Date.now());
    worker.active.postMessage({ keep: document.body.dataset.keep.split(" ") });
  }).catch(() => { /* no worker here: the page works as long as there is a signal */ });
}
