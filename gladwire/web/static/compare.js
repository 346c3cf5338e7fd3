// Two captures over each other on a clock whose nought is the event both show.
(function () {
  "use strict";
  const host = document.getElementById("over");
  const source = document.getElementById("over-data");
  if (!host || !source) return;
  const data = JSON.parse(source.textContent);
  const readout = document.getElementById("readout");
  const whole = [data.start, data.end];
  let range = whole.slice();
  let plots = [];
  let pending = 0;
  let running = null;
  function ink(name) { return getComputedStyle(document.documentElement).getPropertyValue("--gw-" + name).trim(); }
  function number(value, digits) { return value.toFixed(digits).replace("-", "−"); }

  function sides(colour, dash) {
    return [0.8, 1.6, 1.6, 0.8].map(function (width) { return { stroke: colour, alpha: width < 1 ? 0.35 : 1, width: width, dash: dash, spanGaps: true, points: { show: false } }; });
  }

  function build() {
    plots.forEach(function (one) { one.u.destroy(); });
    host.replaceChildren();
    plots = data.plots.map(function (told, index) {
      const name = document.createElement("div"), place = document.createElement("div");
      name.className = "lane-name";
      name.innerHTML = "<span class='name'></span>";
      name.firstChild.style.borderColor = ink("ink-soft");
      name.firstChild.textContent = told.words + ", " + told.unit;
      place.style.height = (told.pilot ? 280 : 130) + (index ? 0 : 34) + "px";
      host.append(name, place);
      const first = ink("volts"), second = ink("copper");
      const text = { stroke: ink("ink-soft"), font: "14px 'Fira Sans', sans-serif", grid: { show: false }, ticks: { stroke: ink("line"), width: 1 } };
      const u = new uPlot({
        width: place.clientWidth, height: place.clientHeight, legend: { show: false }, padding: [8, 26, 4, 0],
        cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false, sync: { key: "over" } },
        scales: { x: { time: false, auto: false, min: range[0], max: range[1] }, y: { range: function (w, low, high) { if (low == null) return [0, 1]; const edge = Math.max(0.08 * (high - low), 0.05); return [low - edge, high + edge]; } } },
        axes: [Object.assign({}, text, index ? { show: false } : { space: 96, size: 34, values: function (w, splits) { return splits.map(function (s) { return number(s, 3).replace(/\.?0+$/, "") + " s"; }); } }), Object.assign({ size: 64, space: 30 }, text)],
        // Extremes thin, the means of either side between them full: noise is compared as noise.
        series: [{}].concat(sides(first, []), sides(second, [7, 4])),
        hooks: { setSelect: [function (w) { if (w.select.width < 5) return; const a = w.posToVal(w.select.left, "x"), b = w.posToVal(w.select.left + w.select.width, "x"); w.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false); show(a, b); }],
          setCursor: [tell] },
      }, [[range[0], range[1]]].concat(Array(8).fill([null, null])), place);
      u.over.addEventListener("dblclick", function () { show(whole[0], whole[1]); });
      return { u: u, told: told, place: place };
    });
    fetchAll();
  }

  function near(u, series, s) {
    const xs = u.data[0];
    let best = null, far = Infinity;
    for (let i = 0; i < xs.length; i += 1) {
      const v = u.data[series][i], d = Math.abs(xs[i] - s);
      if (v != null && d < far) { far = d; best = v; }
    }
    return far < (range[1] - range[0]) / 40 ? best : null;
  }
  function tell(u) {
    if (u.cursor.left == null || u.cursor.left < 0) return;
    const s = u.posToVal(u.cursor.left, "x");
    const parts = ["at " + number(s, 4) + " s"];
    plots.forEach(function (one) {
      const values = [3, 7].map(function (series) { const v = near(one.u, series, s); return v == null ? "no sample" : number(v, 2) + " " + one.told.unit; });
      parts.push(one.told.words + ": " + values[0] + " / " + values[1]);
    });
    readout.textContent = parts.join("   ");
  }

  function fetchAll() {
    if (running) running.abort();
    running = new AbortController();
    const mine = running;
    plots.forEach(function (one) {
      const columns = Math.max(200, Math.min(2000, Math.round(one.u.bbox.width / (window.devicePixelRatio || 1)) || 1000));
      Promise.all(one.told.sides.map(function (side) {
        return fetch("/captures/" + side.capture + "/envelope?from=" + (range[0] + side.zero) + "&to=" + (range[1] + side.zero) + "&columns=" + columns + "&channel=" + side.channel, { signal: mine.signal })
          .then(function (answer) { return answer.json().then(function (body) { if (!answer.ok) throw new Error(body.error); return body; }); })
          .then(function (seen) { return [seen.at.map(function (s) { return s - side.zero; }), seen.low, seen.lower, seen.upper, seen.high]; });
      })).then(function (tables) {
        if (mine !== running) return;
        one.u.batch(function () {
          one.u.setData(uPlot.join(tables), true);
          one.u.setScale("x", { min: range[0], max: range[1] });
        });
        one.place.dataset.ready = tables[0][0].length + " " + tables[1][0].length;
      }).catch(function (error) { if (error.name !== "AbortError") readout.textContent = "The samples could not be fetched: " + error.message; });
    });
  }

  function show(from, to) {
    const width = Math.min(Math.max(to - from, 2e-5), whole[1] - whole[0]);
    const begin = Math.min(Math.max((from + to) / 2 - width / 2, whole[0]), whole[1] - width);
    range = [begin, begin + width];
    plots.forEach(function (one) { one.u.setScale("x", { min: range[0], max: range[1] }); });
    clearTimeout(pending);
    pending = setTimeout(fetchAll, 70);
  }
  function zoom(by) { const middle = (range[0] + range[1]) / 2, half = (range[1] - range[0]) * by / 2; show(middle - half, middle + half); }
  function pan(share) { const by = share * (range[1] - range[0]); show(range[0] + by, range[1] + by); }
  const doing = { in: function () { zoom(0.5); }, out: function () { zoom(2); }, all: function () { show(whole[0], whole[1]); }, edge: function () { show(-0.0006, 0.0014); } };
  document.querySelectorAll("[data-over]").forEach(function (button) { button.addEventListener("click", doing[button.dataset.over]); });
  host.addEventListener("keydown", function (event) {
    const act = { ArrowLeft: function () { pan(-0.2); }, ArrowRight: function () { pan(0.2); }, "+": doing.in, "=": doing.in, "-": doing.out, "0": doing.all }[event.key];
    if (act && !event.ctrlKey && !event.metaKey) { event.preventDefault(); act(); }
  });
  document.addEventListener("gw:theme", build);
  let width = host.clientWidth;
  new ResizeObserver(function () {
    if (width === host.clientWidth) return;
    width = host.clientWidth;
    plots.forEach(function (one) { one.u.setSize({ width: one.place.clientWidth, height: one.place.clientHeight }); });
    fetchAll();
  }).observe(host);
  document.fonts.ready.then(build);
})();
