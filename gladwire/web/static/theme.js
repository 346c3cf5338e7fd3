// Light by default, dark by choice; set before the first paint.
(function () {
  "use strict";
  let chosen = "light";
  try { chosen = localStorage.getItem("theme") || "light"; } catch (error) { /* storage may be off: light then */ }
  document.documentElement.setAttribute("data-bs-theme", chosen === "dark" ? "dark" : "light");
})();
// What only works with scripts shows only with them.
document.documentElement.classList.add("js");
