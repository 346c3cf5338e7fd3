// Keys, buttons, fingers and clicks.
import { choose, cursorTime, jump, main, moveCursor, pan, show, step, zoom } from "./moving.js";
import { layOut, list } from "./plots.js";
import { keep, lanes, onClock, pilots, view, whole } from "./state.js";

export const doing = {
  all: function () { show(whole[0], whole[1]); },
  in: function () { zoom(0.5); },
  out: function () { zoom(2); },
  next: function () { step(1); },
  previous: function () { step(-1); },
  cycles: function () {
    const lane = view.chosen ? view.chosen.lane : pilots()[0], l = main();
    if (!lane) return;
    const one = view.chosen && lane.segments[view.chosen.index].duty != null ? lane.segments[view.chosen.index] : lane.segments.find(function (segment) { return segment.duty != null; });
    const at = l && l.plot.cursor.left >= 0 ? cursorTime() : one ? onClock(lane, (one.start + one.end) / 2) : (view.range[0] + view.range[1]) / 2;
    show(at - 0.0025, at + 0.0025);
  },
  stamp: function () { view.stamp(cursorTime()); },
};
const keys = {
  ArrowLeft: function (event) { if (event.shiftKey) pan(-0.2); else moveCursor(-2); },
  ArrowRight: function (event) { if (event.shiftKey) pan(0.2); else moveCursor(2); },
  "+": doing.in, "=": doing.in, "-": doing.out, "0": doing.all, n: doing.next, p: doing.previous, c: doing.cycles, m: doing.stamp,
  Home: function () { show(whole[0], whole[0] + view.range[1] - view.range[0]); },
  End: function () { show(whole[1] - view.range[1] + view.range[0], whole[1]); },
};

export function touch(over) {
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
      const factor = before.apart / apart, span = view.range[1] - view.range[0];
      const fixed = view.range[0] + (before.middle / width) * span;
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

export function listen() {
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
    if (section && event.target.classList.contains("plot")) view.focused = lanes.find(function (lane) { return lane.id === Number(section.dataset.lane); });
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
    if (link) link.href = link.dataset.span + "?from=" + view.range[0] + "&to=" + view.range[1];
  }, true);
  document.addEventListener("gw:theme", layOut);
}
