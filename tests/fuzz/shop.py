"""A shop that is pressed at: its pages, its forms, and the answers that are told."""

import random
import re
from collections import Counter
from pathlib import Path
from typing import Any
from uuid import uuid4

from tests.fuzz import nasty
from tests.fuzz.forms import Form, spoiled, walk
from tests.support import PHRASES, ShopOnTrial

PAGES = [
    "/", "/jobs", "/jobs/new", "/mix", "/mix/new", "/mix/new?product=clear-two-pack&how=ready&amount=300", "/stores", "/stores/stock",
    "/stores/sizes", "/stores/cans", "/stores/cost", "/stores/yields", "/weather", "/spaces", "/systems", "/systems/two-stage-epoxy?layer=build",
    "/shelf", "/shelf/new", "/shelf/epoxy-primer-grey/edit", "/shelf/new?copy=epoxy-primer-grey", "/shelf/import", "/jobs/bring", "/records/statistics", "/data", "/start",
    "/shop", "/shop/scripts", "/projects/new",
    "/shelf/clear-two-pack", "/shelf/supplies/new?copy=accelerator-urethane", "/shelf/supplies/reducer-epoxy/edit",
    "/plan", "/plan/lines/5", "/device", "/away", "/gun", "/gun/field", "/gun/trainer", "/gun/faults?fault=spit", "/gun/rack", "/clinic", "/records",
]  # fmt: skip
ASKED = {
    "/jobs": ("page", "find", "state", "space", "product", "since", "until"), "/jobs/new": ("project",), "/shelf": ("find", "kind"), "/shelf/export.json": ("product", "system"),
    "/stores": ("project", "estimate"), "/stores/takeoff.csv": ("project", "estimate"), "/stores/stock": ("item",),
    "/stores/sizes": ("find",), "/stores/cans": ("part", "day", "to"), "/stores/cost": ("page",), "/stores/yields": ("product", "claim"),
    "/weather": ("space", "substrate", "product", "span", "by"), "/spaces": ("space",), "/systems/two-stage-epoxy": ("ground", "layer"),
    "/mix/new": ("product", "how", "amount", "cup", "tare", "have", "pot_c", "dose.accelerator-urethane", "dose.retarder-urethane"),
    "/parts/PART": ("span", "before", "by"), "/parts/PART/what-if": ("heat", "dry"), "/parts/PART/survey": ("zone", "split", "test"),
    "/parts/PART/inspect": ("accept", "zone", "photo"), "/parts/PART/correct": ("entry",),
    "/parts/PART/clinic": ("defect", "zone", "at", "said"), "/clinic": ("part",),
    "/records": ("find", "kind", "product", "defect", "air_from", "air_to", "rh_from", "rh_to", "since", "until", "before"),
    "/parts/PART/mishap": ("defect", "zone", "mark", "words"),
    "/parts/PART/live": ("span",), "/parts/PART/system": ("layer", "hide_change", "hide_strength", "ground"), "/data": ("made", "sound"),
    "/gun": ("gun", "product", "part", "space", "opening", "bar", "place", "state", "flow", "grit", "lay", "stroke", "was"),
    "/gun/field": ("gun", "product", "width", "height", "fan", "distance", "overlap", "speed", "target", "early", "late", "pivot",
                   "coats", "second", "flow"),
    "/gun/trainer": ("drill", "gun", "product"), "/gun/faults": ("gun", "fault", "ruled"), "/gun/rack": ("gun",),
    "/plan": ("view", "day", "guess"), "/plan/sheet": ("day",), "/plan/lines/7/move": ("at",), "/plan/compare": ("plan",),
}  # fmt: skip
DIALOGS = (
    "touch",
    "sand",
    "coat",
    "bake",
    "strip",
    "skip",
    "step",
    "tend",
    "reading",
    "note",
    "hours",
    "inspect",
    "clinic?defect=run",
    "sheet",
    "mishap",
    "photos",
    "pieces",
    "story",
)


