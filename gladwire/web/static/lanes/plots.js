// Lanes on the page: heads, axes and plots; they can be folded, moved and given height.
import { doing, touch } from "./controls.js";
import { showCursor } from "./cursor.js";
import { drawBands, drawCycles, drawFrames, drawMarks, drawStamps, levels, names } from "./drawing.js";
import { pan, selected, zoom } from "./moving.js";
import { fetchRange } from "./samples.js";
import { data, lanes, manyFiles, pilots, shown, view } from "./state.js";
import { digitsFor, dpr, ink, number } from "./units.js";

export const list = document.getElementById("lane-list");
const HEIGHTS = { pilot: [180, 270, 420], line: [64, 96, 210], frames: [76, 96, 150] };
const AXIS = 34;

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
  const what = lane.kind === "pilot" ? (lane.levels ? "V, CP to PE" : "as recorded") + (data.lanes.length > 1 ? " · channel “" + lane.name + "”" : "") : lane.unit + " · " + lane.words;
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

export function layOut() {
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
  // Of a channel that tells no levels neither bands nor states are drawn: it is shown as it was recorded.
  const pilot = lane.kind === "pilot" && lane.levels, frames = lane.kind === "frames", colour = ink(lane.colour);
  const y = frames ? { auto: false, min: -1, max: 1 } : pilot ? { auto: false, min: data.volts.lowest, max: data.volts.highest }
    : { range: function (u, low, high) { if (low == null) return [0, 1]; const edge = Math.max(0.12 * (high - low), 0.05); return [low - edge, high + 3.5 * edge]; } };
  const volts = axis({ size: 64, splits: function () { return levels; }, filter: function (u, splits) { return splits; },
    values: function (u, splits) { return splits.map(function (v) { return names.get(v) + " " + number(v, 0); }); } });
  const sides = axis({ size: 64, splits: function () { return [-0.45, 0.35]; }, filter: function (u, splits) { return splits; }, ticks: { show: false }, values: function () { return ["post", "vehicle"]; } });
  lane.plot = new uPlot({
    width: lane.host.clientWidth, height: lane.host.clientHeight, legend: { show: false }, padding: [8, 26, 4, 0],
    cursor: { drag: { x: true, y: false, setScale: false }, points: { show: false }, y: false, sync: { key: "lanes" } },
    scales: { x: { time: false, auto: false, min: view.range[0], max: view.range[1] }, y: y },
    axes: [axis(withAxis ? timeAxis : { show: false }), pilot ? volts : frames ? sides : axis({ size: 64, space: 30 })],
    // Outside the means of either side the extremes, thin: noise is not read for a level, and a glitch stays in sight.
    series: [{}, edge(colour), { stroke: colour, width: 1.6, points: { show: pilot ? sparse : false, size: 6, fill: colour } }, { stroke: colour, width: 1.6, points: { show: false } }, edge(colour)],
    bands: [{ series: [3, 2], fill: ink(pilot ? "volts-tint" : "sunk") }],
    hooks: {
      // Only a plot that has drawn itself knows its size.
      ready: [function () { requestAnimationFrame(drawn); }],
      drawClear: pilot ? [drawBands] : [],
      draw: (pilot ? [drawCycles(lane)] : frames ? [drawFrames(lane)] : [drawMarks(lane)]).concat([drawStamps]),
      setCursor: [showCursor],
      setSelect: [selected],
    },
  }, [[view.range[0], view.range[1]], [null, null], [null, null], [null, null], [null, null]], lane.host);
  lane.plot.over.addEventListener("dblclick", doing.all);
  lane.plot.over.addEventListener("wheel", function (event) {
    if (!event.ctrlKey && document.activeElement !== lane.host) return;
    event.preventDefault();
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) pan(Math.sign(event.deltaX || event.deltaY) * 0.1);
    else zoom(event.deltaY > 0 ? 1.25 : 0.8, lane.plot.posToVal(event.clientX - lane.plot.over.getBoundingClientRect().left, "x"));
  }, { passive: false });
  touch(lane.plot.over);
}
function edge(colour) { return { stroke: colour, alpha: 0.35, width: 0.8, points: { show: false } }; }
function sparse(u) { return u.data[0].length > 2 && u.bbox.width / u.data[0].length > 8 * dpr(); }
export function drawn() { if (shown().every(function (lane) { return lane.plot; })) view.hooks.forEach(function (hook) { hook(); }); }
