// Decimated samples of the visible range, and the value under the cursor.
import { readout } from "./cursor.js";
import { data, inFile, onClock, shown, view } from "./state.js";
import { number } from "./units.js";

let running = null;

function give(lane, seen) {
  lane.fileAt = seen.at;
  lane.low = seen.low; lane.lower = seen.lower; lane.upper = seen.upper; lane.high = seen.high; lane.cycles = seen.cycles;
  put(lane);
  lane.host.dataset.ready = view.range[0] + " " + view.range[1] + " " + seen.at.length + " " + seen.cycles.length;
}

export function put(lane) {
  if (!lane.plot || !lane.low) return;
  const at = lane.fileAt.map(function (s) { return onClock(lane, s); });
  let least = data.volts.lowest, most = data.volts.highest;
  if (lane.kind === "pilot") {
    lane.low.forEach(function (v) { if (v != null && v < least) least = v - 1; });
    lane.high.forEach(function (v) { if (v != null && v > most) most = v + 1; });
  }
  lane.plot.batch(function () {
    lane.plot.setData([at, lane.low, lane.lower, lane.upper, lane.high], lane.kind !== "pilot" || !lane.levels);
    lane.plot.setScale("x", { min: view.range[0], max: view.range[1] });
    if (lane.kind === "pilot" && lane.levels) lane.plot.setScale("y", { min: least, max: most });
  });
}

export function fetchRange() {
  if (running) running.abort();
  running = new AbortController();
  const mine = running;
  shown().forEach(function (lane) {
    if (lane.kind === "frames") { lane.plot.setScale("x", { min: view.range[0], max: view.range[1] }); lane.host.dataset.ready = view.range[0] + " " + view.range[1]; return; }
    const columns = Math.max(200, Math.min(4000, Math.round(lane.host.clientWidth - 90)));
    const query = "from=" + inFile(lane, view.range[0]) + "&to=" + inFile(lane, view.range[1]) + "&columns=" + columns + "&channel=" + lane.channel;
    fetch("/captures/" + lane.capture + "/envelope?" + query, { signal: mine.signal, headers: { accept: "application/json" } })
      .then(function (answer) { return answer.json().then(function (body) { if (!answer.ok) throw new Error(body.error); return body; }); })
      .then(function (seen) { if (mine === running && lane.plot) give(lane, seen); })
      .catch(function (error) { if (error.name !== "AbortError") readout.textContent = "The samples of “" + lane.name + "” could not be fetched: " + error.message; });
  });
}

export function valueAt(lane, s) {
  const u = lane.plot, xs = u.data[0];
  if (!xs || xs.length < 2 || s < xs[0] - lane.interval || s > xs[xs.length - 1] + lane.interval) return "no sample";
  let low = 0, high = xs.length - 1;
  while (high - low > 1) { const middle = (low + high) >> 1; if (xs[middle] <= s) low = middle; else high = middle; }
  const index = s - xs[low] <= xs[high] - s ? low : high;
  const least = u.data[1][index], a = u.data[2][index], b = u.data[3][index], most = u.data[4][index];
  if (a == null) return "no sample";
  if (Math.abs(most - least) < 0.02 * Math.max(1, Math.abs(b))) return number((a + b) / 2, 2) + " " + lane.unit;
  // Of one noisy level the two sides lie close together, of an oscillation as far apart as its levels.
  if (b - a < 0.45 * (most - least)) return number((a + b) / 2, 2) + " ± " + number((b - a) / 1.6, 2) + " " + lane.unit;
  return number(a, 2) + " to " + number(b, 2) + " " + lane.unit;
}
