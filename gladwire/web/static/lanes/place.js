// Placing a recording on the clock by hand, and stamping what was heard and seen at the cursor.
import { moved } from "./moving.js";
import { lanes, view } from "./state.js";

const form = document.getElementById("stamp-form");

view.stamp = function (at) {
  form.hidden = !form.hidden;
  if (form.hidden) return;
  const range = view.range;
  document.getElementById("stamp-at").value = at.toFixed(Math.min(6, Math.max(2, Math.ceil(-Math.log10((range[1] - range[0]) / 400)))));
  document.getElementById("stamp-kind").focus();
};

function setOffset(capture, offset) {
  lanes.forEach(function (lane) {
    if (lane.capture !== capture) return;
    const by = offset - lane.offset;
    lane.offset = offset; lane.start += by; lane.end += by; lane.aside = false;
  });
  moved();
}
function offsetOf(capture) { return lanes.find(function (lane) { return lane.capture === capture; }).offset; }

document.querySelectorAll("[data-offset]").forEach(function (input) {
  input.addEventListener("change", function () {
    const value = Number(input.value.replace(",", ".").replace("−", "-"));
    if (input.value.trim() && Number.isFinite(value)) setOffset(Number(input.dataset.offset), value);
  });
});
document.querySelectorAll("[data-drag]").forEach(function (button) {
  button.addEventListener("click", function () {
    const capture = Number(button.dataset.drag), on = view.dragging !== capture;
    view.dragging = on ? capture : null;
    document.querySelectorAll("[data-drag]").forEach(function (other) { other.setAttribute("aria-pressed", String(on && other === button)); });
    document.getElementById("lanes").classList.toggle("placing", on);
    if (on) document.getElementById("lanes").scrollIntoView({ block: "start", behavior: "smooth" });
  });
});

// A lane of the recording being placed follows the pointer; the plot's own selection stays quiet.
const list = document.getElementById("lane-list");
let grip = null;
list.addEventListener("pointerdown", function (event) {
  const section = event.target.closest("[data-lane]");
  if (view.dragging == null || !section || !event.target.closest(".plot")) return;
  const lane = lanes.find(function (one) { return one.id === Number(section.dataset.lane); });
  if (lane.capture !== view.dragging) return;
  grip = { lane: lane, x: event.clientX, from: lane.offset };
  list.setPointerCapture(event.pointerId);
  event.preventDefault();
}, true);
list.addEventListener("mousedown", function (event) { if (grip) event.stopPropagation(); }, true);
list.addEventListener("pointermove", function (event) {
  if (!grip) return;
  const range = view.range, width = grip.lane.plot.over.clientWidth;
  const offset = grip.from + ((event.clientX - grip.x) / width) * (range[1] - range[0]);
  setOffset(grip.lane.capture, offset);
  const input = document.querySelector("[data-offset='" + grip.lane.capture + "']");
  if (input) input.value = offsetOf(grip.lane.capture).toFixed(4);
});
["pointerup", "pointercancel"].forEach(function (name) { list.addEventListener(name, function () { grip = null; }); });
