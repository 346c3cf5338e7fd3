/* Films and photographs of displays, stepped through in the browser; nothing of them is sent but the frames that are read. */
"use strict";
window.gladFilm = (function () {
  const WIDE = 960, SMALL = 64, CHANGED = 9;
  const sides = [null, null];
  const $ = (id) => document.getElementById(id);

  // The moment a photograph was taken, in seconds, from its Exif data (DateTimeOriginal), else from the file's own date.
  async function takenAt(file) {
    const view = new DataView(await file.slice(0, 131072).arrayBuffer());
    const text = (at, n) => Array.from({ length: n }, (_, i) => String.fromCharCode(view.getUint8(at + i))).join("");
    try {
      let at = 2;
      while (at + 4 < view.byteLength && view.getUint16(0) === 0xffd8) {
        const kind = view.getUint16(at), size = view.getUint16(at + 2);
        if (kind === 0xffe1 && text(at + 4, 4) === "Exif") {
          const base = at + 10, little = text(base, 2) === "II";
          const u16 = (o) => view.getUint16(base + o, little), u32 = (o) => view.getUint32(base + o, little);
          const find = (dir, tag) => {
            for (let i = 0; i < u16(dir); i += 1) { const e = dir + 2 + 12 * i; if (u16(e) === tag) return e; }
            return 0;
          };
          const sub = find(u32(4), 0x8769);
          const entry = sub ? find(u32(sub + 8), 0x9003) : 0;
          if (entry) {
            const m = text(base + u32(entry + 8), 19).match(/(\d+):(\d+):(\d+) (\d+):(\d+):(\d+)/);
            if (m) return { s: Date.UTC(+m[1], m[2] - 1, +m[3], +m[4], +m[5], +m[6]) / 1000, own: true };
          }
        }
        at += 2 + size;
      }
    } catch (error) { /* a picture without Exif has the file's date */ }
    return { s: file.lastModified / 1000, own: false };
  }

  function canvasOf(source, width, height, most) {
    const canvas = document.createElement("canvas");
    const by = Math.min(1, most / width);
    canvas.width = Math.round(width * by);
    canvas.height = Math.round(height * by);
    canvas.getContext("2d", { willReadFrequently: true }).drawImage(source, 0, 0, canvas.width, canvas.height);
    return canvas;
  }

  class Film {
    constructor(file, place) {
      this.name = file.name;
      this.film = true;
      this.node = document.createElement("video");
      this.node.muted = true;
      this.node.playsInline = true;
      this.node.preload = "auto";
      this.node.src = URL.createObjectURL(file);
      place.replaceChildren(this.node);
      this.ready = new Promise((done, fail) => {
        this.node.addEventListener("loadeddata", done, { once: true });
        this.node.addEventListener("error", () => fail(new Error(`“${file.name}” cannot be played here`)), { once: true });
      });
    }
    get at() { return this.node.currentTime; }
    get length() { return this.node.duration; }
    async go(s) {
      const to = Math.max(0, Math.min(s, this.length - 0.01));
      if (Math.abs(to - this.at) < 1e-3) return;
      await new Promise((done) => { this.node.addEventListener("seeked", done, { once: true }); this.node.currentTime = to; });
    }
    picture(most) { return canvasOf(this.node, this.node.videoWidth, this.node.videoHeight, most); }
  }

  class Photos {
    constructor(files, place) {
      this.film = false;
      this.node = document.createElement("img");
      this.node.alt = "Photograph of a display";
      place.replaceChildren(this.node);
      this.ready = Promise.all(files.map(async (file) => ({ file, taken: await takenAt(file) }))).then((all) => {
        all.sort((a, b) => a.taken.s - b.taken.s);
        this.all = all;
        return this.show(0);
      });
    }
    get name() { return this.all[this.number].file.name; }
    get at() { return this.all[this.number].taken.s - this.all[0].taken.s; }
    get length() { return this.all[this.all.length - 1].taken.s - this.all[0].taken.s + 1; }
    async show(n) {
      this.number = Math.max(0, Math.min(n, this.all.length - 1));
      if (this.address) URL.revokeObjectURL(this.address);
      this.address = URL.createObjectURL(this.all[this.number].file);
      this.node.src = this.address;
      await this.node.decode();
    }
    async go(s) {
      let best = 0;
      this.all.forEach((one, i) => { if (Math.abs(one.taken.s - this.all[0].taken.s - s) < Math.abs(this.all[best].taken.s - this.all[0].taken.s - s)) best = i; });
      await this.show(best);
    }
    next(step) { return this.show(this.number + step); }
    picture(most) { return canvasOf(this.node, this.node.naturalWidth, this.node.naturalHeight, most); }
  }

  const number = (id) => parseFloat($(id).value.replace(",", ".")) || 0;

  async function together() {
    if (sides[0] && sides[1]) await sides[1].go(sides[0].at + number("film-shift"));
  }

  async function choose(side, files) {
    if (!files.length) return;
    let place = $(`side-${side}`);
    $("no-film").hidden = true;
    if (!place) {
      place = document.createElement("div");
      place.id = `side-${side}`;
      place.className = "side-film";
      $("stage").append(place);
    }
    const list = Array.from(files);
    sides[side] = list[0].type.startsWith("video") ? new Film(list[0], place) : new Photos(list, place);
    try { await sides[side].ready; } catch (error) { place.textContent = `${error.message}. Another format may be.`; sides[side] = null; return; }
    $("film-keys").hidden = $("film-clock").hidden = false;
    await together();
  }

  function differs(a, b) {
    const [x, y] = [a, b].map((c) => c.getContext("2d").getImageData(0, 0, c.width, c.height).data);
    let most = 0;
    // The largest change of any tile: one digit is a small part of the picture.
    const tiles = new Float64Array(64), counts = new Float64Array(64);
    for (let i = 0; i < x.length; i += 4) {
      const p = i / 4, tile = Math.floor((p % a.width) * 8 / a.width) + 8 * Math.floor(Math.floor(p / a.width) * 8 / a.height);
      tiles[tile] += Math.abs(x[i] - y[i]) + Math.abs(x[i + 1] - y[i + 1]) + Math.abs(x[i + 2] - y[i + 2]);
      counts[tile] += 3;
    }
    for (let t = 0; t < 64; t += 1) if (counts[t]) most = Math.max(most, tiles[t] / counts[t]);
    return most;
  }

  async function step(by) {
    const film = sides[0] || sides[1];
    if (!film) return;
    if (!film.film) {
      await film.next(by === "change" || by > 0 ? 1 : -1);
    } else if (by === "change") {
      const before = film.picture(SMALL * 4);
      const end = Math.min(film.length, film.at + 600);
      for (let s = film.at + 0.5; s < end; s += 0.5) {
        await film.go(s);
        if (differs(before, film.picture(SMALL * 4)) > CHANGED) break;
      }
    } else {
      await film.go(film.at + by);
    }
    await together();
  }

  // What is seen now: the moment since plug-in, and a JPEG of the displays side by side.
  async function seen() {
    const shown = sides.filter(Boolean);
    if (!shown.length) return null;
    const parts = shown.map((s) => s.picture(WIDE / shown.length));
    const canvas = document.createElement("canvas");
    canvas.width = parts.reduce((sum, c) => sum + c.width, 0);
    canvas.height = Math.max(...parts.map((c) => c.height));
    let x = 0;
    for (const part of parts) { canvas.getContext("2d").drawImage(part, x, 0); x += part.width; }
    const jpeg = await new Promise((done) => canvas.toBlob(done, "image/jpeg", 0.8));
    const film = shown[0];
    return { at: Math.round((film.at - number("film-zero")) * 10) / 10, film_s: film.film ? film.at : null, name: film.name, jpeg };
  }

  document.addEventListener("DOMContentLoaded", () => {
    if (!$("readings")) return;
    $("film-1").addEventListener("change", (event) => choose(0, event.target.files));
    $("film-2").addEventListener("change", (event) => choose(1, event.target.files));
    $("film-shift").addEventListener("change", together);
    const stage = $("stage");
    stage.addEventListener("dragover", (event) => event.preventDefault());
    stage.addEventListener("drop", (event) => { event.preventDefault(); choose(sides[0] ? 1 : 0, event.dataTransfer.files); });
  });
  return { step, seen };
})();
