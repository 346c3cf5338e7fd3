// What is typed or tapped without a connection: kept on this device, and sent when there is one, once, in order.
(function () {
  "use strict";
  const says = document.getElementById("kept"), forms = document.querySelectorAll("form[data-kept]");
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
  const all = () => store("readonly", (s) => s.getAll());

  // By how much this device's clock goes before the server's: of all answers the quickest tells it best.
  let best = null;
  async function ahead() {
    const before = Date.now(), told = await (await fetch("/pad-clock")).json(), after = Date.now();
    const found = { seconds: ((before + after) / 2 - Date.parse(told.now)) / 1000, took: (after - before) / 1000 };
    const wasSet = best && Math.abs(found.seconds - best.seconds) > 2 + found.took;  // somebody set the clock meanwhile
    if (!best || wasSet || found.took < best.took) best = found;
    return best.seconds;
  }
  // A form is the same request it would have been, with its key and how long ago it was typed by this device's own clock.
  function request(item, before) {
    if (!item.form) {
      const body = { key: item.key, kind: item.kind, at: item.at, ahead_s: before, text: item.text, by_name: item.by_name };
      return fetch(item.target, { method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(body) });
    }
    const files = item.fields.some((field) => field[1] instanceof Blob), fields = files ? new FormData() : new URLSearchParams();
    item.fields.forEach(([name, value]) => { if (value instanceof File) { fields.append(name, value, value.name); } else { fields.append(name, value); } });
    fields.set("sent_key", item.key);
    fields.set("ago_s", Math.max(0, (Date.now() - Date.parse(item.at)) / 1000).toFixed(3));
    return fetch(item.form, { method: "POST", headers: { Accept: "application/json" }, body: fields });
  }
  const tell = (key, words) => document.dispatchEvent(new CustomEvent("gw:kept", { detail: { key: key, words: words } }));
  async function left(lost) {
    const items = await all(), open = items.filter((item) => !item.refused), typed = open.filter((item) => item.form);
    document.dispatchEvent(new CustomEvent("gw:kept-left", { detail: { stamps: lost ? open.length - typed.length : 0 } }));
    const wrong = items.filter((item) => item.refused && item.form), told = [];
    if (lost && forms.length) { told.push("No connection: this page is as it was when it was loaded. What you enter is kept on this device."); }
    if (typed.length) { told.push((typed.length === 1 ? "1 entry is" : typed.length + " entries are") + " kept on this device; sent when the connection is back."); }
    wrong.forEach((item) => told.push("Not stored: " + item.words + ". " + item.refused));
    says.replaceChildren(...told.map((words) => Object.assign(document.createElement("p"), { className: "mb-1", textContent: words })));
    if (wrong.length) {
      const button = Object.assign(document.createElement("button"), { type: "button", className: "btn btn-quiet btn-sm", textContent: "I have noted that" });
      button.addEventListener("click", async () => { for (const item of wrong) { await store("readwrite", (s) => s.delete(item.n)); } left(lost); });
      says.append(button);
    }
    says.hidden = !told.length;
  }

  let sending = false;
  async function send() {
    if (sending) return;
    sending = true;
    let typed = 0;
    try {
      const waiting = (await all()).filter((item) => !item.refused);
      if (!waiting.length) return;
      const before = await ahead();
      for (const item of waiting) {
        const answer = await request(item, before);
        if (answer.status >= 500) { throw new Error("later"); }
        if (answer.ok) {
          tell(item.key, "stored");
          typed += item.form ? 1 : 0;
          await store("readwrite", (s) => s.delete(item.n));
        } else {  // kept, so that what somebody saw is not lost
          const why = await answer.json().catch(() => ({ error: "refused" }));
          item.refused = why.error;
          tell(item.key, "not stored: " + item.refused);
          await store("readwrite", (s) => s.put(item));
        }
      }
      await left(false);
      if (typed && forms.length) { location.reload(); }  // the page as it is now
    } catch (error) {
      await left(true).catch(() => {});  // a browser that keeps nothing has nothing to send
    } finally { sending = false; }
  }

  // Asked before a form is sent, for a browser's own word about its connection says little.
  async function reached() {
    try {
      await fetch("/pad-clock", { signal: AbortSignal.timeout(4000) });
      return true;
    } catch (error) { return false; }
  }
  // Of a form that is sent without leaving the page, the listener comes before the one that sends it.
  forms.forEach((form) => form.addEventListener("submit", async (event) => {
    if (form.dataset.goes) return;
    event.preventDefault();
    event.stopImmediatePropagation();
    if (form.dataset.asks) return;  // tapped twice
    form.dataset.asks = "yes";
    const by = event.submitter, fields = [...new FormData(form, by).entries()];
    let why = "";
    try {
      const waiting = (await all()).some((item) => !item.refused);  // what was typed first is sent first
      if (!waiting && await reached()) { throw new Error("goes as it is"); }
      why = "no room";
      await store("readwrite", (s) => s.add({ key: newKey(), form: form.action, fields: fields, at: new Date().toISOString(), words: form.dataset.kept }));
      why = "kept";
    } catch (error) {  // there is a connection, or nothing can be kept here
      if (why !== "no room" || !fields.some((field) => field[1] instanceof Blob)) {
        form.dataset.goes = "yes";
        if (form.hasAttribute("hx-post")) { htmx.trigger(form, "submit"); delete form.dataset.goes; } else { form.requestSubmit(by); }
        return;
      }
    } finally { delete form.dataset.asks; }
    const said = document.createElement("p");
    said.className = "basis mb-0";
    said.textContent = form.dataset.kept + (why === "kept" ? ": kept on this device." : ": not kept, this device has no room for it. Drop it again when there is a connection.");
    form.after(said);
    form.reset();
    form.dispatchEvent(new Event("gw:kept-here"));
    await left(true);
    send();
  }, { capture: true }));
  window.addEventListener("pageshow", () => forms.forEach((form) => { delete form.dataset.goes; }));
  window.addEventListener("online", send);
  setInterval(send, 5000);
  const secure = "serviceWorker" in navigator && window.isSecureContext;
  const wanted = secure && (forms.length || document.getElementById("pad"));
  window.gladKept = { add: (item) => store("readwrite", (s) => s.add(item)), all: all, send: send, newKey: newKey, secure: secure,
    ready: wanted ? navigator.serviceWorker.register("/pad-worker.js") : Promise.resolve() };
  if (forms.length) { reached().then((there) => { if (!there) { left(true); } }); }
  send();
})();
