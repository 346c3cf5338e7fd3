// Ink, numbers and pixels: what every drawing of the lanes needs.

export function ink(name) { return getComputedStyle(document.documentElement).getPropertyValue("--gw-" + name).trim(); }
export function number(value, digits) { return (value + 0).toFixed(digits).replace("-", "−"); }
export function digitsFor(step) { return Math.min(9, Math.max(0, Math.ceil(-Math.log10(step)))); }
export function dpr() { return window.devicePixelRatio || 1; }
