"""A working day on eight parts with two devices, with all that goes wrong; then the ledger is held against the truth."""

import random
from collections import Counter
from dataclasses import dataclass, field
from uuid import UUID, uuid4

import pytest
from fastapi.testclient import TestClient
from tests.app.test_inspection import ahead, inspect, split, went_wrong, zones_of
from tests.support import ORIGIN, ShopOnTrial

from cool_sheen.core.work.steps import CoatStep, SandStep
from cool_sheen.service.opening import open_workshop
from cool_sheen.settings import Settings
from cool_sheen.store.opening import close, open_engine
from cool_sheen.web.app import create_app

PANELS = ("Panel 2", "Panel 3", "Panel 4", "Panel 5", "Panel 6")
JOBS = (
    ("two-stage-epoxy", "bare_steel_cast"), ("two-stage-epoxy", "bare_steel_cast"), ("one-pack-enamel", "bare_timber"),
    ("lacquer-build", "bare_timber"), ("cabinet-waterborne", "bare_timber"), ("single-stage-epoxy", "bare_steel_cast"),
    ("one-pack-enamel", "bare_steel_sheet"),
)  # fmt: skip


@dataclass
class Truth:
    """What was really done, as somebody with a notebook would have it."""

    coats: dict[tuple[UUID, UUID], list[tuple[str, object]]] = field(default_factory=dict)  # by part and zone
    sandings: Counter = field(default_factory=Counter)

    def coat(self, part, zones, layer, at):
        for zone in zones:
            self.coats.setdefault((part, zone), []).append((layer, at))


class Day:
    """Two devices over one shop, a network that drops answers, and a program that is stopped and started."""

    def __init__(self, folder, seed):
        self.shop, self.dice, self.truth = ShopOnTrial(folder), random.Random(seed), Truth()
        self.folder, self.dropped, self.taken_back, self.late = folder, 0, 0, 0

    def start_again(self):
        """End the program, and open the file anew: nothing of what it had worked out is there any more."""
        shop = self.shop
        shop.look_away()
        close(shop.workshop.engine)
        shop.workshop = open_workshop(open_engine(self.folder / "shop.sqlite3"), shop.clock)
        hooks, app = shop.http.event_hooks, create_app(shop.workshop, Settings(hosts="testserver"))
        shop.http = TestClient(app, headers=ORIGIN, follow_redirects=False)
        shop.http.event_hooks = hooks

    def press(self, part, verb, **fields):
        """Press on one of two devices; now and then the answer is lost, and the device sends the press again."""
        self.shop.http.cookies.set("device", self.dice.choice(("tablet", "phone")))
        press = uuid4()
        for _ in range(1 + (self.dice.random() < 0.2)):
            answer = self.shop.log(part, verb, press=press, **fields)
            assert answer.status_code == 200, answer.text[:300]
        self.dropped += 1
        return press

    def next(self, part):
        """Do what comes next on a part, as it really happens; return whether anything was to be done."""
        found = self.shop.standing(part)
        action = found.action
        if not found.is_live or action.step is None:
            return False
        if action.counts_to is not None and action.counts_to > self.shop.clock.at:
            self.shop.clock.turn(seconds=(action.counts_to - self.shop.clock.at).total_seconds() + 30)
            found = self.shop.standing(part)
            action = found.action
        step, zones = action.step, action.zones or found.situation.all_zones
        if action.does == "touch_test":
            self.press(part, "touch", ready="yes", milestone=action.milestone or "")
        elif isinstance(step, CoatStep) and action.does == "coat":
            self.coat(part, step, zones)
        elif isinstance(step, SandStep) and action.does == "sand":
            self.press(part, "sand", grit=step.grit)
            self.truth.sandings[part] += 1
        elif step.kind == "inspect":
            assert inspect(self.shop, part, "look", rest="1").status_code == 303
        elif step.kind in ("wait", "bake"):
            self.shop.clock.turn(minutes=30)
        else:
            self.press(part, "step", kind=step.kind)
        return True

    def reach(self, part, wanted):
        """Do what comes next until that is what is wanted."""
        for _ in range(80):
            step = self.shop.standing(part).action.step
            if step is not None and wanted(step):
                return step
            self.next(part)
        raise AssertionError(f"it never came to that: {ahead(self.shop, part)}")

    def compare(self, part):
        """Hold the ledger of a part against the notebook: each zone's layers and times, none lost, none twice."""
        history = self.shop.standing(part).history
        for zone in history.builds:
            logged = [(c.payload.layer_id, c.ended_at) for c in history.coats if zone in c.zones]
            assert logged == sorted(self.truth.coats.get((part, zone), []), key=lambda row: row[1])
        assert sum(w.kind == "sand" for w in history.works) == self.truth.sandings[part]

    def coat(self, part, step, zones):
        """Coat: at once, with a wrong tap before it, or noted on a device that had no network and sent later."""
        if self.dice.random() < 0.25:  # the wrong button, seen at once
            self.press(part, "coat", layer_id=step.layer.id)
            self.press(part, "undo")
            self.taken_back += 1
        fields = {f"zone_{zone}": "1" for zone in zones} if len(self.shop.standing(part).zones) > 1 else {}
        at = self.shop.clock.at
        if self.dice.random() < 0.25:
            self.shop.clock.turn(minutes=3)
            fields["kept_at"] = at.isoformat()
            self.late += 1
        self.press(part, "coat", layer_id=step.layer.id, **fields)
        self.truth.coat(part, zones, step.layer.id, at)


@pytest.fixture
def day(tmp_path):
    return Day(tmp_path, seed=11)


def test_the_ledger_of_a_working_day_is_what_really_happened(day):
    shop, parts = day.shop, []
    for system, substrate in JOBS:
        parts.append(shop.new_part(system, substrate))
    masonry = shop.new_part("solid-stain-masonry", "masonry")
    parts.append(masonry)
    panelled = parts[0]
    for name in PANELS:
        split(shop, panelled, name, "0.2")

    for n in range(40):
        part = parts[n % len(parts)]
        for _ in range(1 + (n < 16)):
            day.next(part)
        if n % 13 == 12:
            day.start_again()

    # A mishap on one panel of six: a branch for it alone, and the rest keep their clocks.
    step = day.reach(panelled, lambda s: isinstance(s, CoatStep))
    panel = zones_of(shop, panelled)["Panel 3"]
    others = [z for z in zones_of(shop, panelled).values() if z != panel]
    before = [shop.standing(panelled).history.of(frozenset({z})) for z in others]
    answer = went_wrong(shop, panelled, ("sand", "P320", ""), ("coat", "", step.layer.id), **{f"zone_{panel}": "1"})
    assert answer.status_code == 303, answer.text
    assert [shop.standing(panelled).history.of(frozenset({z})) for z in others] == before
    assert len(ahead(shop, panelled, panel)) == len(ahead(shop, panelled, others[0])) + 2
    while ahead(shop, panelled, panel) != ahead(shop, panelled, others[0]):
        assert day.next(panelled)
    for part in parts:
        day.compare(part)
    assert day.taken_back
    assert day.late
