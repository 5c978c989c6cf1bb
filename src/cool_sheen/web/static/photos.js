// Photos: what is too large is said before it is sent, several are sent one after the other, and none is lost: where the
// program does not answer they are kept on this device, and sent later.
(function () {
  "use strict";
  const form = document.querySelector("form[data-photos]");
  if (!form || !window.fetch) return;
  const input = form.elements.photo,
    button = form.querySelector("button"),
    said = document.getElementById("n-photo"),
    most = Number(form.dataset.photos);
  const { pressOf, keepPhoto, saidIn } = window.coolSheen;
  input.multiple = true;

  function say(words, bad) {
    said.textContent = words;
    said.classList.toggle("is-danger", Boolean(bad));
    if (bad) input.setAttribute("aria-invalid", "true");
    else input.removeAttribute("aria-invalid");
  }
  const tooLarge = () => Array.from(input.files).find((file) => file.size > most * 1e6);

  input.addEventListener("change", () => {
    const large = tooLarge();
    if (large) say(`${large.name} has ${Math.round(large.size / 1e6)} MB: up to ${most} are taken. Save it smaller first.`, true);
    else say(input.files.length > 1 ? `${input.files.length} photos` : "");
  });

  // what the program has against a photo, or against what was said of it, each where it stands
  async function refusal(answer) {
    const page = new DOMParser().parseFromString(await answer.text(), "text/html");
    const notes = Array.from(page.querySelectorAll("form[data-photos] .is-danger, .notice p"), (p) => p.textContent.trim());
    return Array.from(new Set(notes.filter(Boolean))).join(" ") || "The program could not keep it.";
  }

  // sends one: "sent", "kept" on this device, or the words for why it is neither
  async function bring(file) {
    const press = pressOf(file),
      fields = new FormData(form);
    fields.set("photo", file);
    fields.set("press", press);
    const answer = await fetch(form.action, { method: "POST", body: fields }).catch(() => null);
    if (answer && answer.status !== 401) return answer.ok ? "sent" : refusal(answer);
    const there = await keepPhoto(new URL(form.action).pathname, { ...saidIn(form), press }, file, form.dataset.name);
    return there ? "kept" : "The program did not take it, and this device has no room to keep it.";
  }

  form.addEventListener("submit", async (event) => {
    if (!input.files.length) return; // the program says what is missing
    event.preventDefault();
    if (tooLarge()) return;
    const files = Array.from(input.files),
      done = { sent: 0, kept: 0 };
    button.disabled = true;
    try {
      for (const [place, file] of files.entries()) {
        say(files.length > 1 ? `${place + 1} of ${files.length}: ${file.name}` : `Sending ${file.name}`);
        const came = await bring(file);
        if (!(came in done)) return say(`${file.name}: ${came}${place ? ` ${place} of ${files.length} are kept.` : ""}`, true);
        done[came] += 1;
      }
    } finally {
      button.disabled = false;
      window.coolSheen.unheard(form);
    }
    if (!done.kept) return location.reload();
    form.reset(); // as when it was sent; the page is loaded again then
    const one = done.kept === 1;
    say(`${one ? "It is" : `${done.kept} are`} kept on this device, and sent as soon as the program takes ${one ? "it" : "them"}.`);
  });
})();
