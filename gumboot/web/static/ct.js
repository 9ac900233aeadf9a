// The transformers' test where there may be no signal: a step goes by the field's own queue; what it says comes with the signal.
(() => {
  const form = document.getElementById("ct-form");
  if (!form) return;
  const told = document.getElementById("ct-told"), heart = document.getElementById("by-heart");
  const say = (text, how) => { told.replaceChildren(Object.assign(document.createElement("p"), { className: `told ${how} mt-2`, textContent: text })); };
  const steps = async () => (await Field.queued()).filter((r) => r.entry.kind === "ct");
  let waits = 0;
  const readings = () => [...form.elements].filter((f) => /^(before|again|after|anew)\d+$/.test(f.name));
  function fault(field, why) {
    const at = form.elements[field];
    if (!at) { say(why, "bad"); return; }
    let line = document.getElementById(`${field}-fault`);
    if (!line) { line = Object.assign(document.createElement("div"), { className: "fault", id: `${field}-fault` }); at.after(line); }
    line.textContent = why;
    at.setAttribute("aria-invalid", "true"); at.setAttribute("aria-describedby", line.id); at.focus();
  }
  function wrong() { // what no server need be asked for
    for (const line of form.querySelectorAll(".fault")) line.remove();
    for (const f of form.querySelectorAll("[aria-invalid]")) f.removeAttribute("aria-invalid");
    const number = /\d/;
    if (!number.test(form.elements.watts.value.trim())) return ["watts", "Type how much is switched, such as 1800 or 1.8 kW."];
    for (const f of readings()) {
      const text = f.value.trim();
      if ((/^(again|anew)/.test(f.name) && !text) || /^(-{1,3}|nothing|none)$/i.test(text) || number.test(text)) continue;
      return [f.name, "Type what it shows, such as 350, 0,35 kW or −1.2 kW; “-” for nothing."];
    }
    return null;
  }
  const empty = () => { for (const f of readings()) f.value = ""; for (const n of ["read_before", "read_after"]) form.elements[n].value = ""; form.dispatchEvent(new Event("input", { bubbles: true })); };
  form.addEventListener("submit", async (e) => {
    if (e.submitter?.formAction && e.submitter.hasAttribute("formaction")) {
      if (Field.state.line === "off") { e.preventDefault(); e.stopImmediatePropagation(); say("The meter is read over the network, and there is no signal: type what it shows.", "bad"); }
      return;
    }
    e.preventDefault(); e.stopImmediatePropagation();
    const first = wrong();
    if (first) { fault(...first); return; }
    const fields = Object.fromEntries([...new FormData(form)].filter(([n, v]) => typeof v === "string" && !["csrf", "at_device", "uuid", "house_drive"].includes(n)));
    const what = form.elements.drive.selectedOptions[0]?.textContent || "";
    const row = await Field.add({ kind: "ct", key: "ct", label: `CT step: ${what}`, act: "step", typed: form.elements.watts.value, fields });
    await Field.send();
    const left = (await steps()).find((r) => r.entry.uuid === row.entry.uuid);
    if (!left) { empty(); location.assign(`${location.pathname}?kept=${Date.now()}#found`); return; }
    if (left.refused) { await Field.drop(left); fault(left.field || "", left.refused); return; }
    empty(); waits++;
    say(`Kept on this device: ${what}, ${row.entry.typed}. What it says comes with the signal.`, "well");
    const next = [...(heart?.querySelectorAll("[data-drive]") || [])].find((b) => b.dataset.drive !== form.elements.drive.value && !b.dataset.made);
    heart?.querySelector(`[data-drive="${CSS.escape(form.elements.drive.value)}"]`)?.setAttribute("data-made", "yes");
    if (heart) heart.open = true;
    if (next) { form.elements.drive.value = next.dataset.drive; form.elements.watts.value = next.dataset.watts; }
  }, true);
  heart?.addEventListener("click", (e) => {
    const b = e.target.closest("[data-drive]");
    if (b) { form.elements.drive.value = b.dataset.drive; form.elements.watts.value = b.dataset.watts; form.elements.before0?.focus(); }
  });
  document.addEventListener("known", async () => {
    const now = (await steps()).filter((r) => !r.refused).length;
    if (waits && !now) location.assign(`${location.pathname}?kept=${Date.now()}#found`); // all that waited is there: read what it says
    waits = now;
  });
  (async () => {
    await Field.begin({ job: +form.dataset.job, person: +form.dataset.person, who: form.dataset.who }, { seq: +form.dataset.seq, states: {}, holes: {}, steps: {} });
    waits = (await steps()).filter((r) => !r.refused).length;
    if (waits) say(`${waits} step${waits > 1 ? "s" : ""} kept on this device; what ${waits > 1 ? "they say" : "it says"} comes with the signal.`, "well");
    if (Field.state.line === "off" && heart) heart.open = true;
    form.dataset.ready = "yes";
  })();
})();
