// Behaviour shared by all pages: theme, menus, drop zone, local times.
(function () {
  "use strict";

  const root = document.documentElement;
  const button = document.getElementById("theme");
  function nameTheme() { button.textContent = root.getAttribute("data-bs-theme") === "dark" ? "Light" : "Dark"; }
  if (button) {
    nameTheme();
    button.addEventListener("click", function () {
      const next = root.getAttribute("data-bs-theme") === "dark" ? "light" : "dark";
      root.setAttribute("data-bs-theme", next);
      try { localStorage.setItem("theme", next); } catch (error) { /* not kept, still shown */ }
      nameTheme();
      document.dispatchEvent(new Event("gw:theme"));
    });
  }

  // Stored in UTC, shown in the time of the place where the page is read.
  function localTimes(scope) {
    scope.querySelectorAll("time[datetime]").forEach(function (node) {
      const when = new Date(node.dateTime);
      if (!isNaN(when)) {
        node.title = node.textContent;
        node.textContent = when.toLocaleString("en-GB", { day: "2-digit", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit" });
      }
    });
  }
  localTimes(document);

  document.querySelectorAll("[data-menu]").forEach(function (opener) {
    const menu = document.getElementById(opener.dataset.menu);
    function show(open) { menu.hidden = !open; opener.setAttribute("aria-expanded", String(open)); }
    opener.addEventListener("click", function () { show(menu.hidden); });
    document.addEventListener("click", function (event) { if (!opener.parentNode.contains(event.target)) show(false); });
    document.addEventListener("keydown", function (event) { if (event.key === "Escape" && !menu.hidden) { show(false); opener.focus(); } });
  });

  const most = 1024 * 1024 * 1024;
  function refuse(text) {
    const place = document.getElementById("refusal");
    place.innerHTML = "<div class='panel pad mb-3'></div>";
    place.firstChild.textContent = text;
    place.scrollIntoView({ block: "nearest" });
  }

  document.querySelectorAll("form[data-drop]").forEach(function (form) {
    const input = form.querySelector("input[type=file]");
    const zone = form.querySelector(".drop");
    const title = zone.querySelector("strong");
    const words = title.textContent;
    const progress = zone.querySelector("progress");
    function send() {
      if (!input.files.length) return;
      const large = Array.from(input.files).find(function (file) { return file.size > most; });
      if (large) { refuse("“" + large.name + "” is larger than 1024 MiB. Nothing was sent. Record a shorter stretch, at a lower rate, or pack it with gzip."); input.value = ""; return; }
      zone.classList.add("busy");
      title.textContent = "Sending " + (input.files.length === 1 ? input.files[0].name : input.files.length + " files") + "…";
      htmx.trigger(form, "submit");
    }
    input.addEventListener("change", send);
    form.addEventListener("htmx:xhr:progress", function (event) {
      if (event.detail.lengthComputable) {
        progress.value = event.detail.loaded / event.detail.total;
        if (progress.value >= 1) title.textContent = "Reading and measuring…";
      }
    });
    form.addEventListener("htmx:afterRequest", function (event) {
      if (event.detail.successful) return;
      zone.classList.remove("busy");
      title.textContent = words;
      input.value = "";
    });
    form.addEventListener("htmx:sendError", function () { refuse("The file could not be sent: the server did not answer. Nothing was stored."); });
    ["dragenter", "dragover"].forEach(function (name) { document.addEventListener(name, function (event) { event.preventDefault(); zone.classList.add("over"); }); });
    document.addEventListener("dragleave", function (event) { if (!event.relatedTarget) zone.classList.remove("over"); });
    document.addEventListener("drop", function (event) {
      event.preventDefault();
      zone.classList.remove("over");
      if (event.dataTransfer && event.dataTransfer.files.length) { input.files = event.dataTransfer.files; send(); }
    });
  });

  // A refused request still tells the person why.
  document.addEventListener("htmx:beforeSwap", function (event) {
    if (event.detail.xhr.status >= 400) { event.detail.shouldSwap = true; event.detail.isError = false; }
  });
})();
document.addEventListener("click", (event) => { if (event.target.closest("[data-print]")) window.print(); });
