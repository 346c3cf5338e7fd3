// The pilot lane: decimated volts from the server, zoom, cursor, state ribbon, and single cycles at deep zoom.
(function () {
  "use strict";
  const host = document.getElementById("lane");
  const source = document.getElementById("lane-data");
  if (!host || !source) return;
  const data = JSON.parse(source.textContent);
  const ribbon = document.getElementById("ribbon");
  const readout = document.getElementById("readout");
  const whole = [data.start, data.end];
  const narrowest = Math.max(8 * data.interval, 2e-7);
  // Room below -12 V for the duty marks of single cycles.
  const LOWEST = -17.5;
  let range = whole.slice();
  let chosen = -1;
  let cycles = [];
  let plot = null;
  let running = null;
  let pending = 0;

  function ink(name) { return getComputedStyle(document.documentElement).getPropertyValue("--gw-" + name).trim(); }
  function number(value, digits) { return (value + 0).toFixed(digits).replace("-", "−"); }
  function digitsFor(step) { return Math.min(9, Math.max(0, Math.ceil(-Math.log10(step)))); }

  // Volts: only the levels that mean something are named, with the accept band behind each.
  const levels = data.states.map(function (state) { return state.nominal; });
  const names = new Map(data.states.map(function (state) { return [state.nominal, state.letter]; }));

  function drawBands(u) {
    const c = u.ctx;
    c.save();
    c.fillStyle = ink("band");
    c.globalAlpha = 0.55;
    data.states.forEach(function (state) {
      const top = u.valToPos(state.accept[1], "y", true), bottom = u.valToPos(state.accept[0], "y", true);
      c.fillRect(u.bbox.left, top, u.bbox.width, bottom - top);
    });
    c.restore();
  }

  function drawCycles(u) {
    if (!cycles.length) return;
    const c = u.ctx, dpr = window.devicePixelRatio || 1;
    const x = function (s) { return u.valToPos(s, "x", true); }, y = function (v) { return u.valToPos(v, "y", true); };
    c.save();
    c.beginPath();
    c.rect(u.bbox.left, u.bbox.top, u.bbox.width, u.bbox.height);
    c.clip();
    c.font = "600 " + 13 * dpr + "px 'Fira Sans', sans-serif";
    c.textAlign = "center";
    const base = y(-13.7);
    cycles.forEach(function (cycle) {
      const rise = x(cycle.rise_s), fall = x(cycle.fall_s), next = x(cycle.next_rise_s);
      const wide = (next - rise) / dpr;
      if (wide < 26) return;
      c.strokeStyle = ink("copper");
      c.lineWidth = 2 * dpr;
      c.beginPath();
      c.moveTo(rise, y(cycle.high_v)); c.lineTo(fall, y(cycle.high_v));
      c.moveTo(fall, y(cycle.low_v)); c.lineTo(next, y(cycle.low_v));
      c.moveTo(rise, base - 5 * dpr); c.lineTo(rise, base + 5 * dpr);
      c.moveTo(rise, base); c.lineTo(fall, base);
      c.moveTo(fall, base - 5 * dpr); c.lineTo(fall, base + 5 * dpr);
      c.stroke();
      c.fillStyle = ink("copper-text");
      c.textAlign = "left";
      if (wide > 130) {
        const duty = number(cycle.duty_percent, 2) + " %" + (wide > 240 ? " ± " + number(cycle.duty_doubt_percent, 2) : "");
        c.fillText(duty, rise, base + 19 * dpr);
        c.fillText(number(cycle.high_v, 2) + " V", fall + 8 * dpr, y(cycle.high_v) + 5 * dpr);
        c.textAlign = "center";
        c.fillText(number(cycle.low_v, 2) + " V", (fall + next) / 2, y(cycle.low_v) - 8 * dpr);
      } else if (wide > 52) {
        c.fillText(number(cycle.duty_percent, 1) + " %", rise, base + 19 * dpr);
      }
    });
    c.restore();
  }

  // The lanes below: proximity and lock on the same clock, cursor and zoom.
  const more = data.lanes.map(function (lane) {
    const section = document.createElement("div"), name = document.createElement("span"), plotHost = document.createElement("div");
    section.className = "lane-more";
    name.className = "name";
    name.style.borderColor = "var(--gw-" + lane.colour + ")";
    const bold = document.createElement("b"), soft = document.createElement("span");
    bold.textContent = lane.name; soft.className = "soft"; soft.textContent = " " + lane.unit + " · " + lane.role;
    name.append(bold, soft);
    plotHost.className = "plot";
    section.append(name, plotHost);
    document.getElementById("more-lanes").append(section);
    return { lane: lane, host: plotHost, plot: null };
  });

  function drawMarks(lane) {
    return function (u) {
      const c = u.ctx, dpr = window.devicePixelRatio || 1;
      c.save();
      c.beginPath();
      c.rect(u.bbox.left, u.bbox.top, u.bbox.width, u.bbox.height);
      c.clip();
      c.font = "600 " + 13 * dpr + "px 'Fira Sans', sans-serif";
      c.textAlign = "left";
      lane.marks.forEach(function (mark) {
        const from = Math.max(u.valToPos(mark.start, "x", true), u.bbox.left), to = u.valToPos(mark.end, "x", true);
        if (to < u.bbox.left || from > u.bbox.left + u.bbox.width) return;
        c.strokeStyle = ink("line");
        c.lineWidth = dpr;
        c.beginPath(); c.moveTo(from, u.bbox.top); c.lineTo(from, u.bbox.top + u.bbox.height); c.stroke();
        c.fillStyle = ink(lane.colour);
        if (to - from > 40 * dpr || lane.unit === "A") c.fillText(mark.text, from + 5 * dpr, u.bbox.top + 13 * dpr);
      });
      c.restore();
    };
  }

  function buildMore(one) {
    if (one.plot) one.plot.destroy();
    one.plot = new uPlot({
      width: one.host.clientWidth, height: one.host.clientHeight - 22, legend: { show: false }, padding: [6, 26, 4, 0],
      cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false, sync: { key: "lanes" } },
      scales: { x: { time: false, auto: false, min: range[0], max: range[1] }, y: { range: function (u, low, high) { const edge = Math.max(0.12 * (high - low), 0.05); return [low - edge, high + 4 * edge]; } } },
      axes: [axis({ show: false }), axis({ size: 64, space: 34 })],
      series: [{}, { stroke: ink(one.lane.colour), width: 1.6, points: { show: false } }, { stroke: ink(one.lane.colour), width: 1.6, points: { show: false } }],
      bands: [{ series: [2, 1], fill: ink("sunk") }],
      hooks: { draw: [drawMarks(one.lane)], setSelect: [selected] },
    }, [[range[0], range[1]], [null, null], [null, null]], one.host);
    one.plot.over.addEventListener("dblclick", doing.all);
    touch(one.plot.over);
  }

  function fetchMore(one, signal, query) {
    fetch("/captures/" + data.capture + "/envelope?" + query + "&channel=" + one.lane.channel, { signal: signal })
      .then(function (answer) { return answer.json(); })
      .then(function (seen) {
        if (!seen.at) return;
        one.plot.batch(function () {
          one.plot.setData([seen.at, seen.low, seen.high], true);
          one.plot.setScale("x", { min: range[0], max: range[1] });
        });
        one.host.dataset.ready = seen.at.length;
      })
      .catch(function () { /* the pilot's own request tells what is wrong */ });
  }

  function valueAt(u, s) {
    const xs = u.data[0];
    let low = 0, high = xs.length - 1;
    while (high - low > 1) { const middle = (low + high) >> 1; if (xs[middle] <= s) low = middle; else high = middle; }
    const index = s - xs[low] <= xs[high] - s ? low : high;
    const a = u.data[1][index], b = u.data[2][index];
    return a == null ? "no sample" : Math.abs(b - a) < 0.02 * Math.max(1, Math.abs(b)) ? number((a + b) / 2, 2) : number(a, 2) + " to " + number(b, 2);
  }

  function selected(u) {
    if (u.select.width < 5) return;
    const from = u.posToVal(u.select.left, "x"), to = u.posToVal(u.select.left + u.select.width, "x");
    u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
    show(from, to);
  }

  function timeDigits() { return digitsFor((range[1] - range[0]) / 400); }

  function showCursor(u) {
    const at = u.cursor.left;
    if (at == null || at < 0) return;
    const s = u.posToVal(at, "x");
    const index = u.cursor.idx;
    const low = index == null ? null : u.data[1][index], high = index == null ? null : u.data[2][index];
    const segment = data.segments.find(function (one) { return one.start <= s && s < one.end; });
    const volts = low == null ? "no sample" : Math.abs(high - low) < 0.005 ? number(high, 2) + " V" : number(low, 2) + " to " + number(high, 2) + " V";
    const parts = [["at", number(s, timeDigits()) + " s"], ["pilot", volts]];
    if (segment) {
      parts.push(["state", segment.label === "?" ? "none" : segment.label]);
      if (segment.duty != null) parts.push(["duty", number(segment.duty, 1) + " %"]);
      if (segment.amps) parts.push(["offers", number(segment.amps, 1) + " A"]);
    }
    more.forEach(function (one) { if (one.plot) parts.push([one.lane.name, valueAt(one.plot, s) + " " + one.lane.unit]); });
    readout.replaceChildren.apply(readout, parts.map(function (part) {
      const one = document.createElement("span"), key = document.createElement("span"), value = document.createElement("b");
      key.className = "key"; key.textContent = part[0]; value.textContent = part[1];
      one.append(key, value);
      return one;
    }));
  }

  function drawRibbon() {
    if (!plot) return;
    const dpr = window.devicePixelRatio || 1;
    const left = plot.bbox.left / dpr, width = plot.bbox.width / dpr;
    const scale = width / (range[1] - range[0]);
    const focused = ribbon.contains(document.activeElement) ? document.activeElement.dataset.segment : null;
    const nodes = [];
    const crowds = [];
    let crowd = null;
    function endCrowd() {
      if (!crowd) return;
      const node = document.createElement("button");
      node.type = "button";
      node.className = "crowd";
      node.dataset.from = crowd.start;
      node.dataset.to = crowd.end;
      node.style.left = left + crowd.from + "px";
      node.style.width = Math.max(3, crowd.to - crowd.from) + "px";
      node.textContent = crowd.to - crowd.from > 110 ? crowd.count + " short ones" : crowd.to - crowd.from > 40 ? String(crowd.count) : "";
      node.title = crowd.count + " segments too short to draw here: zoom in";
      node.setAttribute("aria-label", node.title);
      nodes.push(node);
      crowds.push([crowd.from, crowd.to]);
      crowd = null;
    }
    data.segments.forEach(function (segment, index) {
      if (segment.end <= range[0] || segment.start >= range[1]) return;
      const from = Math.max(0, (segment.start - range[0]) * scale), to = Math.min(width, (segment.end - range[0]) * scale);
      if (to - from < 4 && data.segments.length > 60) {
        crowd = crowd || { from: from, start: segment.start, count: 0 };
        crowd.to = to; crowd.end = segment.end; crowd.count += 1;
        return;
      }
      endCrowd();
      const node = document.createElement("button");
      node.type = "button";
      node.dataset.segment = index;
      node.className = segment.label === "?" ? "odd" : segment.duty == null ? "steady" : "";
      node.style.left = left + from + "px";
      node.style.width = Math.max(2, to - from - 1) + "px";
      const short = segment.label === "?" ? "no state" : segment.label;
      const long = segment.duty == null ? short : short + " · " + number(segment.duty, 1) + " %";
      node.textContent = to - from > 100 ? long : to - from > (short.length > 2 ? 64 : 26) ? short : "";
      node.title = long + ", " + number(segment.start, 3) + " to " + number(segment.end, 3) + " s";
      node.setAttribute("aria-label", node.title);
      node.setAttribute("aria-pressed", String(index === chosen));
      nodes.push(node);
    });
    endCrowd();
    let last = -9;
    data.events.forEach(function (event) {
      const at = (event.at - range[0]) * scale;
      // Closer ones would run into one another; a crowd says how many there are.
      const crowded = crowds.some(function (one) { return one[0] <= at && at <= one[1]; });
      if (event.at < range[0] || event.at > range[1] || at - last < 9 || crowded) return;
      last = at;
      const node = document.createElement("span");
      node.className = "tick";
      node.style.left = left + at - 1 + "px";
      node.title = event.text;
      nodes.push(node);
    });
    ribbon.replaceChildren.apply(ribbon, nodes);
    if (focused != null) { const again = ribbon.querySelector("[data-segment='" + focused + "']"); if (again) again.focus(); }
  }

  function fetchRange() {
    if (running) running.abort();
    running = new AbortController();
    const mine = running;
    const columns = Math.max(200, Math.min(4000, Math.round(plot.bbox.width / (window.devicePixelRatio || 1))));
    const query = "from=" + range[0] + "&to=" + range[1] + "&columns=" + columns;
    more.forEach(function (one) { fetchMore(one, mine.signal, query); });
    fetch("/captures/" + data.capture + "/envelope?" + query, { signal: mine.signal, headers: { accept: "application/json" } })
      .then(function (answer) { return answer.json().then(function (body) { if (!answer.ok) throw new Error(body.error); return body; }); })
      .then(function (seen) {
        if (mine !== running) return;
        cycles = seen.cycles;
        let least = LOWEST, most = 14;
        seen.low.forEach(function (v) { if (v != null && v < least) least = v - 1; });
        seen.high.forEach(function (v) { if (v != null && v > most) most = v + 1; });
        plot.batch(function () {
          plot.setData([seen.at, seen.low, seen.high], false);
          plot.setScale("x", { min: range[0], max: range[1] });
          plot.setScale("y", { min: least, max: most });
        });
        host.dataset.ready = range[0] + " " + range[1] + " " + seen.at.length + " " + cycles.length;
      })
      .catch(function (error) {
        if (error.name === "AbortError") return;
        readout.textContent = "The samples could not be fetched: " + error.message;
      });
  }

  function show(from, to) {
    let width = Math.min(Math.max(to - from, narrowest), whole[1] - whole[0]);
    let begin = (from + to) / 2 - width / 2;
    begin = Math.min(Math.max(begin, whole[0]), whole[1] - width);
    range = [begin, begin + width];
    plot.setScale("x", { min: range[0], max: range[1] });
    more.forEach(function (one) { one.plot.setScale("x", { min: range[0], max: range[1] }); });
    drawRibbon();
    clearTimeout(pending);
    pending = setTimeout(fetchRange, 70);
  }

  function zoom(factor, centre) {
    const c = centre == null ? cursorTime() : centre;
    show(c - (c - range[0]) * factor, c + (range[1] - c) * factor);
  }
  function pan(share) { const by = (range[1] - range[0]) * share; show(range[0] + by, range[1] + by); }
  function cursorTime() {
    const at = plot.cursor.left;
    return at == null || at < 0 ? (range[0] + range[1]) / 2 : plot.posToVal(at, "x");
  }
  function moveCursor(pixels) {
    const width = plot.bbox.width / (window.devicePixelRatio || 1);
    const at = plot.cursor.left == null || plot.cursor.left < 0 ? width / 2 : plot.cursor.left + pixels;
    if (at < 0 || at > width) { pan(at < 0 ? -0.2 : 0.2); return; }
    plot.setCursor({ left: at, top: 10 });
  }

  function choose(index, fit) {
    if (index < 0 || index >= data.segments.length) return;
    const segment = data.segments[index];
    chosen = index;
    if (fit) { const edge = 0.08 * (segment.end - segment.start); show(segment.start - edge, segment.end + edge); } else drawRibbon();
    htmx.ajax("GET", "/captures/" + data.capture + "/readings/" + index, { target: "#readings", swap: "innerHTML" });
  }
  function segmentAt(s) { return data.segments.findIndex(function (one) { return one.start <= s && s < one.end; }); }

  function jump(from, to) {
    const least = 0.02, width = Math.max(to - from, least);
    show((from + to) / 2 - 0.62 * width, (from + to) / 2 + 0.62 * width);
    choose(segmentAt(from), false);
    host.closest("section").scrollIntoView({ block: "nearest", behavior: "smooth" });
  }

  const doing = {
    all: function () { show(whole[0], whole[1]); },
    in: function () { zoom(0.5); },
    out: function () { zoom(2); },
    next: function () { choose(chosen < 0 ? 0 : Math.min(chosen + 1, data.segments.length - 1), true); },
    previous: function () { choose(Math.max(chosen - 1, 0), true); },
    cycles: function () {
      const one = data.segments[chosen];
      const at = plot.cursor.left >= 0 ? cursorTime() : one && one.duty != null ? (one.start + one.end) / 2 : firstOscillation();
      show(at - 0.0025, at + 0.0025);
    },
  };
  function firstOscillation() {
    const one = data.segments.find(function (segment) { return segment.duty != null; });
    return one ? (one.start + one.end) / 2 : (range[0] + range[1]) / 2;
  }

  const keys = {
    ArrowLeft: function (event) { if (event.shiftKey) pan(-0.2); else moveCursor(-2); },
    ArrowRight: function (event) { if (event.shiftKey) pan(0.2); else moveCursor(2); },
    "+": doing.in, "=": doing.in, "-": doing.out, "0": doing.all, n: doing.next, p: doing.previous, c: doing.cycles,
    Home: function () { show(whole[0], whole[0] + range[1] - range[0]); },
    End: function () { show(whole[1] - range[1] + range[0], whole[1]); },
  };

  function touch(over) {
    const fingers = new Map();
    let before = null;
    over.addEventListener("pointerdown", function (event) { if (event.pointerType === "touch") { fingers.set(event.pointerId, event.clientX); before = null; } });
    ["pointerup", "pointercancel", "pointerleave"].forEach(function (name) {
      over.addEventListener(name, function (event) { fingers.delete(event.pointerId); before = null; });
    });
    over.addEventListener("pointermove", function (event) {
      if (!fingers.has(event.pointerId)) return;
      fingers.set(event.pointerId, event.clientX);
      const xs = Array.from(fingers.values()), width = over.clientWidth, left = over.getBoundingClientRect().left;
      const middle = xs.reduce(function (a, b) { return a + b; }, 0) / xs.length - left;
      const apart = xs.length > 1 ? Math.max(20, Math.abs(xs[0] - xs[1])) : 1;
      if (before) {
        const factor = before.apart / apart, span = range[1] - range[0];
        const fixed = range[0] + (before.middle / width) * span;
        const from = fixed - (middle / width) * span * factor;
        show(from, from + span * factor);
      }
      before = { middle: middle, apart: apart };
    });
  }

  function axis(extra) {
    return Object.assign({ stroke: ink("ink-soft"), font: "14px 'Fira Sans', sans-serif", grid: { show: false }, ticks: { stroke: ink("line"), width: 1 } }, extra);
  }

  function build() {
    if (plot) plot.destroy();
    const options = {
      width: host.clientWidth, height: host.clientHeight, legend: { show: false }, padding: [8, 26, 0, 0],
      cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false, sync: { key: "lanes" } },
      scales: { x: { time: false, auto: false, min: range[0], max: range[1] }, y: { auto: false, min: LOWEST, max: 14 } },
      axes: [
        axis({ space: 96, values: function (u, splits, i, space, step) { return splits.map(function (s) { return number(s, digitsFor(step)) + " s"; }); } }),
        axis({ size: 64, splits: function () { return levels; }, filter: function (u, splits) { return splits; },
          values: function (u, splits) { return splits.map(function (v) { return names.get(v) + " " + number(v, 0); }); } }),
      ],
      series: [{}, { stroke: ink("volts"), width: 1.6, points: { show: sparse, size: 6, fill: ink("volts") } }, { stroke: ink("volts"), width: 1.6, points: { show: false } }],
      bands: [{ series: [2, 1], fill: ink("volts-tint") }],
      hooks: {
        drawClear: [drawBands],
        draw: [drawCycles],
        setCursor: [showCursor],
        setSelect: [selected],
      },
    };
    plot = new uPlot(options, [[range[0], range[1]], [null, null], [null, null]], host);
    plot.over.addEventListener("dblclick", doing.all);
    plot.over.addEventListener("wheel", function (event) {
      if (!event.ctrlKey && document.activeElement !== host) return;
      event.preventDefault();
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) pan(Math.sign(event.deltaX || event.deltaY) * 0.1);
      else zoom(event.deltaY > 0 ? 1.25 : 0.8, plot.posToVal(event.clientX - plot.over.getBoundingClientRect().left, "x"));
    }, { passive: false });
    touch(plot.over);
    more.forEach(buildMore);
    drawRibbon();
    fetchRange();
  }
  function sparse(u) { return u.data[0].length > 2 && u.bbox.width / u.data[0].length > 8 * (window.devicePixelRatio || 1); }

  host.addEventListener("keydown", function (event) {
    const act = keys[event.key];
    if (act && !event.ctrlKey && !event.metaKey && !event.altKey) { event.preventDefault(); act(event); }
  });
  host.closest("section").addEventListener("click", function (event) {
    const button = event.target.closest("[data-do]");
    if (button) doing[button.dataset.do]();
    const segment = event.target.closest(".ribbon [data-segment]");
    if (segment) choose(Number(segment.dataset.segment), true);
  });
  document.addEventListener("click", function (event) {
    const place = event.target.closest("[data-from]");
    if (!place) return;
    event.preventDefault();
    jump(Number(place.dataset.from), Number(place.dataset.to));
  });
  document.addEventListener("gw:theme", build);
  new ResizeObserver(function () {
    if (!plot || plot.width === host.clientWidth) return;
    plot.setSize({ width: host.clientWidth, height: host.clientHeight });
    more.forEach(function (one) { one.plot.setSize({ width: one.host.clientWidth, height: one.host.clientHeight - 22 }); });
    drawRibbon();
    fetchRange();
  }).observe(host);
  document.fonts.ready.then(build);
})();
