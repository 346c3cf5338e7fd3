// What is painted into a lane: accept bands, cycles, marks, who spoke, stamped events.
import { data, onClock } from "./state.js";
import { dpr, ink, number } from "./units.js";

// Volts of a pilot: only the levels that mean something are named, with the accept band behind each.
export const levels = data.states.map(function (state) { return state.nominal; });
export const names = new Map(data.states.map(function (state) { return [state.nominal, state.letter]; }));

export function drawBands(u) {
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

export function drawCycles(lane) {
  return function (u) {
    if (!lane.cycles.length) return;
    const x = function (s) { return u.valToPos(onClock(lane, s), "x", true); }, y = function (v) { return u.valToPos(v, "y", true); };
    clipped(u, function (c) {
      const d = dpr(), base = y(data.volts.duty);
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

export function drawMarks(lane) {
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
export function drawFrames(lane) {
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

// Stamped events run through every lane as thin lines; their words stand in the strip below.
export function drawStamps(u) {
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
