// A signature drawn by finger: strokes over a field of 600 by 200, as whole numbers in a hidden input.
(() => {
  for (const box of document.querySelectorAll("[data-pen]")) {
    const canvas = box.querySelector("canvas"), kept = box.querySelector("input"), draw = canvas.getContext("2d");
    if (!draw) continue;
    box.hidden = false;
    let strokes = kept.value ? kept.value.split(";").map((s) => s.split(" ").map((p) => p.split(",").map(Number))) : [], now = null;
    const show = () => {
      draw.clearRect(0, 0, 600, 200);
      draw.lineWidth = 4; draw.lineCap = draw.lineJoin = "round"; draw.strokeStyle = "#1e241f";
      for (const s of strokes) { draw.beginPath(); draw.moveTo(...s[0]); for (const p of s) draw.lineTo(...p); draw.stroke(); }
      kept.value = strokes.map((s) => s.map((p) => p.join(",")).join(" ")).join(";");
    };
    const at = (e) => {
      const r = canvas.getBoundingClientRect(), inside = (v, most) => Math.round(Math.min(most, Math.max(0, v)));
      return [inside((e.clientX - r.left) / r.width * 600, 600), inside((e.clientY - r.top) / r.height * 200, 200)];
    };
    canvas.addEventListener("pointerdown", (e) => { e.preventDefault(); canvas.setPointerCapture(e.pointerId); now = [at(e)]; strokes.push(now); show(); });
    canvas.addEventListener("pointermove", (e) => {
      if (!now) return;
      const p = at(e), last = now.at(-1);
      if (Math.abs(p[0] - last[0]) + Math.abs(p[1] - last[1]) >= 4 && kept.value.length < 7800) { now.push(p); show(); }
    });
    for (const end of ["pointerup", "pointercancel"]) canvas.addEventListener(end, () => { now = null; });
    box.querySelector("[data-clear]").addEventListener("click", () => { strokes = []; show(); });
    show();
  }
})();
