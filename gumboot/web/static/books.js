// The books of a signed job are made while its page is read, one after the other, so that nobody
// waits for them. Nothing is fetched but that they are there.
const pause = (ms) => new Promise((done) => setTimeout(done, ms));

async function ahead(address) {
  for (let tries = 0; tries < 60; tries++) {
    const answer = await fetch(address, { headers: { accept: "application/json" } });
    answer.body?.cancel();
    if (answer.status !== 202) return;
    address = answer.headers.get("location");
    await pause(1500);
  }
}

(async () => {
  for (const link of document.querySelectorAll("a[data-ahead]")) await ahead(link.href);
})().catch(() => {}); // no signal: they are made when asked for
