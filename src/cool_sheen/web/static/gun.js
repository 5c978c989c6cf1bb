/* The gun bench: films on a canvas, and the beat of a stroke. */
"use strict";
(function () {
  const LEAST = [250, 252, 252], // no film
    MOST = [8, 71, 84]; // the top of the scale: one hue, darker with the film

  /* Colours by byte, four to a pixel: plain, with a dot (thin), with a bar (it would run). */
  const tableOf = (mixed) => {
    const table = new Uint32Array(256);
    for (let byte = 0; byte < 256; byte++) {
      const [r, g, b] = LEAST.map((low, n) => Math.round(low + (MOST[n] - low) * mixed(byte / 255)));
      table[byte] = (255 << 24) | (b << 16) | (g << 8) | r;
    }
    return table;
  };
  const PLAIN = tableOf((share) => share),
    DOTTED = tableOf((share) => Math.min(1, share + 0.45)),
    BARRED = tableOf(() => 0.18);

  /* Paint cells of a byte each; every cell becomes a square of pixels, so that dots and bars can be seen. */
  function paint(canvas, cells, columns, rows, thin, over) {
    const context = canvas.getContext("2d"),
      image = (canvas.image ||= context.createImageData(canvas.width, canvas.height)),
      pixels = (canvas.pixels ||= new Uint32Array(image.data.buffer)),
      width = canvas.width,
      height = canvas.height;
    for (let y = 0, at = 0; y < height; y++) {
      const row = Math.floor((y * rows) / height) * columns;
      for (let x = 0; x < width; x++, at++) {
        const byte = cells[row + Math.floor((x * columns) / width)];
        let table = PLAIN;
        if (byte > over) table = (x - y + 4096) % 8 < 3 ? BARRED : PLAIN;
        else if (byte && byte < thin && y % 4 === 0 && (x + (y % 8 ? 4 : 0)) % 8 === 0) table = DOTTED;
        pixels[at] = table[byte];
      }
    }
    context.putImageData(image, 0, 0);
  }

  function showFields() {
    for (const canvas of document.querySelectorAll("canvas.field-canvas[data-cells]")) {
      if (canvas.shown === canvas.dataset.cells) continue;
      canvas.shown = canvas.dataset.cells;
      canvas.dataset.painted = String((canvas.times = (canvas.times || 0) + 1));
      const text = atob(canvas.dataset.cells),
        cells = Uint8Array.from(text, (c) => c.charCodeAt(0));
      paint(canvas, cells, +canvas.dataset.columns, +canvas.dataset.rows, +canvas.dataset.thin, +canvas.dataset.over);
    }
    for (const ramp of document.querySelectorAll("canvas.field-ramp")) {
      const cells = Uint8Array.from({ length: 256 }, (_, n) => n);
      paint(ramp, cells, 256, 1, +ramp.dataset.thin, +ramp.dataset.over);
    }
  }

  // --- the beat --------------------------------------------------------------
  let audio = null,
    beating = 0;

  function click() {
    try {
      audio ||= new AudioContext();
      audio.resume();
      const tone = audio.createOscillator(),
        level = audio.createGain();
      tone.frequency.value = 880;
      level.gain.setValueAtTime(0.2, audio.currentTime);
      level.gain.exponentialRampToValueAtTime(0.0001, audio.currentTime + 0.06);
      tone.connect(level).connect(audio.destination);
      tone.start();
      tone.stop(audio.currentTime + 0.07);
    } catch {
      /* a machine without sound still shows the bar */
    }
  }

  function swing(box, began, struck) {
    if (!beating || !box.isConnected) return (beating = 0);
    const every = +box.dataset.beat || 1000,
      gone = (performance.now() - began) / every,
      share = gone % 2 < 1 ? gone % 1 : 1 - (gone % 1),
      count = Math.floor(gone);
    box.querySelector(".beat-bar i").style.left = `${100 * share}%`;
    if (count > struck) {
      click();
      box.dataset.strokes = String(count);
    }
    requestAnimationFrame(() => swing(box, began, count));
  }

  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-beat-switch]");
    if (!button) return;
    beating = beating ? 0 : 1;
    button.setAttribute("aria-pressed", String(Boolean(beating)));
    button.textContent = beating ? "Stop" : "Beat it";
    if (beating) {
      click();
      swing(button.closest("[data-beat]"), performance.now(), 0);
    }
  });

  window.coolSheenGun = { paint };
  showFields();
  document.addEventListener("htmx:afterSettle", showFields);
})();