class Pressed:
    """The demo shop, and what came of pressing."""

    def __init__(self, folder: Path, seed: int) -> None:
        self.shop = ShopOnTrial(folder, demo=True)
        self.shop.http.event_hooks = {}  # what a page looks like is nothing that this looks at
        self.shop.http.headers["Accept-Encoding"] = "identity"
        self.dice = random.Random(seed)
        self.statuses: Counter[int] = Counter()
        self.broken: list[str] = []
        self.parts: list[str] = re.findall(r'data-part="([0-9a-f-]{36})"', self.shop.http.get("/").text)
        self.shop.http.post("/plan", data={"painters": "1", "guns": "1"})
        batch = str(uuid4())
        self.shop.http.post(
            "/mix/new", data={"product": "clear-two-pack", "press": batch, "how": "ready", "amount": "300 ml"}
        )
        self.batch = batch

    def pages(self) -> list[str]:
        """Return the pages that are looked at now."""
        part = self.dice.choice(self.parts)
        zone = re.search(r"survey\?zone=([0-9a-f-]{36})", self.shop.http.get(f"/parts/{part}/survey").text)
        more = [
            f"/parts/{part}{rest}"
            for rest in ("", "/survey", "/system", "/survey?test=solvent_rub", *(f"/{d}" for d in DIALOGS))
        ]
        if zone:
            more += [f"/parts/{part}/survey?zone={zone[1]}", f"/parts/{part}/survey?split={zone[1]}"]
        layer = re.search(r'data-layer="([\w-]+)"', self.shop.http.get(f"/parts/{part}/system").text)
        if layer:
            more.append(f"/parts/{part}/system?layer={layer[1]}")
        project = re.search(r'href="/projects/([0-9a-f-]{36})"', self.shop.http.get(f"/parts/{part}").text)
        if project:
            more.append(f"/projects/{project[1]}")
        return [*PAGES, f"/mix/{self.batch}", *more]

    def post(self, form: Form) -> None:
        """Press a spoiled form, and note what came of it."""
        fields, files = spoiled(form, self.dice)
        headers = {"HX-Request": "true"} if self.dice.random() < 0.5 else {}
        try:
            answer = self.shop.http.post(form.action, data=fields, files=files or None, headers=headers)
        except UnicodeEncodeError:
            return
        self.note(f"POST {form.action} {fields} {files}", answer)

    def get(self, path: str) -> Any:
        """Ask for a page, and note what came of it."""
        answer = self.shop.http.get(path)
        self.note(f"GET {path}", answer)
        return answer

    def ask(self) -> None:
        """Ask for a page with a question that no link has."""
        page = self.dice.choice(sorted(ASKED))
        names = [name for name in ASKED[page] if self.dice.random() < 0.7]
        asked = {name: nasty.text(self.dice) for name in names}
        if "mix" in page:
            asked = {"product": "clear-two-pack", "how": "ready", "amount": "300"} | asked
        try:
            answer = self.shop.http.get(page.replace("PART", self.dice.choice(self.parts)), params=asked)
        except UnicodeEncodeError:
            return
        self.note(f"GET {page} {asked}", answer)

    def note(self, what: str, answer: Any) -> None:
        """Keep what was pressed when it broke something."""
        self.statuses[answer.status_code] += 1
        spoken = PHRASES.search(answer.text) if "html" in answer.headers.get("content-type", "") else None
        if answer.status_code >= 500 or spoken:
            self.broken.append(f"{answer.status_code} {spoken and spoken[0]} {what[:1500]}")

    def press_at(self, times: int) -> None:
        """Press so often, at forms of pages that are looked at anew now and then."""
        done = 0
        while done < times:
            forms = list(walk(self.get, self.pages()))
            for _ in range(min(times - done, 500)):
                if self.dice.random() < 0.1:
                    self.ask()
                self.post(self.dice.choice(forms))
                done += 1
            self.shop.clock.turn(minutes=self.dice.choice((1, 30, 600)))
