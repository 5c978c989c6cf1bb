/* The trainer: a film that builds while a hand draws. Its equations are those of the server, and so are its constants. */
"use strict";
(function () {
  const canvas = document.querySelector("#trainer");
  if (!canvas) return;
  const c = JSON.parse(canvas.dataset.constants),
    form = document.querySelector("#drawn"),
    left = document.querySelector("#left"),
    done = document.querySelector('[data-trainer="done"]'),
    cap = document.querySelector('[data-trainer="turn"]'),
    lines = document.querySelector('[data-trainer="lines"]'),
    film = new Float64Array(c.columns * c.rows),
    bytes = new Uint8Array(film.length),
    cellX = c.width / c.columns,
    cellY = c.height / c.rows,
    held = new Set();
  let samples = [],
    gun = { x: 0, y: c.height / 2, pulled: false, down: false },
    began = 0,
    last = 0,
    over = false;
  const took = []; // what the last frames cost [ms]

  // --- the film: across the fan (1 - (2y/w)^2)^1.5, along the stroke a Gaussian spot --------------------------
  function across(y) {
    const open = 1 - (2 * y) ** 2 / c.fan ** 2;
    return open > 0 ? (open * Math.sqrt(open)) / (c.share * c.fan) : 0;
  }

  function spot(x) {
    return Math.abs(x) <= c.reach * c.spot ? Math.exp(-0.5 * (x / c.spot) ** 2) / (c.spot * Math.sqrt(2 * Math.PI)) : 0;
  }

  function stamp(into, x, y, down, dose) {
    const reachX = down ? c.fan / 2 : c.reach * c.spot,
      reachY = down ? c.reach * c.spot : c.fan / 2,
      firstX = Math.max(0, Math.floor((x - reachX) / cellX)),
      lastX = Math.min(c.columns - 1, Math.ceil((x + reachX) / cellX)),
      firstY = Math.max(0, Math.floor((y - reachY) / cellY)),
      lastY = Math.min(c.rows - 1, Math.ceil((y + reachY) / cellY)),
      alongX = [];
    for (let i = firstX; i <= lastX; i++) {
      const off = (i + 0.5) * cellX - x;
      alongX.push(down ? across(off) : spot(off));
    }
    for (let j = firstY; j <= lastY; j++) {
      const off = (j + 0.5) * cellY - y,
        share = dose * (down ? spot(off) : across(off));
      for (let i = firstX, at = j * c.columns + firstX; i <= lastX; i++, at++) into[at] += share * alongX[i - firstX];
    }
  }

  /* Lay what flowed from one sample to the next: [ms, x, y, pulled, down]. */
  function layBetween(into, one, next) {
    if (!one[3] || next[0] <= one[0]) return;
    const length = Math.hypot(next[1] - one[1], next[2] - one[2]),
      steps = Math.max(1, Math.ceil(length / (c.spot * c.step))),
      dose = (c.rate * (next[0] - one[0])) / 1000 / steps;
    for (let n = 0; n < steps; n++) {
      const share = (n + 0.5) / steps;
      stamp(into, one[1] + share * (next[1] - one[1]), one[2] + share * (next[2] - one[2]), one[4], dose);
    }
  }

  // --- drawing ----------------------------------------------------------------------------------------------
  function show() {
    for (let at = 0; at < film.length; at++) bytes[at] = Math.min(255, Math.round((film[at] / c.top) * 255));
    window.coolSheenGun.paint(canvas, bytes, c.columns, c.rows, (0.8 * c.least * 255) / c.top, (c.over * 255) / c.top);
    const context = canvas.getContext("2d"),
      scale = canvas.width / c.width;
    context.lineWidth = 1;
    if (lines.checked) {
      context.strokeStyle = "rgba(19, 34, 42, 0.35)";
      context.setLineDash([6, 6]);
      const span = gun.down ? c.width : c.height,
        count = Math.ceil(span / c.pitch - 1e-9) + 1,
        first = (span - (count - 1) * c.pitch) / 2;
      context.beginPath();
      for (let n = 0; n < count; n++) {
        const at = (first + n * c.pitch) * scale;
        context.moveTo(gun.down ? at : 0, gun.down ? 0 : at);
        context.lineTo(gun.down ? at : canvas.width, gun.down ? canvas.height : at);
      }
      context.stroke();
      context.setLineDash([]);
    }
    context.strokeStyle = gun.pulled ? "#13222a" : "#6f828b";
    context.lineWidth = gun.pulled ? 2.5 : 1.5;
    context.beginPath();
    const flat = c.spot * scale,
      long = (c.fan / 2) * scale;
    context.ellipse(gun.x * scale, gun.y * scale, gun.down ? long : flat, gun.down ? flat : long, 0, 0, 2 * Math.PI);
    context.stroke();
  }

  function steer(ms) {
    const way = (c.speed * ms * (held.has("Shift") ? 0.4 : 1)) / 1000,
      room = 120;
    gun.x += way * (held.has("ArrowRight") - held.has("ArrowLeft"));
    gun.y += way * (held.has("ArrowDown") - held.has("ArrowUp"));
    gun.x = Math.min(c.width + room, Math.max(-room, gun.x));
    gun.y = Math.min(c.height + room, Math.max(-room, gun.y));
  }

  function frame(now) {
    const before = performance.now();
    if (held.size) steer(Math.min(100, now - last));
    last = now;
    if (gun.pulled && !began && !over) {
      began = now;
      done.disabled = false;
    }
    if (began && !over) {
      note(now - began);
      const rest = Math.max(0, c.seconds - (now - began) / 1000);
      left.textContent = `${Math.ceil(rest)} s`;
      if (rest <= 0) end();
    }
    show();
    took.push(performance.now() - before);
    if (took.length > 600) took.shift();
    requestAnimationFrame(frame);
  }

  /* One sample, as it is sent: whole milliseconds, tenths of a millimetre. */
  function note(ms) {
    const next = [Math.round(ms), Math.round(10 * gun.x) / 10, Math.round(10 * gun.y) / 10, gun.pulled, gun.down];
    if (samples.length) layBetween(film, samples[samples.length - 1], next);
    samples.push(next);
  }

  // --- the hand ---------------------------------------------------------------------------------------------
  function move(event) {
    const box = canvas.getBoundingClientRect();
    gun.x = ((event.clientX - box.left) / box.width) * c.width;
    gun.y = ((event.clientY - box.top) / box.height) * c.height;
  }
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    canvas.focus({ preventScroll: true });
    move(event);
    gun.pulled = !over;
    event.preventDefault();
  });
  canvas.addEventListener("pointermove", move);
  for (const up of ["pointerup", "pointercancel", "lostpointercapture"])
    canvas.addEventListener(up, () => (gun.pulled = false));
  const KEYS = ["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Shift"];
  canvas.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    if (KEYS.includes(event.key)) held.add(event.key);
    else if (event.key === " ") gun.pulled = !over && (event.repeat ? gun.pulled : !gun.pulled);
    else if (event.key.toLowerCase() === "f") turn();
    else if (event.key === "Enter") end();
    else return;
    event.preventDefault();
    event.stopPropagation();
  });
  canvas.addEventListener("keyup", (event) => held.delete(event.key));
  canvas.addEventListener("blur", () => {
    held.clear();
    gun.pulled = false;
  });

  function turn() {
    gun.down = !gun.down;
    cap.setAttribute("aria-pressed", String(gun.down));
  }

  function anew() {
    film.fill(0);
    samples = [];
    began = 0;
    over = false;
    gun.pulled = false;
    done.disabled = true;
    left.textContent = `${c.seconds} s`;
    canvas.focus({ preventScroll: true });
  }

  function end() {
    if (!began || over) return;
    over = true;
    gun.pulled = false;
    done.disabled = true;
    const values = Object.fromEntries(new FormData(form));
    values.samples = samples.map(([ms, x, y, on, down]) => `${ms} ${Math.round(10 * x)} ${Math.round(10 * y)} ${+on} ${+down}`).join(";");
    window.htmx.ajax("POST", "/gun/trainer", { values, target: "#told", swap: "innerHTML" });
  }
  document.addEventListener("htmx:afterSettle", () => {
    const next = document.querySelector("[data-next-press]");
    if (next) form.elements.press.value = next.value;
  });

  const DOES = { done: end, anew, turn };
  document.addEventListener("click", (event) => {
    const button = event.target.closest("button[data-trainer]");
    if (button) DOES[button.dataset.trainer]();
  });

  /* For whoever holds both against each other: the film that these samples leave. */
  window.coolSheenGun.filmOf = (drawn) => {
    const into = new Float64Array(film.length);
    for (let n = 1; n < drawn.length; n++) layBetween(into, drawn[n - 1], drawn[n]);
    return Array.from(into);
  };
  window.coolSheenGun.frames = took;
  requestAnimationFrame(frame);
})();
