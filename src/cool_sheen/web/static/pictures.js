// A picture of the page, saved as SVG: as it is seen, with nothing that it needs from elsewhere.
(function () {
  "use strict";
  const NS = "http://www.w3.org/2000/svg";
  const paper = document.implementation.createDocument(NS, "svg"); // nothing that is made for it is loaded here
  const COLOURS = ["fill", "stroke", "stop-color"];
  const LOOKS = [
    ...["fill-opacity", "fill-rule", "stroke-width", "stroke-dasharray", "stroke-linecap", "stroke-linejoin", "stroke-opacity"],
    ...["opacity", "paint-order", "vector-effect", "stop-opacity", "visibility", "text-anchor", "dominant-baseline"],
    ...["font-family", "font-size", "font-weight", "font-style", "letter-spacing"],
  ];
  const KEPT = new Set([
    ...["x", "y", "x1", "y1", "x2", "y2", "cx", "cy", "r", "rx", "ry", "d", "dx", "dy", "points", "width", "height", "viewBox"],
    ...["transform", "offset", "preserveAspectRatio", "id", "patternUnits", "patternTransform", "gradientUnits"],
    ...["gradientTransform", "clip-path", "role", "aria-label"],
  ]);

  // Other programs read rgb() and an opacity; not all read rgba().
  function colour(to, name, value) {
    const found = /^rgba\((\d+), (\d+), (\d+), ([\d.]+)\)$/.exec(value);
    to.setAttribute(name, found ? `rgb(${found.slice(1, 4).join(", ")})` : value);
    if (found) to.setAttribute(name.replace("-color", "") + "-opacity", found[4]);
  }

  // A copy of an element with the looks that the style sheet gives it; what is not shown is left out.
  function copied(from, needed) {
    const looks = getComputedStyle(from);
    if (looks.display === "none" && from.namespaceURI === NS && !from.closest("defs")) return null;
    const to = paper.createElementNS(NS, from.localName === "a" ? "g" : from.localName);
    for (const { name, value } of from.attributes) if (KEPT.has(name)) to.setAttribute(name, value);
    for (const name of LOOKS) to.setAttribute(name, looks.getPropertyValue(name));
    for (const name of COLOURS) colour(to, name, looks.getPropertyValue(name));
    for (const { value } of to.attributes)
      for (const [, id] of value.matchAll(/url\(["']?[^"')]*#([^"')]+)["']?\)/g)) needed.add(id);
    if (from.localName === "image") to.setAttribute("href", inlined(from));
    for (const child of from.childNodes) {
      if (child.nodeType === Node.TEXT_NODE) to.append(child.data);
      else if (child.namespaceURI === NS) to.append(copied(child, needed) ?? "");
    }
    return to;
  }

  function inlined(image) {
    const shown = new Image();
    shown.src = image.href.baseVal; // it is on the page, so it is there at once
    const canvas = document.createElement("canvas");
    Object.assign(canvas, { width: shown.naturalWidth, height: shown.naturalHeight });
    if (!canvas.width) return "";
    canvas.getContext("2d").drawImage(shown, 0, 0);
    return canvas.toDataURL("image/jpeg");
  }

  function drawn(picture) {
    if (picture.localName === "canvas") return painted(picture);
    const needed = new Set();
    const out = copied(picture, needed);
    const { width, height } = picture.getBoundingClientRect();
    out.setAttribute("width", Math.round(width));
    out.setAttribute("height", Math.round(height));
    const defs = paper.createElementNS(NS, "defs");
    for (const id of needed) {
      const there = document.getElementById(id);
      if (there && !picture.contains(there)) defs.append(copied(there, needed));
    }
    out.prepend(defs);
    return out;
  }

  function painted(canvas) {
    const out = paper.createElementNS(NS, "svg");
    const image = paper.createElementNS(NS, "image");
    for (const [name, value] of Object.entries({ width: canvas.width, height: canvas.height })) {
      out.setAttribute(name, value);
      image.setAttribute(name, value);
    }
    image.setAttribute("href", canvas.toDataURL("image/png"));
    out.append(image);
    return out;
  }

  function titled(picture) {
    const place = picture.closest("section, article, figure, .lane, .panel");
    const head = place && place.querySelector("h1, h2, h3, .lane-name");
    const says = picture.getAttribute("aria-label") || "";
    const words = head && !says.startsWith(head.textContent.trim()) ? head.textContent + ": " + says : says;
    const line = words.replace(/\s+/g, " ").trim();
    return line.length <= 90 ? line || "Picture" : line.slice(0, 89).replace(/ \S*$/, "") + "…";
  }

  function save(picture, title) {
    const out = drawn(picture);
    const name = paper.createElementNS(NS, "title");
    name.textContent = title;
    out.prepend(name);
    const text = '<?xml version="1.0" encoding="UTF-8"?>\n' + new XMLSerializer().serializeToString(out);
    const link = document.createElement("a");
    link.href = URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
    const plain = title.toLowerCase().replace(/[^a-z0-9]+/g, "-");
    link.download = (plain.replace(/^-|-$/g, "").slice(0, 60) || "picture") + ".svg";
    link.click();
    setTimeout(() => URL.revokeObjectURL(link.href), 10000);
  }

  function list(details) {
    const there = details.querySelector("[data-pictures-list]");
    const pictures = Array.from(document.querySelectorAll('svg[role="img"], svg[role="group"], canvas[role="img"]'));
    const seen = pictures.filter((p) => p.getClientRects().length);
    there.replaceChildren(
      ...seen.map((picture) => {
        const button = document.createElement("button");
        Object.assign(button, { type: "button", className: "btn btn-quiet", textContent: titled(picture) });
        button.addEventListener("click", () => save(picture, titled(picture)));
        return button;
      })
    );
    details.querySelector("[data-pictures-none]").hidden = seen.length > 0;
  }

  const details = document.querySelector("[data-pictures]");
  if (details) details.addEventListener("toggle", () => details.open && list(details));
})();
