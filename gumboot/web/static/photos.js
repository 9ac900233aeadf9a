// The photographs a job wants: each taken in its place, kept on this device until it is sent.
(() => {
  const list = document.getElementById("slots");
  if (!list || typeof Field === "undefined") return;
  const said = JSON.parse(document.getElementById("slots-said").textContent);
  const show = async () => {
    const waiting = (await Field.queued()).filter((r) => r.entry.kind === "picture");
    for (const slot of list.querySelectorAll("[data-slot]")) {
      const own = waiting.filter((r) => r.entry.key === slot.dataset.slot).at(-1), words = slot.querySelector("[data-state]");
      if (own?.refused) { words.textContent = `refused: ${own.refused}`; words.className = "bad small"; }
      else if (own) { words.textContent = "taken, waiting to be sent"; words.className = "small"; slot.dataset.done = "yes"; }
      else if (Field.known.pictures?.includes(slot.dataset.slot)) { words.textContent = "✓ taken"; slot.dataset.done = "yes"; }
    }
    document.querySelector("[data-done]").textContent = list.querySelectorAll('[data-slot][data-done="yes"]').length;
  };
  list.addEventListener("change", async (e) => {
    const input = e.target, slot = input.closest("[data-slot]"), file = input.files?.[0];
    if (!file) return;
    (Field.known.pictures ??= []).push(slot.dataset.slot);
    await Field.add({ kind: "picture", key: slot.dataset.slot, label: slot.dataset.says, act: "done", typed: "", note: "", seen: Field.known.seq }, file);
    const shown = slot.querySelector("img") || slot.querySelector("[data-shown]").appendChild(new Image());
    shown.alt = slot.dataset.says; shown.src = await small(file);
    input.value = "";
    show();
  });
  async function small(file) { // drawn small, since pictures of a page come from here or from itself
    const picture = await createImageBitmap(file), canvas = document.createElement("canvas"), k = 160 / Math.max(picture.width, picture.height);
    canvas.width = Math.round(picture.width * k); canvas.height = Math.round(picture.height * k);
    canvas.getContext("2d").drawImage(picture, 0, 0, canvas.width, canvas.height);
    return canvas.toDataURL("image/jpeg", .7);
  }
  document.addEventListener("field", show);
  document.addEventListener("known", show);
  (async () => { await Field.begin({ job: +list.dataset.job, person: +list.dataset.person, who: list.dataset.who }, said.said); show(); list.dataset.ready = "yes"; })();
})();
