/* The cursor of power drawings, and the way from a limiter to its reasons. */
"use strict";
document.addEventListener("DOMContentLoaded", () => {
  const units = { volts_v: ["V", 1], amps_a: ["A", 1], soc_percent: ["%", 0], energy_kwh: ["kWh", 2], asked_a: ["A asked", 0],
    asked_v: ["V asked", 0], post_max_a: ["A allowed", 0], post_max_kw: ["kW allowed", 0], pack_c: ["°C pack", 0],
    connector_c: ["°C connector", 0], ambient_c: ["°C outside", 0] };
  const clock = (s) => s < 180 ? `${s.toFixed(0)} s` : `${Math.floor(s / 60)} min ${String(Math.round(s % 60)).padStart(2, "0")} s`;
  for (const svg of document.querySelectorAll("svg[data-power]")) {
    const id = svg.dataset.power;
    const d = JSON.parse(document.getElementById(`${id}-values`).textContent);
    const out = document.querySelector(`[data-readout="${id}"]`);
    const cursor = svg.querySelector(".cursor");
    let at = 0;
    const show = (i) => {
      at = Math.max(0, Math.min(d.t.length - 1, i));
      cursor.setAttribute("x1", d.x[at]);
      cursor.setAttribute("x2", d.x[at]);
      const parts = [`<b>${clock(d.t[at])}</b>`];
      if (d.kw[at] !== null) parts.push(`<b>${d.kw[at].toFixed(1)}</b> kW`);
      if (d.expected[at] !== null) parts.push(`expected ${d.expected[at].toFixed(1)} kW`);
      for (const [key, [unit, digits]] of Object.entries(units)) {
        const v = d.others[key] && d.others[key][at];
        if (v !== null && v !== undefined) parts.push(`${v.toFixed(digits)} ${unit}`);
      }
      const entry = d.entries.find((e) => d.t[at] >= e[0] && d.t[at] <= e[1]);
      if (entry) parts.push(entry[2]);
      out.innerHTML = parts.join(" · ");
    };
    svg.addEventListener("pointermove", (event) => {
      const box = svg.getBoundingClientRect();
      const x = (event.clientX - box.left) / box.width * svg.viewBox.baseVal.width;
      let best = 0;
      for (let i = 1; i < d.x.length; i += 1) if (Math.abs(d.x[i] - x) < Math.abs(d.x[best] - x)) best = i;
      show(best);
    });
    svg.addEventListener("keydown", (event) => {
      const step = { ArrowLeft: -1, ArrowRight: 1, PageUp: -20, PageDown: 20, Home: -1e9, End: 1e9 }[event.key];
      if (!step) return;
      event.preventDefault();
      show(at + step);
    });
    for (const link of svg.querySelectorAll("[data-why]")) {
      link.addEventListener("click", (event) => {
        event.preventDefault();
        const row = document.getElementById(link.dataset.why);
        const why = row && row.querySelector("details");
        if (!why) return;
        why.open = true;
        why.querySelector("summary").focus();
        row.scrollIntoView({ block: "center" });
      });
    }
  }
});
