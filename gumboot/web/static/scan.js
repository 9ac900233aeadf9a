// Serial numbers by camera: the browser's own detector where there is one, else the decoder that ships.
(() => {
  const dialog = document.getElementById("scanner");
  if (!dialog) return;
  const version = document.currentScript.dataset.version, video = dialog.querySelector("video"), says = dialog.querySelector("[data-says]"), canvas = document.createElement("canvas"), pen = canvas.getContext("2d", { willReadFrequently: true });
  let key = "", stream = null, read = null, last = "";
  for (const b of document.querySelectorAll("[data-scan]")) { b.hidden = false; b.addEventListener("click", () => open(b.dataset.scan)); }
  const tell = (text) => { says.textContent = text; says.hidden = !text; };
  async function reader() { // (canvas) => what its codes say
    if (read) return read;
    if ("BarcodeDetector" in window) {
      const own = new BarcodeDetector();
      return read = async () => (await own.detect(canvas)).map((x) => x.rawValue);
    }
    if (!window.ZXing) await new Promise((yes, no) => { const s = document.createElement("script"); s.src = `/static/zxing.min.js?v=${version}`; s.onload = yes; s.onerror = () => no(new Error("the decoder could not be loaded: type the number")); document.head.append(s); });
    const Z = window.ZXing, hints = new Map([[Z.DecodeHintType.TRY_HARDER, true]]), own = new Z.MultiFormatReader();
    own.setHints(hints);
    return read = async () => {
      const light = new Z.HTMLCanvasElementLuminanceSource(canvas);
      for (const source of [light, light.invert?.()].filter(Boolean)) try { return [own.decode(new Z.BinaryBitmap(new Z.HybridBinarizer(source))).getText()]; } catch { /* none in this picture */ }
      return [];
    };
  }
  function draw(what, w, h) { const k = Math.min(1, 1280 / Math.max(w, h)); canvas.width = Math.round(w * k); canvas.height = Math.round(h * k); pen.drawImage(what, 0, 0, canvas.width, canvas.height); }
  async function take(text) { // the server says whether it is a serial; without a signal it stands as read
    if (text === last) return false;
    last = text;
    let serial = text;
    try {
      const answer = await fetch(`/jobs/${dialog.dataset.job}/serial.json?text=${encodeURIComponent(text.slice(0, 400))}`, { credentials: "same-origin", headers: { accept: "application/json" } });
      const said = await answer.json();
      if (!answer.ok) { tell(said.message); return false; }
      serial = said.serial;
    } catch { /* judged when it is kept */ }
    document.getElementById(`serial-${key}`).value = serial;
    const source = document.querySelector(`[name="source-${key}"]`);
    if (source) source.value = "camera";
    dialog.close();
    return true;
  }
  async function look() {
    if (!dialog.open || !stream) return;
    if (video.videoWidth) { draw(video, video.videoWidth, video.videoHeight); for (const text of await (await reader())()) if (await take(text)) return; }
    setTimeout(look, 200);
  }
  async function open(which) {
    key = which; last = ""; tell("");
    dialog.showModal();
    try { stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: "environment", width: { ideal: 1280 } } }); video.hidden = false; video.srcObject = stream; await video.play(); look(); }
    catch { video.hidden = true; tell("No camera here, or it may not be used: take a photograph of the code, or type the number."); }
  }
  dialog.addEventListener("close", () => { for (const t of stream?.getTracks() || []) t.stop(); stream = null; document.getElementById(`serial-${key}`)?.focus(); });
  dialog.querySelector("[data-close]").addEventListener("click", () => dialog.close());
  dialog.querySelector("input[type=file]").addEventListener("change", async (e) => {
    const file = e.target.files[0];
    e.target.value = "";
    if (!file) return;
    last = "";
    try {
      const picture = await createImageBitmap(file);
      draw(picture, picture.width, picture.height);
      const found = await (await reader())();
      if (!found.length) { tell("No code could be read on this photograph: nearer, straight, and without glare."); return; }
      for (const text of found) if (await take(text)) return;
    } catch (why) { tell(why.message || "This photograph could not be read."); }
  });
})();
