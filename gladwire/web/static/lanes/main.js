// Lanes on one clock: decimated samples from the server, one cursor, one zoom, one readout.
import { listen } from "./controls.js";
import { drawn, layOut } from "./plots.js";
import { fetchRange } from "./samples.js";
import { shown, view } from "./state.js";
import "./place.js";
import "./ribbon.js";

const list = document.getElementById("lane-list");
let width = 0;
listen();
new ResizeObserver(function () {
  if (!width || width === list.clientWidth) return;
  width = list.clientWidth;
  shown().forEach(function (lane) { lane.plot.setSize({ width: lane.host.clientWidth, height: lane.host.clientHeight }); });
  drawn();
  fetchRange();
}).observe(list);
document.fonts.ready.then(function () { width = list.clientWidth; layOut(); });
// For whoever looks at the page from outside.
window.gwLanes = { view: view, shown: shown };
