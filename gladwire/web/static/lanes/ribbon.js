// The ribbon of states under each pilot lane, and the strip of what was heard and seen under all lanes.
import { data, onClock, shown, view } from "./state.js";
import { dpr, number } from "./units.js";

const strip = document.getElementById("stamp-strip");

function frame(lane) {
  const dpr = window.devicePixelRatio || 1, range = view.range;
  const width = lane.plot.bbox.width / dpr;
  return { left: lane.plot.bbox.left / dpr, width: width, scale: width / (range[1] - range[0]), from: range[0], to: range[1] };
}

function button(lane, segment, index, at, from, to) {
  const chosen = view.chosen;
  const node = document.createElement("button");
  node.type = "button";
  node.dataset.segment = index;
  node.className = segment.label === "?" && lane.levels ? "odd" : segment.duty == null ? "steady" : "";
  node.style.left = at.left + from + "px";
  node.style.width = Math.max(2, to - from - 1) + "px";
  const short = (segment.amended ? "✎ " : "") + (segment.label !== "?" ? segment.label : lane.levels ? "no state" : segment.duty == null ? "steady" : "oscillates");
  const long = segment.duty == null ? short : short + " · " + number(segment.duty, 1) + " %";
  node.textContent = to - from > 100 ? long : to - from > (short.length > 2 ? 64 : 26) ? short : "";
  node.title = long + ", " + number(onClock(lane, segment.start), 3) + " to " + number(onClock(lane, segment.end), 3) + " s" + (segment.amended ? ", corrected by hand" : "");
  node.setAttribute("aria-label", node.title);
  node.setAttribute("aria-pressed", String(Boolean(chosen) && chosen.lane === lane && chosen.index === index));
  return node;
}

function crowdNode(crowd, at) {
  const node = document.createElement("button");
  node.type = "button";
  node.className = "crowd";
  node.dataset.from = crowd.start;
  node.dataset.to = crowd.end;
  node.style.left = at.left + crowd.from + "px";
  node.style.width = Math.max(3, crowd.to - crowd.from) + "px";
  node.textContent = crowd.to - crowd.from > 110 ? crowd.count + " short ones" : crowd.to - crowd.from > 40 ? String(crowd.count) : "";
  node.title = crowd.count + " segments too short to draw here: zoom in";
  node.setAttribute("aria-label", node.title);
  return node;
}

function drawRibbon(lane) {
  const ribbon = lane.ribbon, at = frame(lane), nodes = [], crowds = [];
  const focused = ribbon.contains(document.activeElement) ? document.activeElement.dataset.segment : null;
  let crowd = null;
  function endCrowd() {
    if (!crowd) return;
    nodes.push(crowdNode(crowd, at));
    crowds.push([crowd.from, crowd.to]);
    crowd = null;
  }
  lane.segments.forEach(function (segment, index) {
    const start = onClock(lane, segment.start), end = onClock(lane, segment.end);
    if (end <= at.from || start >= at.to) return;
    const from = Math.max(0, (start - at.from) * at.scale), to = Math.min(at.width, (end - at.from) * at.scale);
    if (to - from < 4 && lane.segments.length > 60) {
      crowd = crowd || { from: from, start: start, count: 0 };
      crowd.to = to; crowd.end = end; crowd.count += 1;
      return;
    }
    endCrowd();
    nodes.push(button(lane, segment, index, at, from, to));
  });
  endCrowd();
  let last = -9;
  lane.events.forEach(function (event) {
    const s = onClock(lane, event.at), place = (s - at.from) * at.scale;
    // Closer ones would run into one another; a crowd says how many there are.
    const crowded = crowds.some(function (one) { return one[0] <= place && place <= one[1]; });
    if (s < at.from || s > at.to || place - last < 9 || crowded) return;
    last = place;
    const node = document.createElement("span");
    node.className = "tick";
    node.style.left = at.left + place - 1 + "px";
    node.title = event.text;
    nodes.push(node);
  });
  ribbon.replaceChildren.apply(ribbon, nodes);
  if (focused != null) { const again = ribbon.querySelector("[data-segment='" + focused + "']"); if (again) again.focus(); }
}

function drawStrip() {
  const first = shown()[0];
  strip.hidden = !first || !data.stamps.length;
  if (strip.hidden) return;
  const at = frame(first), rows = [];
  const nodes = [];
  data.stamps.slice().sort(function (a, b) { return a.at - b.at; }).forEach(function (stamp) {
    if (stamp.at < at.from || stamp.at > at.to) return;
    const place = (stamp.at - at.from) * at.scale, text = stamp.words === "Note" ? stamp.detail : stamp.words;
    const wide = Math.min(40 + 7.2 * text.length, 260);
    // The first row whose last stamp ends before this one begins.
    let row = rows.findIndex(function (end) { return end <= place; });
    if (row < 0) row = rows.push(0) - 1;
    rows[row] = place + wide;
    const node = document.createElement("button");
    node.type = "button";
    node.className = "stamp is-" + stamp.sense;
    node.dataset.from = stamp.at - 0.5;
    node.dataset.to = stamp.at + 0.5;
    node.style.left = at.left + place + "px";
    node.style.top = 4 + 34 * row + "px";
    node.style.maxWidth = wide + "px";
    node.textContent = text;
    node.title = stamp.words + (stamp.detail ? ": " + stamp.detail : "") + ", " + number(stamp.at, 2) + " s";
    nodes.push(node);
  });
  strip.style.height = 8 + 34 * Math.max(1, rows.length) + "px";
  strip.replaceChildren.apply(strip, nodes);
}

view.hooks.push(function () {
  shown().forEach(function (lane) { if (lane.ribbon && lane.plot) drawRibbon(lane); });
  drawStrip();
});
