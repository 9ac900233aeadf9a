// Rehearsing: each act is asked of the server, which knows what the network makes of it.
(() => {
  const here = document.getElementById("rehearse");
  if (!here) return;
  const start = JSON.parse(document.getElementById("row-state").textContent), told = document.getElementById("told"), form = document.getElementById("rehearsed");
  const esc = (s) => String(s ?? "").replace(/[&<>"]/g, (c) => ({ "&": "&amp;", "<": "&lt;", ">": "&gt;", '"': "&quot;" })[c]);
  const kept = `rehearse:${here.dataset.job}:${here.dataset.scenario}:${start.state}:${here.dataset.end}`; // a run left half way goes on
  let now = start, acts = [], slips = 0, asked = null, busy = false;
  try { const was = JSON.parse(sessionStorage[kept] || "null"); if (was) { ({ now, acts, slips } = was); SwitchRow.show(now); } } catch { /* begun anew */ }
  function count() {
    try { sessionStorage[kept] = JSON.stringify({ now, acts, slips }); } catch { /* for this page alone */ }
    here.querySelector("[data-count]").textContent = `${acts.length} act${acts.length === 1 ? "" : "s"}, ${slips || "no"} slip${slips === 1 ? "" : "s"}`;
    form.elements.acts.value = JSON.stringify(acts);
    form.hidden = now.state !== +here.dataset.end;
  }
  const line = (html, how) => { told.innerHTML = `<div class="told ${how}">${html}</div>`; };
  function moved(answer, key, read) {
    acts.push(read ? [key, true] : key);
    now = answer.state; SwitchRow.show(now);
    line(`<b>${esc(answer.says)}.</b>${answer.heard.length ? ` ${answer.heard.map(esc).join("; ")}.` : ""}`, "well");
    asked = null; count();
  }
  function slipped(answer, key, rows) {
    acts.push(key); slips++; asked = null;
    line(`<b>${esc(answer.says)}.</b> ${rows.map((h) => `<b>${esc(h.name[0].toUpperCase() + h.name.slice(1))}.</b> ${esc(h.does)} <span class="small">${esc(h.rule || "")}</span>`).join(" ")} <b>Taken back: try again.</b>`, "bad");
    count();
  }
  async function act(key) {
    if (busy) return;
    busy = true;
    try {
      const reply = await fetch(`/jobs/${here.dataset.job}/wake/try.json?state=${now.state}&lever=${encodeURIComponent(key)}&grid=${here.dataset.grid}&scenario=${here.dataset.scenario}`, { credentials: "same-origin", headers: { accept: "application/json" } });
      const answer = await reply.json();
      if (!reply.ok) { line(esc(answer.message || "This could not be asked: reload the page."), "bad"); return; }
      if (answer.interlock) line(`<b>${esc(answer.says)}:</b> the interlock holds it.`, "well");
      else if (answer.hazards.length) slipped(answer, key, answer.hazards);
      else if (answer.asks.length) {
        asked = { answer, key };
        line(`<b>${esc(answer.says)}:</b> ${answer.asks.map((h) => `${esc(h.name)}. ${esc(h.does)}`).join(" ")} <span class="flex flex-wrap gap-2 mt-2"><button type="button" data-read>It was read or prepared first</button><button type="button" data-anyway>Move it all the same</button></span>`, "bad");
      } else moved(answer, key, false);
    } catch { line("No answer: rehearsing wants a signal.", "bad"); } finally { busy = false; }
  }
  here.addEventListener("click", (e) => {
    const lever = e.target.closest("[data-lever]"), b = e.target.closest("[data-read], [data-anyway], [data-again]");
    if (lever) act(lever.dataset.lever);
    else if (!b) return;
    else if ("again" in b.dataset) { now = start; acts = []; slips = 0; asked = null; told.innerHTML = ""; SwitchRow.show(now); count(); }
    else if (asked && "read" in b.dataset && asked.answer.reads) { line(`<b>It reads ${esc(asked.answer.reads)}.</b> Leave it as it is, and go on without it.`, "bad"); asked = null; }
    else if (asked && "read" in b.dataset) moved(asked.answer, asked.key, true);
    else if (asked) slipped(asked.answer, asked.key, asked.answer.asks);
  });
  form.addEventListener("submit", () => { try { delete sessionStorage[kept]; } catch { /* nothing was kept */ } });
  count();
  here.dataset.ready = "yes";
})();
