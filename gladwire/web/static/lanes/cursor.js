// One cursor over all lanes, one readout.
import { valueAt } from "./samples.js";
import { exchangeAt, segmentAt, shown, view } from "./state.js";
import { digitsFor, number } from "./units.js";

export const readout = document.getElementById("readout");

export function showCursor(u) {
  const at = u.cursor.left;
  if (at == null || at < 0) return;
  const s = u.posToVal(at, "x");
  const parts = [["at", number(s, digitsFor((view.range[1] - view.range[0]) / 400)) + " s"]];
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
