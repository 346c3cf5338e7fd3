// Lanes on one clock: decimated samples from the server, one cursor, one zoom, one readout. Lanes can be folded, moved and
// given height; what a person chose is kept in this browser. Ribbons of states and placing by hand are files of their own.
(function () {
  "use strict";
  const list = document.getElementById("lane-list");
  const source = document.getElementById("lane-data");
  if (!list || !source) return;
  const data = JSON.parse(source.textContent);
  const readout = document.getElementById("readout");
  const whole = [data.start, data.end];
  // Room below -12 V for the duty marks of single cycles.
  const LOWEST = -17.5;
  const HEIGHTS = { pilot: [180, 270, 420], line: [64, 96, 210], frames: [76, 96, 150] };
  const AXIS = 34;
  let range = whole.slice();
  let chosen = null;
  let focused = null;
  let running = null;
  let pending = 0;

  function ink(name) { return getComputedStyle(document.documentElement).getPropertyValue("--gw-" + name).trim(); }
  function number(value, digits) { return (value + 0).toFixed(digits).replace("-", "−"); }
  function digitsFor(step) { return Math.min(9, Math.max(0, Math.ceil(-Math.log10(step)))); }
  function dpr() { return window.devicePixelRatio || 1; }

  // What a person chose: kept by role and name, so that the next session of the same instrument looks the same.
  let kept = {};
  try { kept = JSON.parse(localStorage.getItem("gw-lanes")) || {}; } catch { kept = {}; }
  function keep() {
    lanes.forEach(function (lane, place) { kept[lane.key] = { folded: lane.folded, size: lane.size, place: place }; });
    try { localStorage.setItem("gw-lanes", JSON.stringify(kept)); } catch { /* private window: nothing is kept */ }
  }

  const lanes = data.lanes.map(function (told, index) {
    const before = kept[told.key] || {};
    return Object.assign({}, told, {
      id: index, size: before.size == null ? (told.kind === "pilot" && data.lanes.length > 3 ? 0 : 1) : before.size, folded: before.folded == null ? told.folded : before.folded,
      place: before.place == null ? index : before.place, plot: null, cycles: [], fileAt: [],
    });
  });
  if (lanes.some(function (lane) { return kept[lane.key]; })) lanes.sort(function (a, b) { return a.place - b.place || a.id - b.id; });

  const narrowest = Math.max(8 * Math.min.apply(null, lanes.map(function (lane) { return lane.interval; })), 2e-7);
  function onClock(lane, s) { return lane.offset + (1 + lane.drift) * s; }
  function inFile(lane, s) { return (s - lane.offset) / (1 + lane.drift); }
  function pilots() { return lanes.filter(function (lane) { return lane.kind === "pilot"; }); }
  function shown() { return lanes.filter(function (lane) { return !lane.folded; }); }

  // Volts of a pilot: only the levels that mean something are named, with the accept band behind each.
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

  function clipped(u, draw) {
    const c = u.ctx;
    c.save();
    c.beginPath();
    c.rect(u.bbox.left, u.bbox.top, u.bbox.width, u.bbox.height);
    c.clip();
    c.font = "600 " + 13 * dpr() + "px 'Fira Sans', sans-serif";
    c.textAlign = "left";
    draw(c);
    c.restore();
  }

  function drawCycles(lane) {
    return function (u) {
      if (!lane.cycles.length) return;
      const x = function (s) { return u.valToPos(onClock(lane, s), "x", true); }, y = function (v) { return u.valToPos(v, "y", true); };
      clipped(u, function (c) {
        const d = dpr(), base = y(-13.7);
        lane.cycles.forEach(function (cycle) {
          const rise = x(cycle.rise_s), fall = x(cycle.fall_s), next = x(cycle.next_rise_s);
          const wide = (next - rise) / d;
          if (wide < 26) return;
          c.strokeStyle = ink("copper");
          c.lineWidth = 2 * d;
          c.beginPath();
          c.moveTo(rise, y(cycle.high_v)); c.lineTo(fall, y(cycle.high_v));
          c.moveTo(fall, y(cycle.low_v)); c.lineTo(next, y(cycle.low_v));
          c.moveTo(rise, base - 5 * d); c.lineTo(rise, base + 5 * d);
          c.moveTo(rise, base); c.lineTo(fall, base);
          c.moveTo(fall, base - 5 * d); c.lineTo(fall, base + 5 * d);
          c.stroke();
          c.fillStyle = ink("copper-text");
          c.textAlign = "left";
          if (wide > 130) {
            const duty = number(cycle.duty_percent, 2) + " %" + (wide > 240 ? " ± " + number(cycle.duty_doubt_percent, 2) : "");
            c.fillText(duty, rise, base + 19 * d);
            c.fillText(number(cycle.high_v, 2) + " V", fall + 8 * d, y(cycle.high_v) + 5 * d);
            c.textAlign = "center";
            c.fillText(number(cycle.low_v, 2) + " V", (fall + next) / 2, y(cycle.low_v) - 8 * d);
          } else if (wide > 52) {
            c.fillText(number(cycle.duty_percent, 1) + " %", rise, base + 19 * d);
          }
        });
      });
    };
  }

  function drawMarks(lane) {
    return function (u) {
      clipped(u, function (c) {
        const d = dpr();
        let free = 0;
        lane.marks.forEach(function (mark) {
          const from = Math.max(u.valToPos(onClock(lane, mark.start), "x", true), u.bbox.left), to = u.valToPos(onClock(lane, mark.end), "x", true);
          if (to < u.bbox.left || from > u.bbox.left + u.bbox.width) return;
          c.strokeStyle = ink("line");
          c.lineWidth = d;
          c.beginPath(); c.moveTo(from, u.bbox.top); c.lineTo(from, u.bbox.top + u.bbox.height); c.stroke();
          c.fillStyle = ink(lane.colour);
          if (from >= free) {
            c.fillText(mark.text, from + 5 * d, u.bbox.top + 13 * d);
            free = from + 11 * d + c.measureText(mark.text).width;
          }
        });
      });
    };
  }

  // Who spoke: the vehicle above the middle, the post below; a stage's name where it begins, a cross where it went wrong.
  function drawFrames(lane) {
    return function (u) {
      clipped(u, function (c) {
        const d = dpr(), middle = u.valToPos(0, "y", true), half = 0.54 * u.bbox.height / 2;
        c.strokeStyle = ink("line");
        c.lineWidth = d;
        c.beginPath(); c.moveTo(u.bbox.left, middle); c.lineTo(u.bbox.left + u.bbox.width, middle); c.stroke();
        function cross(x, y) {
          const r = 6 * d;
          c.strokeStyle = ink("failed");
          c.lineWidth = 3 * d;
          c.beginPath(); c.moveTo(x - r, y - r); c.lineTo(x + r, y + r); c.moveTo(x + r, y - r); c.lineTo(x - r, y + r); c.stroke();
        }
        let stage = "", free = 0;
        lane.exchanges.forEach(function (exchange) {
          const from = u.valToPos(onClock(lane, exchange.start), "x", true), to = Math.max(u.valToPos(onClock(lane, exchange.end), "x", true), from + 3 * d);
          const begins = exchange.stage !== stage;
          stage = exchange.stage;
          if (to < u.bbox.left || from > u.bbox.left + u.bbox.width) return;
          const left = Math.max(from, u.bbox.left);
          c.fillStyle = ink("copper");
          if (exchange.ev) c.fillRect(left, middle - half, Math.max(3 * d, to - left), half - 3 * d);
          c.fillStyle = ink("volts");
          if (exchange.evse) c.fillRect(left, middle + 3 * d, Math.max(3 * d, to - left), half - 3 * d);
          if (exchange.bad) cross(to + 9 * d, middle + half / 2);
          if (begins && left >= free) {
            c.fillStyle = ink("ink");
            c.fillText(exchange.stage, left, u.bbox.top + 12 * d);
            free = left + 12 * d + c.measureText(exchange.stage).width;
          }
        });
        if (lane.breaks != null) cross(u.valToPos(lane.breaks, "x", true) + 12 * d, middle);
      });
    };
  }
  function exchangeAt(lane, s) {
    const t = inFile(lane, s);
    return lane.exchanges.find(function (exchange) { return exchange.start <= t && t <= Math.max(exchange.end, exchange.start + 0.05); });
  }

  // Stamped events run through every lane as thin lines; their words stand in the strip below.
  function drawStamps(u) {
    clipped(u, function (c) {
      c.strokeStyle = ink("copper");
      c.lineWidth = dpr();
      c.setLineDash([2 * dpr(), 4 * dpr()]);
      data.stamps.forEach(function (stamp) {
        const at = u.valToPos(stamp.at, "x", true);
        c.beginPath(); c.moveTo(at, u.bbox.top); c.lineTo(at, u.bbox.top + u.bbox.height); c.stroke();
      });
    });
  }

  function axis(extra) {
    return Object.assign({ stroke: ink("ink-soft"), font: "14px 'Fira Sans', sans-serif", grid: { show: false }, ticks: { stroke: ink("line"), width: 1 } }, extra);
  }
  const timeAxis = { space: 96, size: AXIS, values: function (u, splits, i, space, step) { 
    // Steps of 2.5 need a digit more than their size says.
    const digits = digitsFor(step), exact = Math.abs(step * Math.pow(10, digits) - Math.round(step * Math.pow(10, digits))) < 1e-6;
    return splits.map(function (s) { return number(s, exact ? digits : digits + 1) + " s"; });
  } };

  function head(lane) {
    const row = document.createElement("div"), name = document.createElement("span"), tools = document.createElement("span");
    row.className = "lane-name";
    name.className = "name";
    name.style.borderColor = "var(--gw-" + lane.colour + ")";
    const bold = document.createElement("b"), soft = document.createElement("span");
    bold.textContent = lane.kind === "pilot" ? "Pilot" : lane.name;
    soft.className = "soft small";
    const what = lane.kind === "pilot" ? "V, CP to PE" + (data.lanes.length > 1 ? " · channel “" + lane.name + "”" : "") : lane.unit + " · " + lane.words;
    soft.textContent = " " + what + (manyFiles ? " · " + lane.file : "") + (lane.aside ? " · not placed" : "");
    name.append(bold, soft);
    tools.className = "tools";
    [["up", "↑", "Move up"], ["down", "↓", "Move down"], ["size", "↕", "Change height"], ["fold", lane.folded ? "+" : "–", lane.folded ? "Unfold" : "Fold"]].forEach(function (tool) {
      const button = document.createElement("button");
      button.type = "button"; button.textContent = tool[1]; button.dataset.tool = tool[0]; button.title = tool[2];
      button.setAttribute("aria-label", tool[2] + ": " + lane.name);
      tools.append(button);
    });
    row.append(name, tools);
    return row;
  }
  const manyFiles = new Set(data.lanes.map(function (lane) { return lane.capture; })).size > 1;

  function layOut() {
    const first = shown()[0];
    lanes.forEach(function (lane) {
      if (lane.plot) { lane.plot.destroy(); lane.plot = null; }
      const section = document.createElement("div");
      section.className = "lane" + (lane.folded ? " folded" : "") + (lane.aside ? " aside" : "");
      section.dataset.lane = lane.id;
      section.append(head(lane));
      lane.section = section;
      if (lane.folded) return;
      lane.host = document.createElement("div");
      lane.host.className = "plot";
      lane.host.tabIndex = 0;
      lane.host.setAttribute("role", "application");
      lane.host.setAttribute("aria-label", lane.name + " over time. Arrow keys move the cursor, shift with arrows moves the view, plus and minus zoom, n and p step through segments, m notes something here, 0 shows all.");
      lane.host.style.height = HEIGHTS[lane.kind][lane.size] + (lane === first ? AXIS : 0) + "px";
      section.append(lane.host);
      if (lane.kind === "pilot") {
        lane.ribbon = document.createElement("div");
        lane.ribbon.className = "ribbon";
        section.append(lane.ribbon);
      }
    });
    list.replaceChildren.apply(list, lanes.map(function (lane) { return lane.section; }));
    shown().forEach(function (lane) { build(lane, lane === first); });
    const top = pilots()[0] || first;
    if (top && top.host) top.host.id = "lane";
    fetchRange();
  }

  function build(lane, withAxis) {
    const pilot = lane.kind === "pilot", frames = lane.kind === "frames", colour = ink(lane.colour);
    const y = frames ? { auto: false, min: -1, max: 1 } : pilot ? { auto: false, min: LOWEST, max: 14 }
      : { range: function (u, low, high) { if (low == null) return [0, 1]; const edge = Math.max(0.12 * (high - low), 0.05); return [low - edge, high + 3.5 * edge]; } };
    const volts = axis({ size: 64, splits: function () { return levels; }, filter: function (u, splits) { return splits; },
      values: function (u, splits) { return splits.map(function (v) { return names.get(v) + " " + number(v, 0); }); } });
    const sides = axis({ size: 64, splits: function () { return [-0.45, 0.35]; }, filter: function (u, splits) { return splits; }, ticks: { show: false }, values: function () { return ["post", "vehicle"]; } });
    lane.plot = new uPlot({
      width: lane.host.clientWidth, height: lane.host.clientHeight, legend: { show: false }, padding: [8, 26, 4, 0],
      cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false, sync: { key: "lanes" } },
      scales: { x: { time: false, auto: false, min: range[0], max: range[1] }, y: y },
      axes: [axis(withAxis ? timeAxis : { show: false }), pilot ? volts : frames ? sides : axis({ size: 64, space: 30 })],
      series: [{}, { stroke: colour, width: 1.6, points: { show: pilot ? sparse : false, size: 6, fill: colour } }, { stroke: colour, width: 1.6, points: { show: false } }],
      bands: [{ series: [2, 1], fill: ink(pilot ? "volts-tint" : "sunk") }],
      hooks: {
        // Only a plot that has drawn itself knows its size.
        ready: [function () { requestAnimationFrame(drawn); }],
        drawClear: pilot ? [drawBands] : [],
        draw: (pilot ? [drawCycles(lane)] : frames ? [drawFrames(lane)] : [drawMarks(lane)]).concat([drawStamps]),
        setCursor: [showCursor],
        setSelect: [selected],
      },
    }, [[range[0], range[1]], [null, null], [null, null]], lane.host);
    lane.plot.over.addEventListener("dblclick", doing.all);
    lane.plot.over.addEventListener("wheel", function (event) {
      if (!event.ctrlKey && document.activeElement !== lane.host) return;
      event.preventDefault();
      if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) pan(Math.sign(event.deltaX || event.deltaY) * 0.1);
      else zoom(event.deltaY > 0 ? 1.25 : 0.8, lane.plot.posToVal(event.clientX - lane.plot.over.getBoundingClientRect().left, "x"));
    }, { passive: false });
    touch(lane.plot.over);
  }
  function sparse(u) { return u.data[0].length > 2 && u.bbox.width / u.data[0].length > 8 * dpr(); }

  function give(lane, seen) {
    lane.fileAt = seen.at;
    lane.low = seen.low; lane.high = seen.high; lane.cycles = seen.cycles;
    put(lane);
    lane.host.dataset.ready = range[0] + " " + range[1] + " " + seen.at.length + " " + seen.cycles.length;
  }
  function put(lane) {
    if (!lane.plot || !lane.low) return;
    const at = lane.fileAt.map(function (s) { return onClock(lane, s); });
    let least = LOWEST, most = 14;
    if (lane.kind === "pilot") {
      lane.low.forEach(function (v) { if (v != null && v < least) least = v - 1; });
      lane.high.forEach(function (v) { if (v != null && v > most) most = v + 1; });
    }
    lane.plot.batch(function () {
      lane.plot.setData([at, lane.low, lane.high], lane.kind !== "pilot");
      lane.plot.setScale("x", { min: range[0], max: range[1] });
      if (lane.kind === "pilot") lane.plot.setScale("y", { min: least, max: most });
    });
  }

  function fetchRange() {
    if (running) running.abort();
    running = new AbortController();
    const mine = running;
    shown().forEach(function (lane) {
      if (lane.kind === "frames") { lane.plot.setScale("x", { min: range[0], max: range[1] }); lane.host.dataset.ready = range[0] + " " + range[1]; return; }
      const columns = Math.max(200, Math.min(4000, Math.round(lane.host.clientWidth - 90)));
      const query = "from=" + inFile(lane, range[0]) + "&to=" + inFile(lane, range[1]) + "&columns=" + columns + "&channel=" + lane.channel;
      fetch("/captures/" + lane.capture + "/envelope?" + query, { signal: mine.signal, headers: { accept: "application/json" } })
        .then(function (answer) { return answer.json().then(function (body) { if (!answer.ok) throw new Error(body.error); return body; }); })
        .then(function (seen) { if (mine === running && lane.plot) give(lane, seen); })
        .catch(function (error) { if (error.name !== "AbortError") readout.textContent = "The samples of “" + lane.name + "” could not be fetched: " + error.message; });
    });
  }

  function valueAt(lane, s) {
    const u = lane.plot, xs = u.data[0];
    if (!xs || xs.length < 2 || s < xs[0] - lane.interval || s > xs[xs.length - 1] + lane.interval) return "no sample";
    let low = 0, high = xs.length - 1;
    while (high - low > 1) { const middle = (low + high) >> 1; if (xs[middle] <= s) low = middle; else high = middle; }
    const index = s - xs[low] <= xs[high] - s ? low : high;
    const a = u.data[1][index], b = u.data[2][index];
    if (a == null) return "no sample";
    return (Math.abs(b - a) < 0.02 * Math.max(1, Math.abs(b)) ? number((a + b) / 2, 2) : number(a, 2) + " to " + number(b, 2)) + " " + lane.unit;
  }

  function segmentAt(lane, s) {
    const t = inFile(lane, s);
    return lane.segments.findIndex(function (one) { return one.start <= t && t < one.end; });
  }

  function showCursor(u) {
    const at = u.cursor.left;
    if (at == null || at < 0) return;
    const s = u.posToVal(at, "x");
    const parts = [["at", number(s, digitsFor((range[1] - range[0]) / 400)) + " s"]];
    shown().forEach(function (lane) {
      if (!lane.plot) return;
      if (lane.kind === "frames") { const exchange = exchangeAt(lane, s); parts.push(["frames", exchange ? exchange.title : "silence"]); return; }
      parts.push([lane.kind === "pilot" ? "pilot" : lane.name, valueAt(lane, s)]);
      const segment = lane.segments[segmentAt(lane, s)];
      if (!segment) return;
      parts.push(["state", segment.label === "?" ? "none" : segment.label]);
      if (segment.duty != null) parts.push(["duty", number(segment.duty, 1) + " %"]);
      if (segment.amps) parts.push(["offers", number(segment.amps, 1) + " A"]);
    });
    readout.replaceChildren.apply(readout, parts.map(function (part) {
      const one = document.createElement("span"), key = document.createElement("span"), value = document.createElement("b");
      key.className = "key"; key.textContent = part[0]; value.textContent = part[1];
      one.append(key, value);
      return one;
    }));
  }

  function selected(u) {
    if (u.select.width < 5) return;
    const from = u.posToVal(u.select.left, "x"), to = u.posToVal(u.select.left + u.select.width, "x");
    u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
    if (!view.dragging) show(from, to);
  }

  // Ribbons, the strip of stamps and whatever else hangs on the view.
  const hooks = [];
  function drawn() { if (shown().every(function (lane) { return lane.plot; })) hooks.forEach(function (hook) { hook(); }); }

  function show(from, to) {
    let width = Math.min(Math.max(to - from, narrowest), whole[1] - whole[0]);
    let begin = (from + to) / 2 - width / 2;
    begin = Math.min(Math.max(begin, whole[0]), whole[1] - width);
    range = [begin, begin + width];
    shown().forEach(function (lane) { lane.plot.setScale("x", { min: range[0], max: range[1] }); });
    drawn();
    clearTimeout(pending);
    pending = setTimeout(fetchRange, 70);
  }

  function main() { return focused && !focused.folded ? focused : pilots().find(function (lane) { return !lane.folded; }) || shown()[0]; }
  function cursorTime() {
    const lane = main();
    const at = lane ? lane.plot.cursor.left : null;
    return at == null || at < 0 ? (range[0] + range[1]) / 2 : lane.plot.posToVal(at, "x");
  }
  function zoom(factor, centre) {
    const c = centre == null ? cursorTime() : centre;
    show(c - (c - range[0]) * factor, c + (range[1] - c) * factor);
  }
  function pan(share) { const by = (range[1] - range[0]) * share; show(range[0] + by, range[1] + by); }
  function moveCursor(pixels) {
    const lane = main();
    if (!lane) return;
    const width = lane.plot.bbox.width / dpr();
    const at = lane.plot.cursor.left == null || lane.plot.cursor.left < 0 ? width / 2 : lane.plot.cursor.left + pixels;
    if (at < 0 || at > width) { pan(at < 0 ? -0.2 : 0.2); return; }
    lane.plot.setCursor({ left: at, top: 10 });
  }

  function choose(lane, index, fit) {
    if (!lane || index < 0 || index >= lane.segments.length) return;
    const segment = lane.segments[index];
    chosen = { lane: lane, index: index };
    const from = onClock(lane, segment.start), to = onClock(lane, segment.end), edge = 0.08 * (to - from);
    if (fit) show(from - edge, to + edge); else drawn();
    htmx.ajax("GET", "/captures/" + lane.capture + "/readings/" + index, { target: "#readings", swap: "innerHTML" });
  }
  function step(by) {
    const lane = chosen ? chosen.lane : pilots()[0];
    if (lane) choose(lane, chosen ? Math.min(Math.max(chosen.index + by, 0), lane.segments.length - 1) : 0, true);
  }

  function jump(from, to) {
    const width = Math.max(to - from, 0.02);
    show((from + to) / 2 - 0.62 * width, (from + to) / 2 + 0.62 * width);
    const lane = pilots().find(function (one) { return segmentAt(one, from) >= 0; });
    if (lane) choose(lane, segmentAt(lane, from), false);
    list.closest("section").scrollIntoView({ block: "nearest", behavior: "smooth" });
  }

  const doing = {
    all: function () { show(whole[0], whole[1]); },
    in: function () { zoom(0.5); },
    out: function () { zoom(2); },
    next: function () { step(1); },
    previous: function () { step(-1); },
    cycles: function () {
      const lane = chosen ? chosen.lane : pilots()[0], l = main();
      if (!lane) return;
      const one = chosen && lane.segments[chosen.index].duty != null ? lane.segments[chosen.index] : lane.segments.find(function (segment) { return segment.duty != null; });
      const at = l && l.plot.cursor.left >= 0 ? cursorTime() : one ? onClock(lane, (one.start + one.end) / 2) : (range[0] + range[1]) / 2;
      show(at - 0.0025, at + 0.0025);
    },
    stamp: function () { view.stamp(cursorTime()); },
  };

  const keys = {
    ArrowLeft: function (event) { if (event.shiftKey) pan(-0.2); else moveCursor(-2); },
    ArrowRight: function (event) { if (event.shiftKey) pan(0.2); else moveCursor(2); },
    "+": doing.in, "=": doing.in, "-": doing.out, "0": doing.all, n: doing.next, p: doing.previous, c: doing.cycles, m: doing.stamp,
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
      if (!fingers.has(event.pointerId) || view.dragging) return;
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

  const tools = {
    up: function (place) { move(place, place - 1); },
    down: function (place) { move(place, place + 1); },
    size: function (place) { lanes[place].size = (lanes[place].size + 1) % 3; lanes[place].folded = false; },
    fold: function (place) { lanes[place].folded = !lanes[place].folded; },
  };
  function move(from, to) {
    if (to < 0 || to >= lanes.length) return;
    lanes.splice(to, 0, lanes.splice(from, 1)[0]);
  }

  list.addEventListener("click", function (event) {
    const tool = event.target.closest("[data-tool]");
    if (!tool) return;
    const id = Number(tool.closest("[data-lane]").dataset.lane);
    tools[tool.dataset.tool](lanes.findIndex(function (lane) { return lane.id === id; }));
    keep();
    layOut();
    const again = list.querySelector("[data-lane='" + id + "'] [data-tool='" + tool.dataset.tool + "']");
    if (again) again.focus();
  });
  list.addEventListener("focusin", function (event) {
    const section = event.target.closest("[data-lane]");
    if (section && event.target.classList.contains("plot")) focused = lanes.find(function (lane) { return lane.id === Number(section.dataset.lane); });
  });
  list.addEventListener("keydown", function (event) {
    if (!event.target.classList.contains("plot")) return;
    const act = keys[event.key];
    if (act && !event.ctrlKey && !event.metaKey && !event.altKey) { event.preventDefault(); act(event); }
  });
  list.closest("section").addEventListener("click", function (event) {
    const button = event.target.closest("[data-do]");
    if (button) doing[button.dataset.do]();
    const segment = event.target.closest(".ribbon [data-segment]");
    if (segment) {
      const id = Number(segment.closest("[data-lane]").dataset.lane);
      choose(lanes.find(function (lane) { return lane.id === id; }), Number(segment.dataset.segment), true);
    }
  });
  document.addEventListener("click", function (event) {
    const place = event.target.closest("[data-from]");
    if (!place) return;
    event.preventDefault();
    jump(Number(place.dataset.from), Number(place.dataset.to));
  });
  // What is taken out of a span is the span in view.
  document.addEventListener("click", function (event) {
    const link = event.target.closest("[data-span]");
    if (link) link.href = link.dataset.span + "?from=" + range[0] + "&to=" + range[1];
  }, true);
  document.addEventListener("gw:theme", layOut);

  // What the other files of the lanes work with.
  const view = {
    data: data, lanes: lanes, hooks: hooks, shown: shown, ink: ink, number: number, onClock: onClock, put: put, show: show,
    range: function () { return range; },
    chosen: function () { return chosen; },
    dragging: null,
    stamp: function () {},
    moved: function () {
      whole[0] = Math.min.apply(null, lanes.map(function (lane) { return lane.start; }));
      whole[1] = Math.max.apply(null, lanes.map(function (lane) { return lane.end; }));
      shown().forEach(put);
      drawn();
      clearTimeout(pending);
      pending = setTimeout(fetchRange, 70);
    },
  };
  window.gwLanes = view;

  let width = 0;
  new ResizeObserver(function () {
    if (!width || width === list.clientWidth) return;
    width = list.clientWidth;
    shown().forEach(function (lane) { lane.plot.setSize({ width: lane.host.clientWidth, height: lane.host.clientHeight }); });
    drawn();
    fetchRange();
  }).observe(list);
  document.fonts.ready.then(function () { width = list.clientWidth; layOut(); });
})();
