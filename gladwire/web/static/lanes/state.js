// The lanes as the server told them, and what a person sees of them now.

export const data = JSON.parse(document.getElementById("lane-data").textContent);
export const whole = [data.start, data.end];
// What a person chose: kept by role and name, so that the next session of the same instrument looks the same.
let kept = {};
try { kept = JSON.parse(localStorage.getItem("gw-lanes")) || {}; } catch { kept = {}; }

export function keep() {
  lanes.forEach(function (lane, place) { kept[lane.key] = { folded: lane.folded, size: lane.size, place: place }; });
  try { localStorage.setItem("gw-lanes", JSON.stringify(kept)); } catch { /* private window: nothing is kept */ }
}
export const lanes = data.lanes.map(function (told, index) {
  const before = kept[told.key] || {};
  return Object.assign({}, told, {
    id: index, size: before.size == null ? (told.kind === "pilot" && data.lanes.length > 3 ? 0 : 1) : before.size, folded: before.folded == null ? told.folded : before.folded,
    place: before.place == null ? index : before.place, plot: null, cycles: [], fileAt: [],
  });
});
if (lanes.some(function (lane) { return kept[lane.key]; })) lanes.sort(function (a, b) { return a.place - b.place || a.id - b.id; });
export const narrowest = Math.max(8 * Math.min.apply(null, lanes.map(function (lane) { return lane.interval; })), 2e-7);
export function onClock(lane, s) { return lane.offset + (1 + lane.drift) * s; }
export function inFile(lane, s) { return (s - lane.offset) / (1 + lane.drift); }
export function pilots() { return lanes.filter(function (lane) { return lane.kind === "pilot"; }); }
export function shown() { return lanes.filter(function (lane) { return !lane.folded; }); }
export const manyFiles = new Set(data.lanes.map(function (lane) { return lane.capture; })).size > 1;

export function segmentAt(lane, s) {
  const t = inFile(lane, s);
  return lane.segments.findIndex(function (one) { return one.start <= t && t < one.end; });
}

export function exchangeAt(lane, s) {
  const t = inFile(lane, s);
  return lane.exchanges.find(function (exchange) { return exchange.start <= t && t <= Math.max(exchange.end, exchange.start + 0.05); });
}
// range: seconds in sight. chosen: a segment, focused: a lane. hooks: drawn again with every view. dragging: the capture being
// placed by hand. stamp: opens the form for a note at a moment.
export const view = { range: whole.slice(), chosen: null, focused: null, hooks: [], dragging: null, stamp: function () {} };
