/* The grid of typed readings: keys, filled times, changed digits, paste, the growing curve, and keeping it all. */
"use strict";
document.addEventListener("DOMContentLoaded", () => {
  const $ = (id) => document.getElementById(id);
  const root = $("readings");
  if (!root) return;
  const opened = $("opened");
  // A record opened again is drafted apart: what somebody was typing meanwhile stays.
  const STORE = opened ? "glad-readings-" + opened.dataset.capture : "glad-readings";
  const pictures = new Map(); // time of a row to what it was read from
  let columns = [{ quantity: "power_kw", place: "post" }, { quantity: "soc_percent", place: "vehicle" }];
  const names = {};
  for (const o of $("add-quantity").options) names[o.value] = [o.textContent.replace(/ \(.*/, ""), o.dataset.unit];
  const head = $("grid").tHead.rows[0], body = $("grid").tBodies[0];

  const plain = (text) => text.trim().replace(",", ".").replace("−", "-");
  function seconds(text) {
    const m = plain(text).match(/^(?:(\d+):)?(\d{1,3}):(\d\d(?:\.\d+)?)$/);
    if (m) return (+(m[1] || 0)) * 3600 + (+m[2]) * 60 + (+m[3]);
    return plain(text) === "" || isNaN(plain(text)) ? null : +plain(text);
  }
  const value = (text) => (plain(text) === "" || isNaN(plain(text)) ? null : +plain(text));

  // “4.1” after “143.5” is 144.1: what was typed replaces the end of what stood above.
  function completed(before, typed) {
    const now = plain(typed);
    if (now.startsWith("=")) return now.slice(1);
    if (!$("tails").checked || !before || now === "" || isNaN(now) || now.startsWith("-")) return now;
    const [whole] = plain(before).split("."), [mine] = now.split(".");
    return mine.length < whole.length && /^\d+$/.test(whole) ? whole.slice(0, whole.length - mine.length) + now : now;
  }

  function above(cell) {
    const at = cell.closest("td").cellIndex;
    for (let row = cell.closest("tr").previousElementSibling; row; row = row.previousElementSibling) {
      const text = row.cells[at].firstElementChild.value;
      if (text.trim()) return text;
    }
    return "";
  }

  function addRow(time = "", cells = []) {
    const row = body.insertRow();
    for (let i = 0; i <= columns.length; i += 1) {
      const input = document.createElement("input");
      input.className = "form-control";
      input.inputMode = "decimal";
      input.autocomplete = "off";
      input.value = i === 0 ? time : cells[i - 1] || "";
      input.setAttribute("aria-label", i === 0 ? "Time" : names[columns[i - 1].quantity].join(" "));
      row.insertCell().append(input);
    }
    const mark = row.insertCell();
    mark.className = "soft small kept";
    return row;
  }

  function header() {
    head.replaceChildren();
    const th = (text) => { const c = document.createElement("th"); c.innerHTML = text; head.append(c); return c; };
    th("Time <span class='unit'>s or m:ss</span>");
    columns.forEach((c, i) => {
      const cell = th(`${names[c.quantity][0]} <span class='unit'>${names[c.quantity][1]}, ${c.place}</span> `);
      const drop = document.createElement("button");
      drop.type = "button";
      drop.className = "jump";
      drop.textContent = "remove";
      drop.addEventListener("click", () => { const rows = table(); columns.splice(i, 1); rebuild(rows.map(([t, ...v]) => { v.splice(i, 1); return [t, ...v]; })); });
      if (columns.length > 1) cell.append(drop);
    });
    th("Picture");
  }

  function table() {
    return Array.from(body.rows, (row) => Array.from(row.querySelectorAll("input"), (input) => input.value));
  }
  function rebuild(rows) {
    header();
    body.replaceChildren();
    for (const [time, ...cells] of rows) addRow(time, cells);
    if (!body.rows.length) addRow("0");
    changed();
  }

  function nextTime(row) {
    const now = seconds(row.cells[0].firstElementChild.value);
    const every = value($("every").value) || 30;
    if (now === null) return "";
    const next = now + every;
    return row.cells[0].firstElementChild.value.includes(":") ? `${Math.floor(next / 60)}:${String(Math.round(next % 60)).padStart(2, "0")}` : String(Math.round(next * 10) / 10);
  }

  function down(input) {
    const row = input.closest("tr"), at = input.closest("td").cellIndex;
    const below = row.nextElementSibling || addRow(nextTime(row));
    const target = below.cells[row.nextElementSibling && at ? at : Math.max(at, 1)] || below.cells[1];
    target.firstElementChild.focus();
    target.firstElementChild.select();
    below.scrollIntoView({ block: "nearest" });
  }

  body.addEventListener("keydown", (event) => {
    const input = event.target;
    if (input.tagName !== "INPUT") return;
    const row = input.closest("tr"), at = input.closest("td").cellIndex;
    if (event.key === "Enter" || event.key === "ArrowDown") { event.preventDefault(); finish(input); down(input); }
    else if (event.key === "ArrowUp" && row.previousElementSibling) { event.preventDefault(); finish(input); row.previousElementSibling.cells[at].firstElementChild.focus(); }
    else if (event.ctrlKey && event.key === "'") { event.preventDefault(); input.value = above(input); changed(); }
    else if (event.key === "Tab" && !event.shiftKey && at === columns.length && !row.nextElementSibling) { event.preventDefault(); finish(input); const fresh = addRow(nextTime(row)); fresh.cells[1].firstElementChild.focus(); }
  });
  // A cell that is only passed through keeps what it holds.
  body.addEventListener("focusin", (event) => { event.target.dataset.held = event.target.value; });
  function finish(input) {
    if (input.closest("td").cellIndex > 0 && input.value !== input.dataset.held) input.value = completed(above(input), input.value);
    changed();
  }
  body.addEventListener("focusout", (event) => { if (event.target.tagName === "INPUT") finish(event.target); });
  body.addEventListener("input", changed);

  body.addEventListener("paste", (event) => {
    const text = event.clipboardData.getData("text");
    if (!/[\t\n]/.test(text.trim())) return;
    event.preventDefault();
    const start = event.target.closest("td").cellIndex;
    let row = event.target.closest("tr");
    for (const line of text.replace(/\r/g, "").replace(/\n+$/, "").split("\n")) {
      if (!row) row = addRow(nextTime(body.rows[body.rows.length - 1]));
      line.split("\t").forEach((cell, i) => { const into = row.cells[start + i]; if (into && into.firstElementChild) into.firstElementChild.value = cell.trim(); });
      row = row.nextElementSibling;
    }
    changed();
  });

  function readings() {
    const rows = [];
    let wrong = 0;
    for (const cells of table()) {
      if (cells.every((text) => !text.trim()) || cells.slice(1).every((text) => !text.trim())) continue;
      const row = [seconds(cells[0]), ...cells.slice(1).map(value)];
      if (row[0] === null || cells.slice(1).some((text, i) => text.trim() && row[i + 1] === null)) wrong += 1;
      rows.push(row);
    }
    return { rows, wrong };
  }

  function kwOf(row) {
    const of = (key) => { const i = columns.findIndex((c) => c.quantity === key); return i < 0 ? null : row[i + 1]; };
    const kw = of("power_kw"), v = of("volts_v"), a = of("amps_a");
    return kw !== null ? kw : v !== null && a !== null ? v * a / 1000 : null;
  }

  function draw(rows) {
    const svg = $("growing");
    const soc = columns.findIndex((c) => c.quantity === "soc_percent");
    const kw = rows.map((r) => [r[0], kwOf(r)]).filter((p) => p[0] !== null && p[1] !== null);
    const pct = soc < 0 ? [] : rows.map((r) => [r[0], r[soc + 1]]).filter((p) => p[0] !== null && p[1] !== null);
    if (kw.length + pct.length < 2) { svg.replaceChildren(); return; }
    const end = Math.max(60, ...kw.map((p) => p[0]), ...pct.map((p) => p[0])), top = Math.max(1, ...kw.map((p) => p[1])) * 1.08;
    const x = (t) => 44 + 470 * t / end, y = (v, most) => 206 - 190 * v / most;
    const line = (points, most) => points.map((p, i) => `${i ? "L" : "M"}${x(p[0]).toFixed(1)} ${y(p[1], most).toFixed(1)}`).join("");
    const dots = (points, most, colour) => points.map((p) => `<circle cx="${x(p[0]).toFixed(1)}" cy="${y(p[1], most).toFixed(1)}" r="2.6" style="fill:var(--gw-${colour})"/>`).join("");
    svg.innerHTML = `<line class="rule" x1="44" x2="514" y1="206" y2="206"/><text class="tick" x="38" y="20">${top.toFixed(0)}</text><text class="tick" x="38" y="210">0</text><text class="lane-unit" x="0" y="34">kW</text><text class="tick mid" x="514" y="226">${(end / 60).toFixed(0)} min</text>` +
      (kw.length ? `<path d="${line(kw, top)}" fill="none" style="stroke:var(--gw-power)" stroke-width="2.2"/>${dots(kw, top, "power")}<text class="end" x="518" y="${y(kw[kw.length - 1][1], top) + 4}" style="fill:var(--gw-power)">kW</text>` : "") +
      (pct.length ? `<path d="${line(pct, 100)}" fill="none" style="stroke:var(--gw-plum)" stroke-width="2" stroke-dasharray="5 4"/><text class="end" x="518" y="${y(pct[pct.length - 1][1], 100) + 4}" style="fill:var(--gw-plum)">SoC %</text>` : "");
    let energy = 0;
    for (let i = 1; i < kw.length; i += 1) energy += (kw[i][1] + kw[i - 1][1]) / 2 * (kw[i][0] - kw[i - 1][0]) / 3600;
    $("so-far").textContent = `${rows.length} readings over ${(end / 60).toFixed(1)} min${kw.length > 1 ? `, ${energy.toFixed(2)} kWh so far` : ""}.`;
  }

  function changed() {
    const { rows, wrong } = readings();
    draw(rows);
    if (wrong) $("so-far").textContent += ` ${wrong} rows hold something that is no number.`;
    Array.from(body.rows).forEach((row) => {
      const kept = pictures.get(seconds(row.cells[0].firstElementChild.value));
      row.lastElementChild.textContent = kept ? "kept" : "";
    });
    localStorage.setItem(STORE, JSON.stringify({ columns, rows: table() }));
  }

  $("add-column").addEventListener("click", () => {
    columns.push({ quantity: $("add-quantity").value, place: $("add-place").value });
    rebuild(table());
  });
  $("clear").addEventListener("click", () => { if (confirm("Empty all readings typed here?")) { pictures.clear(); rebuild([["0"]]); } });

  document.querySelectorAll("[data-step]").forEach((button) => button.addEventListener("click", async () => {
    const by = button.dataset.step;
    button.disabled = true;
    if (by === "read") {
      const seen = await window.gladFilm.seen();
      if (seen) {
        pictures.set(seen.at, seen);
        let row = Array.from(body.rows).find((r) => seconds(r.cells[0].firstElementChild.value) === seen.at);
        row = row || Array.from(body.rows).find((r) => Array.from(r.querySelectorAll("input")).slice(1).every((i) => !i.value.trim()));
        row = row || addRow();
        row.cells[0].firstElementChild.value = String(seen.at);
        row.cells[1].firstElementChild.focus();
        changed();
      }
    } else {
      await window.gladFilm.step(by === "change" ? by : +by);
    }
    button.disabled = false;
  }));

  $("keep").addEventListener("submit", async (event) => {
    event.preventDefault();
    const { rows, wrong } = readings();
    const say = (text) => { $("kept-here").textContent = text; };
    if (wrong || rows.length < 2) { say(wrong ? "Correct the cells that are no numbers first." : "Two readings at least."); return; }
    rows.sort((a, b) => a[0] - b[0]);
    const form = new FormData(event.target);
    form.set("record", JSON.stringify({ columns, rows }));
    const kept = rows.map((r) => pictures.get(r[0])).filter(Boolean);
    form.set("moments", JSON.stringify(kept.map((k) => ({ at_s: k.at, film_s: k.film_s, name: k.name }))));
    for (const k of kept) form.append("pictures", k.jpeg, "frame.jpg");
    const answer = await fetch("/readings", { method: "POST", body: form, headers: { accept: "application/json" } });
    if (answer.ok) { localStorage.removeItem(STORE); location.href = answer.headers.get("HX-Redirect"); return; }
    const told = await answer.json().catch(() => null);
    say(told ? [told.error, told.next].filter(Boolean).join(" ") : "The readings could not be stored; they are still here.");
  });

  const before = JSON.parse(localStorage.getItem(STORE) || (opened ? opened.textContent : "null"));
  if (before && before.columns.every((c) => names[c.quantity])) { columns = before.columns; rebuild(before.rows); } else rebuild([["0"]]);
});
