// The stamp pad: a tap is kept on the device at once (kept.js), and sent when there is a connection, once, in order.
(function () {
  "use strict";
  const root = document.getElementById("pad");
  if (!root) return;
  const list = document.getElementById("pad-list"), says = document.getElementById("pad-says"), text = document.getElementById("pad-text");
  const name = document.getElementById("pad-by");
  const target = root.dataset.target;
  try { name.value = name.value || localStorage.getItem("pad-by") || ""; } catch (error) { /* not kept then */ }
  name.addEventListener("change", () => { try { localStorage.setItem("pad-by", name.value); } catch (error) { /* as above */ } });

  const kept = window.gladKept;

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

  document.addEventListener("gw:kept", (event) => tell(event.detail.key, event.detail.words));
  document.addEventListener("gw:kept-left", (event) => {
    const left = event.detail.stamps;
    says.textContent = left ? left + (left === 1 ? " stamp is" : " stamps are") + " kept on this device; sent when the connection is back." : "";
  });

  root.addEventListener("click", async (event) => {
    const button = event.target.closest("[data-kind]");
    if (!button) return;
    const stamp = { key: kept.newKey(), kind: button.dataset.kind, words: button.dataset.text ? "By its legend" : button.textContent.trim(), at: new Date().toISOString(), text: [button.dataset.text, text.value.trim()].filter(Boolean).join("; "), by_name: name.value.trim(), target: target };
    if ((stamp.kind === "note" || stamp.kind === "display_reads") && !stamp.text) { text.focus(); says.textContent = "Write first what it says, then tap."; return; }
    text.value = "";
    button.classList.add("tapped");
    setTimeout(() => button.classList.remove("tapped"), 600);
    await kept.add(stamp);
    row(stamp);
    kept.send();
  });
  kept.all().then((left) => { left.filter((s) => s.target === target).forEach(row); });

  if (kept.secure) {
    kept.ready.then(() => { root.dataset.ready = "yes"; });
  } else {
    document.getElementById("pad-plain").hidden = false;
    root.dataset.ready = "plain";
  }
})();
