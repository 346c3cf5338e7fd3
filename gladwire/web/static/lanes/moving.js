// One zoom for all lanes: showing a span, stepping through segments, jumping to what a sentence speaks of.
import { drawn, list } from "./plots.js";
import { fetchRange, put } from "./samples.js";
import { lanes, narrowest, onClock, pilots, segmentAt, shown, view, whole } from "./state.js";
import { dpr } from "./units.js";

let pending = 0;

export function show(from, to) {
  let width = Math.min(Math.max(to - from, narrowest), whole[1] - whole[0]);
  let begin = (from + to) / 2 - width / 2;
  begin = Math.min(Math.max(begin, whole[0]), whole[1] - width);
  view.range = [begin, begin + width];
  shown().forEach(function (lane) { lane.plot.setScale("x", { min: view.range[0], max: view.range[1] }); });
  drawn();
  clearTimeout(pending);
  pending = setTimeout(fetchRange, 70);
}

export function selected(u) {
  if (u.select.width < 5) return;
  const from = u.posToVal(u.select.left, "x"), to = u.posToVal(u.select.left + u.select.width, "x");
  u.setSelect({ left: 0, top: 0, width: 0, height: 0 }, false);
  if (!view.dragging) show(from, to);
}
export function main() { return view.focused && !view.focused.folded ? view.focused : pilots().find(function (lane) { return !lane.folded; }) || shown()[0]; }

export function cursorTime() {
  const lane = main();
  const at = lane ? lane.plot.cursor.left : null;
  return at == null || at < 0 ? (view.range[0] + view.range[1]) / 2 : lane.plot.posToVal(at, "x");
}

export function zoom(factor, centre) {
  const c = centre == null ? cursorTime() : centre;
  show(c - (c - view.range[0]) * factor, c + (view.range[1] - c) * factor);
}
export function pan(share) { const by = (view.range[1] - view.range[0]) * share; show(view.range[0] + by, view.range[1] + by); }

export function moveCursor(pixels) {
  const lane = main();
  if (!lane) return;
  const width = lane.plot.bbox.width / dpr();
  const at = lane.plot.cursor.left == null || lane.plot.cursor.left < 0 ? width / 2 : lane.plot.cursor.left + pixels;
  if (at < 0 || at > width) { pan(at < 0 ? -0.2 : 0.2); return; }
  lane.plot.setCursor({ left: at, top: 10 });
}

export function choose(lane, index, fit) {
  if (!lane || index < 0 || index >= lane.segments.length) return;
  const segment = lane.segments[index];
  view.chosen = { lane: lane, index: index };
  const from = onClock(lane, segment.start), to = onClock(lane, segment.end), edge = 0.08 * (to - from);
  if (fit) show(from - edge, to + edge); else drawn();
  htmx.ajax("GET", "/captures/" + lane.capture + "/readings/" + index, { target: "#readings", swap: "innerHTML" });
}

export function step(by) {
  const lane = view.chosen ? view.chosen.lane : pilots()[0];
  if (lane) choose(lane, view.chosen ? Math.min(Math.max(view.chosen.index + by, 0), lane.segments.length - 1) : 0, true);
}

export function jump(from, to) {
  const width = Math.max(to - from, 0.02);
  show((from + to) / 2 - 0.62 * width, (from + to) / 2 + 0.62 * width);
  const lane = pilots().find(function (one) { return segmentAt(one, from) >= 0; });
  if (lane) choose(lane, segmentAt(lane, from), false);
  list.closest("section").scrollIntoView({ block: "nearest", behavior: "smooth" });
}

// After a recording was moved on the clock.
export function moved() {
  whole[0] = Math.min.apply(null, lanes.map(function (lane) { return lane.start; }));
  whole[1] = Math.max.apply(null, lanes.map(function (lane) { return lane.end; }));
  shown().forEach(put);
  drawn();
  clearTimeout(pending);
  pending = setTimeout(fetchRange, 70);
}
