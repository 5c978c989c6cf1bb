// Presses and photos that could not be sent: kept on this device with their own times, sent later, once each, in order.
(function () {
  "use strict";
  const KEPT = "cool-sheen-outbox";
  const WORDS = "coat|touch|sand|step|bake|reading|note|enough|correct|move|skip|passed|undo|pieces/(?:begin|done|pause)";
  const LOGS = new RegExp(`^/parts/[0-9a-f-]{36}/(${WORDS})$`);
  const AGAIN_MS = 3000;
  const $ = (selector, from) => (from || document).querySelector(selector);

  function read() {
    try {
      return JSON.parse(localStorage.getItem(KEPT) || "[]");
    } catch {
      return [];
    }
  }
  function write(items) {
    try {
      localStorage.setItem(KEPT, JSON.stringify(items));
      return true;
    } catch {
      return false; // a private window, or no room
    }
  }
  const change = (press, how) => write(read().flatMap((item) => (item.press === press ? how(item) : [item])));
  const partOf = (item) => item.path.split("/")[2];

  // an id that works on a page without TLS, too
  function newId() {
    const bytes = crypto.getRandomValues(new Uint8Array(16));
    bytes[6] = (bytes[6] & 0x0f) | 0x40;
    bytes[8] = (bytes[8] & 0x3f) | 0x80;
    const hex = Array.from(bytes, (b) => b.toString(16).padStart(2, "0")).join("");
    return hex.replace(/^(.{8})(.{4})(.{4})(.{4})(.{12})$/, "$1-$2-$3-$4-$5");
  }

  // --- photos are too large for where presses are kept: they lie apart, under the id of their press ------------------
  const PICTURES = "photos";
  const opened = () =>
    new Promise((done, fail) => {
      const asked = indexedDB.open("cool-sheen", 1);
      asked.onupgradeneeded = () => asked.result.createObjectStore(PICTURES);
      asked.onsuccess = () => done(asked.result);
      asked.onerror = () => fail(asked.error);
    });
  async function inPictures(mode, does) {
    const database = await opened();
    try {
      return await new Promise((done, fail) => {
        const taken = database.transaction(PICTURES, mode),
          asked = does(taken.objectStore(PICTURES));
        taken.oncomplete = () => done(asked.result);
        taken.onabort = () => fail(taken.error);
      });
    } finally {
      database.close();
    }
  }
  // what is sent, or taken back, leaves nothing behind
  async function letGo(item) {
    change(item.press, () => []);
    if (item.photo) await inPictures("readwrite", (there) => there.delete(item.press)).catch(() => {});
  }
  // keeps one photo. False where this device cannot keep anything, or has no more room.
  async function keepPhoto(path, fields, file, name) {
    try {
      await inPictures("readwrite", (there) => there.put(file, fields.press));
    } catch {
      return false;
    }
    const words = ["Photo", file.name].filter(Boolean).join(" ") + (name ? `: ${name}` : "");
    if (keep(path, fields, words, clock(), file.name || "photo")) return true;
    await letGo({ press: fields.press, photo: true });
    return false;
  }
  // what a form says, without the picture itself
  const saidIn = (form, submitter) =>
    Object.fromEntries(Array.from(new FormData(form, submitter)).filter(([, value]) => !(value instanceof File)));

  // a photo that is sent again is the same press
  const presses = new WeakMap();
  function pressOf(file) {
    if (!presses.has(file)) presses.set(file, newId());
    return presses.get(file);
  }

  window.coolSheen = { newId, pressOf, keepPhoto, saidIn };

  // keeps one press; the same press twice is one. False where this device cannot keep anything.
  function keep(path, fields, words, now, photo = "") {
    const items = read();
    if (items.some((item) => item.press === fields.press)) return true;
    // what was said stays as it was said: it may have been heard, and only the answer was lost
    const kept = { ...fields, kept_at: new Date(now).toISOString() };
    const mine = items.filter((item) => partOf(item) === partOf({ path })).map((item) => item.press);
    if (kept.offered) kept.mine = [kept.mine, ...mine].filter(Boolean).join(",");
    const done = write([...items, { press: fields.press, path, fields: kept, words, photo, state: "waiting", says: "" }]);
    show();
    return done;
  }

  // --- sending: one after the other; what is asked back holds the later presses of its part, and no other: no photo ---
  let sending = false,
    sent = false;
  async function flush() {
    if (sending || !read().some((item) => item.state === "waiting")) return show();
    sending = true;
    try {
      if (navigator.locks) await navigator.locks.request(KEPT, { ifAvailable: true }, (lock) => lock && sendAll());
      else await sendAll();
    } finally {
      sending = false;
      show();
      if (sent) showAnew();
      sent = false;
    }
  }
  // a page that does not follow the log is loaded again when what it said has arrived, unless somebody types into it
  function showAnew() {
    const forms = Array.from(document.querySelectorAll("form[data-later], form[data-photos]:not([data-away])"));
    if (forms.length && forms.every(isUntouched)) location.reload();
  }
  const isUntouched = (form) =>
    Array.from(form.elements).every((field) => {
      if (field.type === "hidden" || field.matches("button, fieldset")) return true;
      if (field.type === "file") return !field.files.length;
      const first = field.options && Array.from(field.options).findIndex((option) => option.defaultSelected);
      if (field.options) return field.selectedIndex === Math.max(0, first);
      return field.checked === field.defaultChecked && field.value === field.defaultValue;
    });
  async function sendAll() {
    for (const { press } of read()) {
      const items = read(),
        item = items.find((one) => one.press === press);
      if (!item || item.state !== "waiting") continue;
      const before = items.slice(0, items.indexOf(item));
      const held = (one) => one.state !== "waiting" && !one.photo && partOf(one) === partOf(item);
      if (!item.photo && before.some(held)) continue;
      if (!(await send(item))) return; // no answer yet: the rest waits with it
    }
  }
  async function requestOf(item) {
    if (!item.photo) return { method: "POST", body: new URLSearchParams(item.fields), headers: { "HX-Request": "true" } };
    const picture = await inPictures("readonly", (there) => there.get(item.press)).catch(() => null);
    if (!picture) return null;
    const body = new FormData();
    for (const [name, value] of Object.entries(item.fields)) body.set(name, value);
    body.set("photo", picture, item.photo);
    return { method: "POST", body };
  }
  async function send(item) {
    let answer, text;
    const request = await requestOf(item);
    if (!request) {
      change(item.press, (one) => [{ ...one, state: "refused", says: "The picture is not on this device any more." }]);
      return true;
    }
    try {
      answer = await fetch(item.path, request);
      text = await answer.text();
    } catch {
      return false;
    }
    if (answer.status === 401)
      change(item.press, (one) => [{ ...one, says: "The passcode is asked for again: load the page." }]);
    if (answer.status === 401 || answer.status >= 500) return false; // it is still to be sent
    const isAsked = answer.headers.get("HX-Reswap") === "none"; // nothing was logged: it is asked back
    if (answer.ok && !isAsked) {
      await letGo(item);
      sent = true;
      document.dispatchEvent(new Event("logged"));
      return true;
    }
    const page = new DOMParser().parseFromString(text, "text/html");
    const asked = isAsked && $("form", page);
    const against = $("[role=alert] p", page) ? "[role=alert] p" : ".notice p";
    const says = Array.from(page.querySelectorAll(against), (p) => p.textContent.trim().replace(/\s+/g, " ")).join(" ");
    const again = asked ? Object.fromEntries(new FormData(asked)) : null;
    change(item.press, (one) => [{ ...one, state: asked ? "asked" : "refused", says: says.slice(0, 500), again }]);
    return true;
  }

  // --- what is kept is shown on every page, and said whether the program answers -----------------------------
  const made = (tag, words, kind) => {
    const out = document.createElement(tag);
    if (kind) out.className = kind;
    out.textContent = words;
    return out;
  };
  const STATES = { waiting: "not sent yet", asked: "asked back", refused: "not taken" };
  let shown = ""; // drawn again only when something changed: whoever stands on a button stays there
  function show() {
    const place = $("#outbox"),
      items = read();
    if (!place || shown === JSON.stringify(items)) return;
    shown = JSON.stringify(items);
    place.hidden = !items.length;
    if (!items.length) return place.replaceChildren();
    const waiting = items.filter((item) => item.state === "waiting").length;
    const head = made("p", "", "outbox-head");
    const photos = items.filter((item) => item.photo).length;
    const counted = [
      [items.length - photos, "press", "presses"],
      [photos, "photo", "photos"],
    ].filter(([many]) => many);
    const what = counted.map(([many, one, more]) => `${many} ${many === 1 ? one : more}`).join(" and ");
    const count = `${what} ${items.length === 1 ? "is" : "are"} kept on this device. `;
    head.append(made("b", count), waiting ? "Sent as soon as the program answers, with the time at which it was pressed." : "");
    const list = document.createElement("ul");
    for (const item of items) list.append(row(item));
    place.replaceChildren(head, list);
  }
  function row(item) {
    const line = document.createElement("li");
    const at = new Date(item.fields.kept_at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
    line.append(made("b", item.words), ` ${at}, ${STATES[item.state]}. ${item.says} `);
    const button = (words, name) => {
      const out = made("button", words, "btn");
      out.type = "button";
      out.dataset[name] = item.press;
      return out;
    };
    if (item.state === "waiting") line.append(button("Take back", "outboxDrop"));
    if (item.state === "asked") line.append(button("Log it all the same", "outboxSure"), button("It is the same: leave it", "outboxDrop"));
    if (item.state === "refused") line.append(button("Leave it", "outboxDrop"));
    return line;
  }
  document.addEventListener("click", async (event) => {
    const sure = event.target.closest && event.target.closest("[data-outbox-sure]");
    const drop = event.target.closest && event.target.closest("[data-outbox-drop]");
    if (sure)
      change(sure.dataset.outboxSure, (item) => [{ ...item, fields: { ...item.fields, ...item.again }, state: "waiting", says: "" }]);
    if (drop) await letGo(read().find((item) => item.press === drop.dataset.outboxDrop) || { press: drop.dataset.outboxDrop });
    if (sure || drop) flush();
  });

  // --- a press that finds no program: from a page over htmx, or from the page that works without it -----------
  // the server's clock, as the last page knew it that came from there: a page out of the cache is as old as it is
  const AHEAD = "cool-sheen-ahead";
  if (document.documentElement.dataset.now && !$("[data-away-page]")) {
    try {
      localStorage.setItem(AHEAD, String(Number(document.documentElement.dataset.now) - Date.now()));
    } catch {
      /* private windows keep nothing */
    }
  }
  function clock() {
    try {
      return Date.now() + Number(localStorage.getItem(AHEAD) || 0);
    } catch {
      return Date.now();
    }
  }
  function unanswered(event) {
    const asked = event.detail.requestConfig;
    if (asked.verb !== "post" || !LOGS.test(asked.path)) return;
    const given = asked.parameters instanceof FormData ? asked.parameters : new Map(Object.entries(asked.parameters));
    const fields = Object.fromEntries(Array.from(given.entries(), ([name, value]) => [name, String(value)]));
    if (!fields.press) return;
    if (keep(asked.path, fields, wordsOf(asked.elt), clock())) {
      event.stopImmediatePropagation(); // nothing is lost: nobody has to press again
      const dialog = $("#dialog");
      if (dialog && dialog.open) dialog.close();
    }
  }
  function wordsOf(elt) {
    const lane = elt.closest("[data-name]") || $("[data-name]");
    const button = elt.matches("form") ? $("button", elt) : elt;
    const words = elt.dataset.words || (button ? button.textContent.trim() : "");
    return [words, lane ? lane.dataset.name : ""].filter(Boolean).join(": ");
  }
  document.addEventListener("htmx:sendError", unanswered, true);
  document.addEventListener("htmx:timeout", unanswered, true);
  document.addEventListener(
    "submit",
    async (event) => {
      const form = event.target;
      if (!form.matches("form[data-away]")) return;
      event.preventDefault();
      event.stopImmediatePropagation();
      const said = $("[data-away-said]", form);
      if (form.elements.photo) return awayPhotos(form, said);
      const fields = { ...saidIn(form, event.submitter), press: newId() };
      const words = event.submitter ? event.submitter.dataset.words || event.submitter.textContent.trim() : "";
      const done = keep(new URL(form.action).pathname, fields, [words, form.dataset.name].filter(Boolean).join(": "), clock());
      if (said) said.textContent = done ? "kept" : "this device keeps nothing: write it down";
      flush();
    },
    true,
  );

  // --- a form that leads to another page: where nobody answers, what was typed would be gone with this one --------------
  const SIGN = document.querySelector("link[rel=icon]");
  const answers = () =>
    fetch(SIGN.href, { method: "HEAD", cache: "no-store", signal: AbortSignal.timeout(4000) }).then(
      () => true,
      () => false,
    );
  document.addEventListener(
    "submit",
    async (event) => {
      const form = event.target,
        button = event.submitter;
      if (!form.matches("form[data-later]")) return;
      if (form.dataset.goes) return void delete form.dataset.goes;
      event.preventDefault();
      event.stopImmediatePropagation();
      const fields = saidIn(form, button);
      if (!(await answers())) {
        const words = [button ? button.textContent.trim() : "", form.dataset.later].filter(Boolean).join(": ");
        if (keep(new URL(form.action).pathname, fields, words, clock())) {
          form.reset();
          form.elements.press.value = newId();
          return $("#outbox").scrollIntoView({ block: "nearest" });
        }
      }
      form.dataset.goes = "1";
      form.requestSubmit(button);
    },
    true,
  );

  async function awayPhotos(form, said) {
    const input = form.elements.photo,
      files = Array.from(input.files),
      most = Number(form.dataset.photos);
    const large = files.find((file) => file.size > most * 1e6);
    if (!files.length) said.textContent = "choose a photo first";
    else if (large) said.textContent = `${large.name} is over ${most} MB: save it smaller first`;
    if (!files.length || large) return;
    let kept = 0;
    for (const file of files)
      kept += await keepPhoto(new URL(form.action).pathname, { ...saidIn(form), press: pressOf(file) }, file, form.dataset.name);
    said.textContent = kept === files.length ? "kept" : `${kept} of ${files.length} kept: this device has no room for more`;
    if (kept === files.length) input.value = "";
    flush();
  }

  window.addEventListener("online", flush);
  window.addEventListener("storage", (event) => {
    if (event.key !== KEPT) return;
    show();
    if ((event.newValue || "").length < (event.oldValue || "").length) showAnew(); // another tab has sent it
  });
  document.addEventListener("DOMContentLoaded", flush);
  setInterval(() => read().length && flush(), AGAIN_MS);

  // --- a page for when the program is out of reach; browsers allow it on this machine, or over TLS -----------------
  if ("serviceWorker" in navigator && document.documentElement.dataset.now)
    window.addEventListener("load", () =>
      navigator.serviceWorker.register("/sw.js").then(
        () => navigator.serviceWorker.controller && navigator.serviceWorker.controller.postMessage("look again"),
        () => {},
      ),
    );
})();
