// Cool Sheen in the browser: countdowns, alarms, keys, small forms. All figures come from the server.
(function () {
  "use strict";
  const KEPT = {
    keys: "cool-sheen-keys",
    sound: "cool-sheen-sound",
    chosen: "cool-sheen-chosen",
    awake: "cool-sheen-awake",
  };
  const recall = (name, otherwise, of = "localStorage") => {
    try {
      return window[of].getItem(name) ?? otherwise;
    } catch {
      return otherwise;
    }
  };
  const keep = (name, value, of = "localStorage") => {
    try {
      window[of].setItem(name, value);
    } catch {
      /* private windows keep nothing */
    }
  };
  const $ = (selector, from) => (from || document).querySelector(selector);
  const $$ = (selector, from) => Array.from((from || document).querySelectorAll(selector));

  // --- the time: the server's, whatever this device's clock says -----------------------------------
  let ahead = (Number(document.documentElement.dataset.now) || Date.now()) - Date.now();
  const serverNow = () => Date.now() + ahead;

  // --- countdowns --------------------------------------------------------------
  function written(ms) {
    const total = Math.max(0, Math.floor(ms / 1000));
    const days = Math.floor(total / 86400),
      hours = Math.floor(total / 3600) % 24;
    if (days) return days + " d " + hours + " h";
    const two = (n) => String(n).padStart(2, "0");
    return Math.floor(total / 3600) + ":" + two(Math.floor(total / 60) % 60) + ":" + two(total % 60);
  }
  const opened = serverNow(); // until the page has settled its clock shows what the server wrote
  const clocks = {}; // a clock's way of writing takes long to make: once for each time zone
  function clockOf(timeZone) {
    const options = { weekday: "short", hour: "2-digit", minute: "2-digit", hourCycle: "h23", timeZone };
    return (clocks[timeZone] ||= new Intl.DateTimeFormat("en-GB", options));
  }
  const over = new Set(); // counts that ran out here: each asks once for what comes next
  function tick() {
    const now = serverNow();
    for (const figure of $$("[data-to]")) {
      const left = Number(figure.dataset.to) - now;
      const says = written(left);
      if (figure.textContent !== says) figure.textContent = says;
      const row = figure.closest(".cd");
      if (row) row.classList.toggle("is-due", left <= 0);
      if (left <= 0 && figure.dataset.key && !over.has(figure.dataset.key)) {
        over.add(figure.dataset.key);
        refresh();
      }
    }
    for (const alarm of coming) if (alarm.at_ms !== null && alarm.at_ms <= now) ring(alarm);
    for (const clock of now - opened < 5000 ? [] : $$("[data-clock]")) {
      const says = clockOf(clock.dataset.clock).format(now).replace(",", "");
      if (clock.textContent !== says) clock.textContent = says;
    }
    const here = Date.now(); // how long an offer stands is no matter of the server's clock, which may be put right meanwhile
    for (const card of $$("#toast [data-lasts]")) {
      card.dataset.until ||= String(here + 1000 * Number(card.dataset.lasts));
      if (here >= Number(card.dataset.until)) card.remove();
    }
  }

  // --- alarms: on every page, once on a device, and heard only when they sounded or somebody says so --------
  const HEARD = "cool-sheen-heard";
  const HEARD_DAYS = 7;
  const MOST_CARDS = 4;
  let coming = []; // what the server says will ring, or is due
  const ringing = new Map(); // key -> alarm, until somebody says that it was heard
  function heard() {
    try {
      return JSON.parse(recall(HEARD, "null"));
    } catch {
      return null;
    }
  }
  function noteHeard(keys) {
    const since = Date.now() - HEARD_DAYS * 86_400_000;
    const kept = Object.fromEntries(Object.entries(heard() || {}).filter(([, at]) => at > since));
    for (const key of keys) kept[key] = Date.now();
    keep(HEARD, JSON.stringify(kept));
  }
  async function askForAlarms() {
    if (!$(".places")) return;
    const asked = Date.now();
    const answer = await fetch("/alarms").catch(() => null);
    if (!answer || !answer.ok || answer.redirected) return;
    const said = await answer.json();
    ahead = said.now - (asked + Date.now()) / 2;
    if (!said.ready) return;
    coming = said.alarms;
    // The first time on a device: what is due already stands on the page, and is no news.
    if (heard() === null) noteHeard(coming.filter((alarm) => alarm.at_ms === null).map((alarm) => alarm.key));
    for (const alarm of coming) if (alarm.at_ms === null) ring(alarm);
    tick();
    stayAwake();
  }
  function ring(alarm) {
    if (ringing.has(alarm.key) || (heard() || {})[alarm.key]) return;
    ringing.set(alarm.key, { ...alarm, sounded: false });
    showAlarms();
    soundAlarms();
    refresh();
  }
  function announce(key, words) {
    ring({ key, name: words, href: location.pathname, words: "", at_ms: null });
  }
  function soundAlarms() {
    const silent = [...ringing.values()].filter((alarm) => !alarm.sounded);
    if (!silent.length || !sound()) return; // a page that nobody touched yet may not sound: it does at the first touch
    for (const alarm of silent) alarm.sounded = true;
  }
  function showAlarms() {
    const place = $("#alarms"),
      all = [...ringing.values()];
    place.replaceChildren(...all.slice(0, MOST_CARDS).map(cardOf));
    if (all.length > MOST_CARDS) {
      const more = document.createElement("p");
      more.className = "alarm";
      more.textContent = "and " + (all.length - MOST_CARDS) + " more";
      place.append(more);
    }
    document.title = (all.length ? "● " : "") + document.title.replace(/^● /, "");
  }
  function cardOf(alarm) {
    const card = document.createElement("div"),
      text = document.createElement("p"),
      way = document.createElement("a"),
      close = document.createElement("button");
    card.className = "alarm";
    way.href = alarm.href;
    way.textContent = alarm.name;
    text.append(way, alarm.words ? ": " + alarm.words : "");
    close.type = "button";
    close.className = "btn";
    close.textContent = "Heard";
    close.setAttribute("aria-label", "Heard: " + alarm.name);
    close.addEventListener("click", () => {
      ringing.delete(alarm.key);
      noteHeard([alarm.key]);
      showAlarms();
    });
    card.append(text, close);
    return card;
  }
  window.addEventListener("storage", (event) => {
    if (event.key !== HEARD) return; // heard in another tab
    const known = heard() || {};
    for (const key of ringing.keys()) if (known[key]) ringing.delete(key);
    showAlarms();
  });

  // --- the screen stays awake while something counts -------------------------------------------------
  const AWAKE_MS = 3 * 3_600_000; // what is further off than that can be waited for in the dark
  let lock = null;
  async function stayAwake() {
    const now = serverNow();
    const counts = coming.some((a) => a.at_ms !== null && a.at_ms > now && a.at_ms < now + AWAKE_MS);
    const wanted = counts && !document.hidden && recall(KEPT.awake, "1") === "1";
    if (!wanted && lock) {
      lock.release();
      lock = null;
    }
    if (wanted && !lock && navigator.wakeLock) {
      lock = await navigator.wakeLock.request("screen").catch(() => null);
      if (lock) lock.addEventListener("release", () => (lock = null));
    }
    document.documentElement.dataset.awake = lock ? "1" : "0";
  }

  // What the shop has chosen; a device may go its own way, under "?".
  const shopHas = (name, otherwise) => document.documentElement.dataset[name] ?? otherwise;
  const keysAreOn = () => recall(KEPT.keys, shopHas("keys", "1")) === "1";
  const soundIsOn = () => recall(KEPT.sound, shopHas("alarmSound", "chime") === "silent" ? "0" : "1") === "1";
  // Each alarm: wave, and its tones as [starts at, lasts (s), hertz].
  const TONES = {
    chime: ["sine", [0, 0.24, 880], [0.28, 0.24, 880], [0.56, 0.24, 1175]],
    bell: ["triangle", [0, 1.2, 660], [0.02, 1.2, 1320], [0.9, 1.4, 660], [0.92, 1.4, 1320]],
    buzzer: ["square", [0, 0.35, 220], [0.5, 0.35, 220], [1.0, 0.35, 220], [1.5, 0.35, 220]],
  };
  let audio = null;
  /** Sound it, and say whether that was done: a browser sounds nothing before it was touched. */
  function sound(kind) {
    if (!kind && !soundIsOn()) return true; // the shop, or this device, wants to see them only
    try {
      audio ||= new AudioContext();
      audio.resume();
      if (audio.state !== "running") return false;
      const [wave, ...tones] = TONES[kind || shopHas("alarmSound", "chime")] || TONES.chime;
      for (const [after, lasts, hertz] of tones) {
        const tone = audio.createOscillator(),
          level = audio.createGain();
        tone.type = wave;
        tone.frequency.value = hertz;
        level.gain.setValueAtTime(0.0001, audio.currentTime + after);
        level.gain.exponentialRampToValueAtTime(0.35, audio.currentTime + after + 0.02);
        level.gain.exponentialRampToValueAtTime(0.0001, audio.currentTime + after + lasts);
        tone.connect(level).connect(audio.destination);
        tone.start(audio.currentTime + after);
        tone.stop(audio.currentTime + after + lasts + 0.02);
      }
      document.documentElement.dataset.sounded = String(Number(document.documentElement.dataset.sounded || 0) + 1);
    } catch {
      /* a machine without sound still shows the alarm */
    }
    return true;
  }
  for (const touch of ["pointerdown", "keydown"])
    document.addEventListener(touch, () => {
      if (audio) audio.resume().then(soundAlarms);
    });

  // --- keeping the page alive --------------------------------------------------
  const dialog = () => $("#dialog");
  const typing = () => {
    const at = document.activeElement;
    return at && at.closest("#live") && at.matches("input:not([type=hidden]), select, textarea");
  };
  const touched = (field) =>
    field.type === "checkbox" || field.type === "radio"
      ? field.checked !== field.defaultChecked
      : field.tagName === "SELECT"
        ? [...field.options].some((o) => o.selected !== o.defaultSelected && o.defaultSelected)
        : field.value !== field.defaultValue;
  const filled = () => $$("#live :is(input:not([type=hidden]), textarea, select)").some(touched); // typed, and not sent yet
  const refused = () => $("#live :is([aria-invalid=true], .help.is-danger)"); // what was typed stands there, to be mended
  const busy = () => typing() || filled() || refused() || (dialog() && dialog().open) || ($("#help") && $("#help").open);
  function refresh() {
    if (!$("#live") || busy()) return;
    htmx.trigger("#live", "refresh");
  }
  const here = $(".places [aria-current]");
  // not before the page is painted: it asks where everything stands
  if (here) setTimeout(() => here.scrollIntoView({ block: "nearest", inline: "center" }), 100); // on a phone the places scroll in one row
  // what is logged on another device shows here within a second; a page that nobody sees listens to nothing
  const LOOKS_AFTER_MS = 120,
    ALARMS_AFTER_MS = 2500;
  let news = null,
    shown = Number(document.documentElement.dataset.news || 0); // what this page knows of
  let lookSoon = 0,
    alarmsSoon = 0;
  document.addEventListener("htmx:afterSwap", (event) => {
    if (event.detail.target.id !== "live") return;
    shown = Math.max(shown, Number(event.detail.xhr.getResponseHeader("X-News") || 0));
  });
  function listen() {
    if (news || document.hidden) return;
    const about = $("[data-about]"); // a page about one part hears of that part, and of what may show anywhere
    news = new EventSource(about ? `/news?part=${about.dataset.about}` : "/news");
    news.onmessage = (event) => {
      const [told, all] = event.data.split(" ").map(Number);
      if (all > told && !alarmsSoon)
        alarmsSoon = setTimeout(() => {
          alarmsSoon = 0; // of another part: nothing to look at, but what was to ring there may have been done
          askForAlarms();
        }, ALARMS_AFTER_MS);
      if (told <= shown) return;
      clearTimeout(lookSoon);
      lookSoon = setTimeout(() => {
        if (told <= shown) return; // whoever pressed here has looked by now
        refresh();
        askForAlarms();
      }, LOOKS_AFTER_MS);
    };
  }
  function listenNoMore() {
    if (news) news.close();
    news = null;
  }
  window.addEventListener("pagehide", listenNoMore);
  window.addEventListener("pageshow", listen);
  setInterval(tick, 1000);
  setInterval(showTimers, 1000);
  setInterval(refresh, 20000);
  setInterval(askForAlarms, 20000);
  document.addEventListener("visibilitychange", () => {
    stayAwake();
    if (document.hidden) return listenNoMore();
    listen();
    refresh();
    askForAlarms();
  });

  document.addEventListener("htmx:oobAfterSwap", (event) => {
    // asked back: in the dialog, wherever the press came from
    if (event.detail.target.id !== "dialog-body") return;
    if (!dialog().open) dialog().showModal();
    const no = $("[autofocus]", dialog());
    if (no) no.focus();
  });
  document.addEventListener("htmx:afterSettle", (event) => {
    tick();
    if (event.detail.target.id === "dialog-body" && !dialog().open) {
      dialog().showModal();
      const first = $("[autofocus], input:not([type=hidden]), .two-buttons button", dialog());
      if (first) first.focus();
    }
    if (event.detail.target.id === "live") {
      watchOffers();
      choose(chosen(), false);
    }
  });
  document.addEventListener("logged", () => {
    if (dialog().open) dialog().close();
    refresh();
    askForAlarms();
  });
  document.addEventListener("htmx:sendError", () =>
    say("The program does not answer. Press again when it runs: a press counts once, however often it is sent."),
  );
  document.addEventListener("htmx:responseError", (event) => {
    // In a small form the refusal belongs into the form, where the typed text still stands.
    const form = event.detail.elt.closest(".dialog-form");
    if (!form) return;
    const place = $(".form-refusal", form) || form.insertBefore(document.createElement("div"), form.children[1]);
    place.className = "form-refusal notice is-bad";
    place.setAttribute("role", "alert");
    const page = new DOMParser().parseFromString(event.detail.xhr.responseText, "text/html");
    const asks = $$("[data-ask]", page.body);
    for (const ask of asks) ask.remove();
    const notes = $$("[data-field]", page.body);
    for (const note of notes) note.remove();
    place.textContent = page.body.textContent.trim();
    markFields(form, notes);
    place.append(...asks.map((ask) => document.importNode(ask, true))); // an answer goes with the next press
  });
  /** Mark the fields of a small form that are wrong, each with its sentence, and go to the first. */
  function markFields(form, notes) {
    for (const field of $$("[aria-invalid]", form)) {
      field.removeAttribute("aria-invalid");
      field.removeAttribute("aria-describedby");
    }
    for (const old of $$("[data-note]", form)) old.remove();
    for (const note of notes) {
      const field = form.elements.namedItem(note.dataset.field);
      if (!field || !field.closest || field.type === "hidden") continue;
      const words = document.createElement("p");
      words.className = "help is-danger";
      words.id = "n-" + note.dataset.field;
      words.dataset.note = "1";
      words.textContent = note.textContent;
      (field.closest(".field") || field.parentElement).append(words);
      field.setAttribute("aria-invalid", "true");
      field.setAttribute("aria-describedby", words.id);
    }
    const first = $("[aria-invalid=true]", form);
    if (first) first.focus();
  }
  /** Go to what is wrong on a page that came back: to the first field, else to what is said. */
  function goToWrong() {
    const wrong = $("main [aria-invalid=true]") || $("main .notice.is-bad[role=alert]");
    if (!wrong) return;
    for (let fold = wrong.closest("details"); fold; fold = fold.parentElement.closest("details")) fold.open = true;
    if (!wrong.matches("input, select, textarea")) wrong.tabIndex = -1;
    wrong.focus({ preventScroll: true });
    wrong.scrollIntoView({ block: "center" });
  }
  // --- what is typed while an answer is under way stays, and so does the place where one was -----------------
  const typed = new WeakMap(); // by request: what the fields had when it was sent
  const TYPED = "input:not([type=hidden], [type=submit], [type=file]), select, textarea";
  const valueOf = (field) => (/^(checkbox|radio)$/.test(field.type) ? String(field.checked) : field.value);
  /** The fields of a part of the page, each by its id, or by its form, its name and how many came before it. */
  function fieldsOf(root) {
    const found = new Map();
    const seen = {};
    for (const field of $$(TYPED, root)) {
      const form = field.form;
      const about = form && form.elements.namedItem("spot") ? form.elements.namedItem("spot").value : "";
      const name = field.id || [form && form.id, about, field.name].join("|");
      seen[name] = (seen[name] || 0) + 1;
      found.set(name + "|" + seen[name], field);
    }
    return found;
  }
  const valuesOf = (root) => new Map([...fieldsOf(root)].map(([name, field]) => [name, valueOf(field)]));
  document.addEventListener("htmx:beforeSend", (event) => {
    const root = event.detail.target && event.detail.target.closest("#builder, #mix-new");
    if (root) typed.set(event.detail.xhr, { values: valuesOf(root), id: root.id });
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    const sent = typed.get(event.detail.xhr);
    const root = sent && document.getElementById(sent.id);
    if (!root) return;
    const now = valuesOf(root);
    sent.later = new Map([...now].filter(([name, value]) => sent.values.has(name) && sent.values.get(name) !== value));
    const at = document.activeElement;
    sent.at = [...fieldsOf(root)].find(([, field]) => field === at)?.[0];
    sent.around = [];
    for (let up = at; up && root.contains(up); up = up.parentElement) if (up.id) sent.around.push(up.id);
    sent.caret = at && at.matches("input, textarea") && at.selectionStart !== null ? [at.selectionStart, at.selectionEnd] : null;
  });
  document.addEventListener("htmx:afterSwap", (event) => {
    const sent = typed.get(event.detail.xhr);
    const root = sent && sent.later && document.getElementById(sent.id);
    if (!root) return;
    const fields = fieldsOf(root);
    for (const [name, value] of sent.later) {
      const field = fields.get(name);
      if (!field || valueOf(field) === value) continue;
      if (/^(checkbox|radio)$/.test(field.type)) field.checked = value === "true";
      else field.value = value;
    }
    // a step that was not taken: go to what it wants; a field that is sent by itself keeps nobody from the next one
    const wrong = event.detail.xhr.status >= 400 && $("#t-order, .task-list [aria-invalid=true], .task-add [aria-invalid=true]", root);
    if (wrong && event.detail.requestConfig.elt.closest(".task-add, .task-form, .task-acts")) {
      wrong.focus();
      return;
    }
    if (document.activeElement && document.activeElement !== document.body) return;
    const field = sent.at && fields.get(sent.at);
    if (field) {
      field.focus();
      if (sent.caret && field.setSelectionRange && field.type === "text") field.setSelectionRange(...sent.caret);
      return;
    }
    const around = sent.around.map((id) => document.getElementById(id)).find(Boolean);
    const next = around && (around.matches("summary, a, button") ? around : $("summary, .layer-name, button, a", around));
    if (next) next.focus();
  });
  // a link that looks like a button is pressed like one
  document.addEventListener("keydown", (event) => {
    if (event.key !== " " || event.defaultPrevented || event.repeat) return;
    const link = event.target.closest("a.btn, a[role=button]");
    if (!link) return;
    event.preventDefault();
    link.click();
  });
  document.addEventListener("htmx:beforeSwap", (event) => {
    if (event.detail.xhr.status >= 400 && event.detail.requestConfig.elt.closest(".dialog-form"))
      event.detail.shouldSwap = false;
    const renewal = event.detail.requestConfig.elt.id === "live";
    // what was asked for before one began to type comes too late: the next one is taken, when nothing stands unsent
    if (renewal && (event.detail.xhr.status >= 400 || busy())) event.detail.shouldSwap = false;
    else if (event.detail.xhr.status >= 500 && event.detail.shouldSwap) {
      // trouble takes no page away: what was typed stays, and it is said beside it
      event.detail.shouldSwap = false;
      say(wordsOf(event.detail.xhr));
    }
  });
  const wordsOf = (xhr) => new DOMParser().parseFromString(xhr.responseText, "text/html").body.textContent.trim();
  function say(text) {
    const card = document.createElement("div");
    card.className = "toast-card";
    card.dataset.lasts = "10";
    card.textContent = text;
    $("#toast").replaceChildren(card);
  }
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-close]")) dialog().close();
    if (event.target.closest("[data-try-alarm]") && $("#f-alarm").value !== "silent") sound($("#f-alarm").value);
  });

  // --- a press is heard at once, once, and only for what its button said ---------------------------
  const JUST_MS = 800; // nobody has read in less what a button says now
  const offers = new Map(); // part -> what the buttons of its rows offer, and since when
  function watchOffers() {
    for (const lane of $$("#live [data-part]")) {
      const known = offers.get(lane.dataset.part);
      const shown = $$("input[name=offered]", lane).map((field) => field.value);
      const since = (offer) => (known ? (known.get(offer) ?? performance.now()) : -JUST_MS);
      if (shown.length) offers.set(lane.dataset.part, new Map(shown.map((offer) => [offer, since(offer)])));
    }
  }
  const unheard = (form) => {
    delete form.dataset.heard;
    for (const button of $$(".is-heard", form)) button.classList.remove("is-heard");
  };
  window.coolSheen.unheard = unheard; // a form that a script sends is free again when its answer is there
  document.addEventListener(
    "submit",
    (event) => {
      const form = event.target;
      if (!form.matches("form[method=post]")) return;
      const lane = form.closest("#live [data-part]");
      const offered = $("input[name=offered]", form);
      const since = lane && offered && offers.get(lane.dataset.part)?.get(offered.value);
      const fresh = since !== undefined && since !== null && performance.now() - since < JUST_MS;
      if (fresh || form.dataset.heard) {
        event.preventDefault();
        event.stopImmediatePropagation();
        if (fresh) say("This button has just changed: read it, and press again.");
        return;
      }
      form.dataset.heard = "1";
      const button = event.submitter || $("button", form);
      if (button) button.classList.add("is-heard");
      if (navigator.vibrate && document.documentElement.dataset.mode === "booth") navigator.vibrate(30);
    },
    true,
  );
  document.addEventListener("htmx:afterRequest", (event) => {
    const form = event.detail.elt.closest && event.detail.elt.closest("form");
    if (form) unheard(form);
  });
  window.addEventListener("pageshow", () => $$("form[data-heard]").forEach(unheard)); // back again, by the browser's own way

  // --- the chosen lane, and keys -----------------------------------------------
  const lanes = () => $$("#live .lane");
  let framed = recall(KEPT.chosen, "", "sessionStorage"); // in this tab: keys act on what is framed here, not in another
  const chosen = () => lanes().find((lane) => lane.dataset.part === framed) || lanes()[0];
  function choose(lane, look) {
    for (const other of lanes()) {
      other.classList.toggle("is-chosen", other === lane);
      if (other === lane) other.setAttribute("aria-current", "true");
      else other.removeAttribute("aria-current");
    }
    if (!lane) return;
    framed = lane.dataset.part;
    keep(KEPT.chosen, framed, "sessionStorage");
    if (look) lane.scrollIntoView({ block: "nearest" });
  }
  function step(by) {
    const all = lanes();
    const place = all.indexOf(chosen());
    choose(all[Math.min(all.length - 1, Math.max(0, place + by))], true);
  }
  function press(act) {
    const lane = chosen();
    if (!lane) return;
    const control = $(`[data-act=${act}]`, lane);
    if (control) {
      if (control.tagName === "FORM") control.requestSubmit();
      else control.click();
      return;
    }
    if (act === "step") {
      say("The next step of " + lane.dataset.name + " is not one that is simply done.");
      return;
    }
    if (!["touch", "sand", "coat"].includes(act)) return;
    htmx.ajax("GET", `/parts/${lane.dataset.part}/${act}`, { target: "#dialog-body" });
  }
  function undo() {
    const lane = chosen();
    if (!lane) return;
    htmx.ajax("POST", `/parts/${lane.dataset.part}/undo`, { target: "#toast", values: { press: window.coolSheen.newId() } });
  }
  const KEYS = {
    j: () => step(1),
    arrowdown: () => step(1),
    k: () => step(-1),
    arrowup: () => step(-1),
    c: () => press("coat"),
    t: () => press("touch"),
    s: () => press("sand"),
    d: () => press("step"),
    u: undo,
    o: () => {
      const lane = chosen();
      if (lane) location.assign("/parts/" + lane.dataset.part);
    },
    m: () => {
      const lane = chosen(),
        way = lane && $(".mix-link", lane);
      if (way) location.assign(way.href);
      else say("The next coat of this part needs no mixing.");
    },
    b: () => toggleBooth(),
    "?": () => openHelp(),
  };
  let ready = false;
  document.addEventListener("keydown", (event) => {
    if (!ready) return;
    if (event.ctrlKey || event.metaKey || event.altKey || event.isComposing || event.repeat) return;
    if (event.target.closest("input, select, textarea, [contenteditable]")) return;
    const key = event.key.toLowerCase();
    if (dialog() && dialog().open) {
      const button = $(`[data-key="${CSS.escape(key)}"]`, dialog());
      if (button && keysAreOn()) {
        event.preventDefault();
        button.click();
      }
      return;
    }
    if ($("#help") && $("#help").open) return;
    const act = KEYS[key];
    if (!act || (!keysAreOn() && key !== "?")) return;
    if (!$("#live") && !["b", "?"].includes(key)) return;
    event.preventDefault();
    act();
  });
  document.addEventListener("focusin", (event) => {
    const lane = event.target.closest("#live .lane");
    if (lane) choose(lane, false);
  });
  document.addEventListener("click", (event) => {
    const lane = event.target.closest("#live .lane");
    if (lane) choose(lane, false);
  });

  // --- timers of the survey's tests: they go on through a reload, and ring once ------------------
  const TIMERS = "cool-sheen-timers";
  const timers = () => {
    try {
      return JSON.parse(recall(TIMERS, "{}"));
    } catch {
      return {};
    }
  };
  document.addEventListener("click", (event) => {
    const button = event.target.closest("[data-timer]");
    if (!button) return;
    const ends = Date.now() + 1000 * Number(button.dataset.timer);
    keep(TIMERS, JSON.stringify({ ...timers(), [button.dataset.timerKey]: { ends, name: button.dataset.timerName } }));
    showTimers();
  });
  function showTimers() {
    const all = timers();
    let over = false;
    for (const [key, timer] of Object.entries(all)) {
      const left = timer.ends - Date.now();
      const place = document.querySelector(`[data-timer-shows="${CSS.escape(key)}"]`);
      if (place) {
        place.textContent = written(left);
        place.classList.toggle("is-due", left <= 0);
      }
      if (left <= 0) {
        announce("timer:" + key + timer.ends, timer.name + ": the time is up, look at it");
        delete all[key];
        over = true;
      }
    }
    if (over) keep(TIMERS, JSON.stringify(all));
  }

  // --- long work says how far it is ----------------------------------------------------------------
  document.addEventListener("submit", (event) => {
    const form = event.target.closest("[data-tells]");
    if (!form) return;
    for (const button of $$("button", form)) setTimeout(() => (button.disabled = true), 0);
    const place = $("[data-told]", form);
    place.textContent = "Reading the file";
    setInterval(async () => {
      const answer = await fetch(form.dataset.tells).catch(() => null);
      if (answer && answer.ok) place.innerHTML = await answer.text();
    }, 500);
  });

  // --- the bench scale, live -------------------------------------------------------------------------
  let weighing = null;
  function watchScale() {
    const card = $("[data-scale]");
    if (!card) {
      if (weighing) weighing.close();
      weighing = null;
      return;
    }
    if (weighing) return;
    weighing = new EventSource(card.dataset.scale);
    weighing.onmessage = (event) => {
      const shown = JSON.parse(event.data);
      const figure = $("[data-scale-figure]"),
        state = $("[data-scale-state]");
      if (figure) figure.textContent = shown.g.toFixed(1);
      if (state) state.textContent = shown.steady ? "steady" : "settling";
    };
    weighing.onerror = () => {
      const state = $("[data-scale-state]");
      if (state) state.textContent = "no answer: type what it shows";
    };
  }
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-print]")) window.print();
  });

  // --- long work elsewhere says how far it is, and the page shows what came of it -----------------------
  const waiting = new Map();
  function watchWork() {
    for (const place of $$("[data-waits]")) {
      if (!waiting.has(place.dataset.waits)) waiting.set(place.dataset.waits, waitFor(place.dataset.waits));
    }
  }
  // the page may have been given another place for it meanwhile
  const placesOf = (stream) => $$(`[data-waits="${stream}"]`);
  function showAgain(place) {
    htmx.ajax("GET", place.dataset.then, { target: place.dataset.target, swap: "innerHTML" });
  }
  function waitFor(stream) {
    const source = new EventSource(stream);
    source.onmessage = (event) => {
      const told = JSON.parse(event.data);
      for (const place of placesOf(stream)) {
        for (const shown of $$("[data-waits-words]", place)) shown.textContent = told.words[shown.dataset.waitsWords];
        const bar = $("[data-waits-share]", place);
        if (bar) bar.value = told.share;
        const marks = $$("[data-waits-mark]", place);
        for (const mark of marks) mark.setAttribute("transform", `translate(${told.x[mark.dataset.waitsMark]} 4)`);
        // the first line has where the marks stand: there was nothing to draw yet
        if (told.x && told.x.best && !marks.length && !place.dataset.asked) {
          place.dataset.asked = "1";
          showAgain(place);
        }
      }
    };
    source.addEventListener("over", () => {
      source.close();
      waiting.delete(stream);
      placesOf(stream).forEach(showAgain);
    });
    return source;
  }
  document.addEventListener("htmx:afterSettle", watchWork);
  document.addEventListener("DOMContentLoaded", watchWork);
  document.addEventListener("htmx:afterSettle", watchScale);
  document.addEventListener("DOMContentLoaded", watchScale);

  // --- a tap on the outline of a part says where a mark lies; zone and words can be chosen without it ------
  function markHere(tile, event) {
    const form = $("[data-mark]"),
      box = $("rect", tile).getBoundingClientRect();
    const share = (at, since, length) => Math.min(1, Math.max(0, (at - since) / length)).toFixed(4);
    form.elements.x.value = share(event.clientX, box.left, box.width);
    form.elements.y.value = share(event.clientY, box.top, box.height);
    form.elements.photo.value = tile.dataset.outlinePhoto || "";
    if (form.elements.zone && tile.dataset.outlineZone) form.elements.zone.value = tile.dataset.outlineZone;
    const shape = $("rect", tile),
      of = (name) => Number(shape.getAttribute(name)),
      here = $("[data-outline-here]", tile.ownerSVGElement);
    const x = of("x") + of("width") * form.elements.x.value,
      y = of("y") + of("height") * form.elements.y.value;
    here.setAttribute("transform", `translate(${x} ${y})`);
    here.setAttribute("visibility", "visible");
    form.elements.what.focus({ preventScroll: true });
    form.scrollIntoView({ block: "nearest" });
  }
  document.addEventListener("click", (event) => {
    const tile = event.target.closest && event.target.closest("[data-outline-zone], [data-outline-photo]");
    if (tile && $("[data-mark]")) markHere(tile, event);
  });
  document.addEventListener("change", (event) => {
    const form = event.target.closest && event.target.closest("[data-mark]");
    if (!form || event.target.name !== "zone" || form.elements.photo.value) return;
    nowhere(form); // a place on another zone is no place on this one
  });
  function nowhere(form) {
    form.elements.x.value = form.elements.y.value = form.elements.photo.value = "";
    for (const here of $$("[data-outline-here]")) here.setAttribute("visibility", "hidden");
  }
  document.addEventListener("reset", (event) => event.target.matches("[data-mark]") && nowhere(event.target));

  // --- the plan: a bar says why it stands there, and is put elsewhere by mouse, or with Alt and the arrow keys ----
  const A_QUARTER_MS = 15 * 60 * 1000;
  let dragged = null;
  function showLine(bar, at) {
    const ask = at ? `/plan/lines/${bar.dataset.line}/move?at=${at}` : `/plan/lines/${bar.dataset.line}`;
    for (const other of $$(".cal-bar.is-chosen")) other.classList.remove("is-chosen");
    for (const same of $$(`.cal-bar[data-line="${bar.dataset.line}"]`)) same.classList.add("is-chosen");
    htmx.ajax("GET", ask, { target: "#why", swap: "innerHTML" });
  }
  function startOf(bar) {
    const shown = $("[data-calendar]").dataset;
    return Number(shown.since) + Number(bar.querySelector("rect").getAttribute("x")) * Number(shown.ms);
  }
  // the shop's clock as it is typed into a field, to five minutes
  function typedTime(ms) {
    const zone = $("[data-clock]").dataset.clock;
    const five = new Date(Math.round(ms / 300000) * 300000);
    const form = { year: "numeric", month: "2-digit", day: "2-digit", hour: "2-digit", minute: "2-digit" };
    const parts = {};
    for (const p of new Intl.DateTimeFormat("en-GB", { ...form, timeZone: zone, hourCycle: "h23" }).formatToParts(five))
      parts[p.type] = p.value;
    return `${parts.year}-${parts.month}-${parts.day}T${parts.hour}:${parts.minute}`;
  }
  document.addEventListener("click", (event) => {
    const bar = event.target.closest("[data-line]");
    if (!bar || !$("#why") || event.ctrlKey || event.metaKey || event.shiftKey) return;
    event.preventDefault();
    if (!dragged || !dragged.moved) showLine(bar);
  });
  document.addEventListener("keydown", (event) => {
    const bar = event.altKey && event.target.closest && event.target.closest(".cal-bar");
    const way = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
    if (!bar || !way) return;
    event.preventDefault();
    const by = Number(bar.dataset.by || 0) + way * A_QUARTER_MS;
    bar.dataset.by = by;
    showLine(bar, typedTime(startOf(bar) + by));
  });
  document.addEventListener("pointerdown", (event) => {
    const bar = event.target.closest && event.target.closest(".calendar .cal-bar");
    if (!bar || event.pointerType === "touch" || event.button) return;
    event.preventDefault();
    bar.focus();
    dragged = { bar: bar, x: event.clientX, moved: false };
  });
  document.addEventListener("pointermove", (event) => {
    if (!dragged || !(event.buttons & 1)) return;
    const by = event.clientX - dragged.x;
    if (Math.abs(by) < 5 && !dragged.moved) return;
    dragged.moved = true;
    const row = dragged.bar.ownerSVGElement;
    const scale = Number($("[data-calendar]").dataset.width) / row.getBoundingClientRect().width;
    dragged.by = by * scale;
    dragged.bar.classList.add("is-dragged");
    dragged.bar.setAttribute("transform", `translate(${dragged.by} 0)`);
  });
  document.addEventListener("pointerup", () => {
    const was = dragged;
    if (!was) return;
    setTimeout(() => (dragged = null)); // the click that follows is no choice
    if (!was.moved) return;
    was.bar.classList.remove("is-dragged");
    was.bar.removeAttribute("transform");
    showLine(was.bar, typedTime(startOf(was.bar) + was.by * Number($("[data-calendar]").dataset.ms)));
  });

  // --- the builder: layers are dragged by the grip, or moved with Alt and the arrow keys -------------
  let lifted = null;
  function moveLayer(layer, fields) {
    const address = $("#builder").dataset.address + "/change";
    const ground = $("#b-ground") ? $("#b-ground").value : "";
    const after = layer.id;
    htmx
      .ajax("POST", address, {
        target: "#builder",
        swap: "morph:outerHTML",
        values: { op: "move", layer: layer.dataset.layer, seen: $("#builder").dataset.seen, ground, ...fields },
      })
      .then(() => {
        const again = document.getElementById(after);
        if (again) $(".layer-name", again).focus();
      });
  }
  document.addEventListener("dragstart", (event) => {
    const grip = event.target.closest && event.target.closest(".grip");
    if (!grip) return;
    lifted = grip.closest(".layer-card");
    lifted.classList.add("is-lifted");
    event.dataTransfer.effectAllowed = "move";
    event.dataTransfer.setData("text/plain", lifted.dataset.layer);
  });
  document.addEventListener("dragover", (event) => {
    const over = lifted && event.target.closest(".layer-card");
    for (const card of $$(".layer-card.is-over")) if (card !== over) card.classList.remove("is-over");
    if (!over || over === lifted) return;
    event.preventDefault();
    over.classList.add("is-over");
  });
  document.addEventListener("drop", (event) => {
    const over = lifted && event.target.closest(".layer-card");
    if (!over || over === lifted) return;
    event.preventDefault();
    moveLayer(lifted, { to: over.dataset.place });
  });
  document.addEventListener("dragend", () => {
    for (const card of $$(".layer-card")) card.classList.remove("is-over", "is-lifted");
    lifted = null;
  });
  document.addEventListener("keydown", (event) => {
    const layer = event.altKey && event.target.closest(".layer-card");
    const by = { ArrowUp: "1", ArrowDown: "-1" }[event.key];
    if (!layer || !by || event.target.closest("input, select, textarea")) return;
    event.preventDefault();
    moveLayer(layer, { by });
  });
  function showSizes() {
    // only the sizes that a shape has
    const needs = {
      sheet: "length width sides count",
      box: "length width height count",
      tube: "diameter length count",
      cylinder: "diameter length count",
      cone: "diameter height count",
      sphere: "diameter count",
      frame: "length width openness count",
      spindles: "length width openness count",
      typed: "area count",
    };
    const kind = $("#f-shape");
    if (!kind) return;
    for (const field of $$("[data-size]"))
      field.hidden = !(needs[kind.value] || "").split(" ").includes(field.dataset.size);
  }
  document.addEventListener("change", (event) => {
    if (event.target.id === "f-shape") showSizes();
  });

  function toggleBooth() {
    const root = document.documentElement;
    const on = root.dataset.mode !== "booth";
    if (on) root.dataset.mode = "booth";
    else delete root.dataset.mode;
    root.dataset.theme = on ? "dark" : "light";
    for (const button of $$(".bar-button[aria-pressed]")) button.setAttribute("aria-pressed", String(on));
    document.cookie = "booth=" + (on ? 1 : 0) + ";path=/;max-age=31536000;samesite=strict";
  }

  document.addEventListener("alpine:init", () => {
    Alpine.data("shape", () => ({
      init() {
        showSizes();
      },
    }));
  });
  document.addEventListener("click", (event) => {
    if (event.target.closest("[data-booth-switch]")) toggleBooth();
    else if (event.target.closest("[data-help]")) openHelp();
    else if (event.target.closest("[data-help-close]")) $("#help").close();
    else if (event.target.closest("[data-sound-once]")) {
      const chosen = shopHas("alarmSound", "chime");
      sound(chosen === "silent" ? "chime" : chosen);
    }
  });
  function openHelp() {
    const on = { keys: keysAreOn(), sound: soundIsOn(), awake: recall(KEPT.awake, "1") === "1" };
    for (const box of $$("[data-keeps]")) box.checked = on[box.dataset.keeps];
    $("#help").showModal();
  }
  document.addEventListener("change", (event) => {
    const form = event.target.matches("select") && event.target.closest("form[data-autosubmit]");
    if (form) form.requestSubmit(); // a choice is a question asked
    const kept = event.target.dataset && event.target.dataset.keeps;
    if (!kept) return;
    keep(KEPT[kept], event.target.checked ? "1" : "0");
    if (kept === "awake") stayAwake();
  });
  // what few pages need is loaded where a form needs it, or a dialog that comes later
  let later = null;
  function loadLater() {
    if (later || !$("[x-data]")) return;
    later = document.createElement("script");
    later.src = document.documentElement.dataset.later;
    document.head.append(later);
  }
  loadLater();
  document.addEventListener("htmx:afterSettle", loadLater);

  document.addEventListener("DOMContentLoaded", () => {
    goToWrong();
    watchOffers();
    // what somebody opened stays open when the page is brought up to date
    Idiomorph.defaults.callbacks.beforeAttributeUpdated = (name, node) => !(name === "open" && node.tagName === "DETAILS");
    // one after the other, so that a press is heard between them
    for (const work of [tick, showTimers, askForAlarms]) setTimeout(work);
    showSizes();
    choose(chosen(), false); // a lane is framed, and keys act on it, once htmx has taken hold of its buttons
    ready = true;
    const zone = $("#set-up #f-time_zone"); // at the first start: this machine's own time zone, until another is typed
    if (zone && !zone.hasAttribute("aria-invalid") && !$("#f-name").value)
      zone.value = Intl.DateTimeFormat().resolvedOptions().timeZone || zone.value;
  });
})();
