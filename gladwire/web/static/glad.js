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
      if (!isNaN(when) && node.dateTime.includes("T")) {  // a day is the same day everywhere
        node.title = node.textContent;
        node.textContent = when.toLocaleString("en-GB", { day: "2-digit", month: "short", year: "numeric", hour: "2-digit", minute: "2-digit" });
      }
    });
  }
  localTimes(document);
  document.addEventListener("htmx:afterSwap", function (event) { localTimes(event.detail.target); });

  document.querySelectorAll("[data-menu]").forEach(function (opener) {
    const menu = document.getElementById(opener.dataset.menu);
    function show(open) { menu.hidden = !open; opener.setAttribute("aria-expanded", String(open)); }
    opener.addEventListener("click", function () { show(menu.hidden); });
    document.addEventListener("click", function (event) { if (!opener.parentNode.contains(event.target)) show(false); });
    document.addEventListener("keydown", function (event) { if (event.key === "Escape" && !menu.hidden) { show(false); opener.focus(); } });
  });

  // What scrolls must be reached by keys too; what does not is no stop on the way.
  function reachable() {
    document.querySelectorAll(".scroll").forEach(function (box) {
      if (box.scrollWidth > box.clientWidth || box.scrollHeight > box.clientHeight) { box.tabIndex = 0; } else { box.removeAttribute("tabindex"); }
    });
  }
  reachable();
  window.addEventListener("resize", reachable);

  // Figures read from a label go into fields nobody has filled; the form is kept by who looks at it.
  document.addEventListener("click", function (event) {
    if (!event.target.closest("[data-fill]")) { return; }
    document.querySelectorAll("#label-read [data-field]").forEach(function (read) {
      const field = document.getElementById("q-" + read.dataset.field);
      if (field && !field.value) { field.value = read.dataset.value; field.classList.add("filled"); }
    });
  });

  // A picture of a label is turned and made smaller here: a phone's own is large, and lies on its side.
  async function smaller(file) {
    const most = 2400, image = await createImageBitmap(file, { imageOrientation: "from-image" });
    const by = Math.min(1, most / Math.max(image.width, image.height)), canvas = document.createElement("canvas");
    canvas.width = Math.round(image.width * by);
    canvas.height = Math.round(image.height * by);
    canvas.getContext("2d").drawImage(image, 0, 0, canvas.width, canvas.height);
    return new Promise(function (done) { canvas.toBlob(done, "image/png"); });
  }
  document.addEventListener("change", async function (event) {
    const input = event.target.closest("[data-label]"), told = document.getElementById("label-read");
    if (!input || !input.files.length) { return; }
    told.textContent = "Reading the picture…";
    const form = new FormData();
    try {
      form.append("label_picture", await smaller(input.files[0]), "label.png");
      const answer = await fetch(input.dataset.label, { method: "POST", body: form, headers: { "HX-Request": "true" } });
      told.innerHTML = await answer.text();
      const read = told.querySelector("[data-read]");
      if (read) { document.getElementById("label-text").value = read.textContent; }
    } catch (error) { told.textContent = "The picture could not be read: type what is printed on it."; }
  });

  // Number pads of phones have no minus.
  document.addEventListener("click", function (event) {
    const button = event.target.closest("[data-sign]");
    if (!button) { return; }
    const field = document.getElementById(button.dataset.sign);
    field.value = field.value.startsWith("-") ? field.value.slice(1) : "-" + field.value;
    field.dispatchEvent(new Event("input", { bubbles: true }));
    field.focus();
  });

  const opener = document.getElementById("nav-opener");
  if (opener) {
    opener.addEventListener("click", function () {
      opener.setAttribute("aria-expanded", String(document.getElementById("nav").classList.toggle("open")));
    });
  }
  document.addEventListener("keydown", function (event) {
    if (event.key !== "/" || event.ctrlKey || event.metaKey || event.altKey || event.target.closest("input, textarea, select, [contenteditable]")) { return; }
    const box = document.getElementById("q") || document.getElementById("find");
    if (box) { event.preventDefault(); box.focus(); box.select(); }
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
      form.requestSubmit();
    }
    input.addEventListener("change", send);
    form.addEventListener("gw:kept-here", function () { zone.classList.remove("busy"); title.textContent = words; });
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

// One box over a long page: rows that do not hold every word of it are hidden, and groups that are left empty with them.
(function () {
  "use strict";
  const box = document.querySelector("[data-filter]");
  if (!box) { return; }
  const groups = Array.from(document.querySelectorAll("[data-group]"));
  const rowsOf = function (group) { return Array.from(group.querySelectorAll("tbody > tr, ul > li:not(td li)")); };
  const rows = groups.flatMap(rowsOf);
  // A heading counts for every row under it.
  const texts = new Map(groups.flatMap(function (group) {
    const heading = (group.querySelector("h2") || group).textContent;
    return rowsOf(group).map(function (row) { return [row, (heading + " " + (row.dataset.find || row.textContent)).toLowerCase()]; });
  }));
  function apply() {
    const words = box.value.toLowerCase().split(/\s+/).filter(Boolean);
    rows.forEach(function (row) {
      row.hidden = !words.every(function (word) { return texts.get(row).includes(word); });
    });
    groups.forEach(function (group) { group.hidden = rowsOf(group).every(function (row) { return row.hidden; }); });
    const shown = rows.filter(function (row) { return !row.hidden; }).length;
    document.querySelector("[data-filter-says]").textContent = words.length ? shown + " of " + rows.length : "";
  }
  box.addEventListener("input", apply);
  apply();
})();
