// The stamp pad: a tap is kept on the device at once, and sent when there is a connection, once, in order.
(function () {
  "use strict";
  const root = document.getElementById("pad");
  if (!root) return;
  const list = document.getElementById("pad-list"), says = document.getElementById("pad-says"), text = document.getElementById("pad-text");
  const name = document.getElementById("pad-by");
  const target = root.dataset.target;
  try { name.value = name.value || localStorage.getItem("pad-by") || ""; } catch (error) { /* not kept then */ }
  name.addEventListener("change", () => { try { localStorage.setItem("pad-by", name.value); } catch (error) { /* as above */ } });

  const opened = new Promise((done, failed) => {
    const asked = indexedDB.open("glad-pad", 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore("stamps", { keyPath: "n", autoIncrement: true });
    asked.onsuccess = () => done(asked.result);
    asked.onerror = () => failed(asked.error);
  });
  function store(mode, act) {
    return opened.then((db) => new Promise((done, failed) => {
      const turn = db.transaction("stamps", mode), wish = act(turn.objectStore("stamps"));
      turn.oncomplete = () => done(wish.result);
      turn.onerror = () => failed(turn.error);
    }));
  }
  const newKey = () => (crypto.randomUUID ? crypto.randomUUID() : Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16).padStart(2, "0")).join(""));

  function row(stamp) {
    const item = document.createElement("li");
    item.dataset.key = stamp.key;
    const at = new Date(stamp.at).toLocaleTimeString("en-GB");
    item.append(Object.assign(document.createElement("b"), { textContent: at }), " " + stamp.words + (stamp.text ? ", “" + stamp.text + "”" : "") + " ");
    item.append(Object.assign(document.createElement("span"), { className: "soft small", textContent: stamp.refused ? "not stored: " + stamp.refused : "kept on this device" }));
    list.prepend(item);
    document.getElementById("pad-none")?.remove();
  }
  function tell(key, words) {
    const mark = list.querySelector("[data-key='" + key + "'] span");
    if (mark) mark.textContent = words;
  }

  // By how much this device's clock goes before the server's: of all answers the quickest tells it best.
  let best = null;
  async function ahead() {
    const before = Date.now(), told = await (await fetch("/pad-clock")).json(), after = Date.now();
    const found = { seconds: ((before + after) / 2 - Date.parse(told.now)) / 1000, took: (after - before) / 1000 };
    const wasSet = best && Math.abs(found.seconds - best.seconds) > 2 + found.took;  // somebody set the clock meanwhile
    if (!best || wasSet || found.took < best.took) best = found;
    return best.seconds;
  }

  let sending = false;
  async function send() {
    if (sending) return;
    sending = true;
    try {
      const waiting = (await store("readonly", (s) => s.getAll())).filter((stamp) => !stamp.refused);
      const before = waiting.length ? await ahead() : 0;
      for (const stamp of waiting) {
        const body = JSON.stringify({ key: stamp.key, kind: stamp.kind, at: stamp.at, ahead_s: before, text: stamp.text, by_name: stamp.by_name });
        const answer = await fetch(stamp.target, { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: body });
        if (answer.status >= 500) { throw new Error("later"); }
        if (answer.ok) {
          tell(stamp.key, "stored");
          await store("readwrite", (s) => s.delete(stamp.n));
        } else {  // kept, so that what somebody saw is not lost
          const why = await answer.json().catch(() => ({ error: "refused" }));
          stamp.refused = why.error;
          tell(stamp.key, "not stored: " + stamp.refused);
          await store("readwrite", (s) => s.put(stamp));
        }
      }
      says.textContent = "";
    } catch (error) {
      const left = (await store("readonly", (s) => s.getAll())).filter((stamp) => !stamp.refused).length;
      says.textContent = left + (left === 1 ? " stamp is" : " stamps are") + " kept on this device; sent when the connection is back.";
    } finally { sending = false; }
  }

  root.addEventListener("click", async (event) => {
    const button = event.target.closest("[data-kind]");
    if (!button) return;
    const stamp = { key: newKey(), kind: button.dataset.kind, words: button.dataset.text ? "By its legend" : button.textContent.trim(), at: new Date().toISOString(), text: [button.dataset.text, text.value.trim()].filter(Boolean).join("; "), by_name: name.value.trim(), target: target };
    if ((stamp.kind === "note" || stamp.kind === "display_reads") && !stamp.text) { text.focus(); says.textContent = "Write first what it says, then tap."; return; }
    text.value = "";
    button.classList.add("tapped");
    setTimeout(() => button.classList.remove("tapped"), 600);
    await store("readwrite", (s) => s.add(stamp));
    row(stamp);
    send();
  });
  window.addEventListener("online", send);
  setInterval(send, 5000);
  store("readonly", (s) => s.getAll()).then((left) => { left.filter((s) => s.target === target).forEach(row); send(); });

  if ("serviceWorker" in navigator && window.isSecureContext) {
    navigator.serviceWorker.register("/pad-worker.js").then(() => { root.dataset.ready = "yes"; });
  } else {
    document.getElementById("pad-plain").hidden = false;
    root.dataset.ready = "plain";
  }
})();
