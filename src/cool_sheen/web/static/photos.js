// Photos: what is too large is said before it is sent, and several at once are sent one after the other.
(function () {
  "use strict";
  const form = document.querySelector("form[data-photos]");
  if (!form || !window.fetch) return;
  const input = form.elements.photo,
    said = document.getElementById("n-photo"),
    most = Number(form.dataset.photos);
  const presses = new WeakMap(); // a photo that is sent again is the same press
  input.multiple = true;

  function say(words, bad) {
    said.textContent = words;
    said.classList.toggle("is-danger", Boolean(bad));
  }
  const tooLarge = () => Array.from(input.files).find((file) => file.size > most * 1e6);

  input.addEventListener("change", () => {
    const large = tooLarge();
    if (large) say(`${large.name} has ${Math.round(large.size / 1e6)} MB: up to ${most} are taken. Save it smaller first.`, true);
    else say(input.files.length > 1 ? `${input.files.length} photos` : "");
  });

  form.addEventListener("submit", async (event) => {
    if (tooLarge()) return event.preventDefault();
    if (input.files.length < 2) return;
    event.preventDefault();
    const button = form.querySelector("button"),
      files = Array.from(input.files);
    button.disabled = true;
    for (const [place, file] of files.entries()) {
      say(`${place + 1} of ${files.length}: ${file.name}`);
      const fields = new FormData(form);
      fields.set("photo", file);
      if (!presses.has(file)) presses.set(file, window.coolSheen.newId());
      fields.set("press", presses.get(file));
      const answer = await fetch(form.action, { method: "POST", body: fields }).catch(() => null);
      if (answer && answer.ok) continue;
      const why = answer ? "it is no photo that can be read here" : "the program did not answer";
      say(`${file.name} was not kept: ${why}. ${place} of ${files.length} are.`, true);
      button.disabled = false;
      return;
    }
    location.reload();
  });
})();
