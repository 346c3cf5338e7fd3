// Sliders and the draggable edge of the duty drawing: whichever of duty and current was moved last leads.
(function () {
  "use strict";
  function leads(field) {
    const choice = field.form && field.form.elements.namedItem("leads");
    if (choice && (field.name === "duty" || field.name === "amps")) choice.value = field.name;
  }
  function set(field, value) {
    field.value = value;
    leads(field);
    field.dispatchEvent(new Event("input", { bubbles: true }));
  }
  document.querySelectorAll("[data-slides]").forEach(function (slider) {
    const field = document.getElementById(slider.dataset.slides);
    slider.addEventListener("input", function () { set(field, slider.value); });
    field.addEventListener("input", function () { leads(field); slider.value = field.value.replace(",", "."); });
  });
  // What follows is filled in without asking anew, and never under the fingers of who types.
  document.addEventListener("htmx:afterSwap", function (event) {
    const form = event.target.closest("section") && event.target.closest("section").querySelector("form");
    if (!form) return;
    event.target.querySelectorAll("[data-follow]").forEach(function (told) {
      const field = form.elements.namedItem(told.dataset.follow), choice = form.elements.namedItem("leads");
      if (!field || field === document.activeElement || (choice && choice.value === field.name)) return;
      field.value = told.dataset.value;
      const slider = form.querySelector("[data-slides='" + field.id + "']");
      if (slider) slider.value = told.dataset.value;
    });
  });
  let held = null;
  document.addEventListener("pointerdown", function (event) {
    const drawing = event.target.closest("[data-duty-edge]");
    if (!drawing) return;
    held = drawing.closest("section");
    move(event);
    event.preventDefault();
  });
  function move(event) {
    const drawing = held && held.querySelector("[data-duty-edge]");
    if (!drawing) return;
    const box = drawing.getBoundingClientRect();
    const share = ((event.clientX - box.left) / box.width * 300 - 10) / 280;
    set(held.querySelector("[name=duty]"), (100 * Math.min(1, Math.max(0, share))).toFixed(1));
  }
  document.addEventListener("pointermove", function (event) { if (held) move(event); });
  document.addEventListener("pointerup", function () { held = null; });
})();
