"""Rows: what stands on a button is what is laid down, on the zones that it names; and every door asks the same."""

import os
import random
import re
from datetime import timedelta
from uuid import UUID, uuid4

import pytest
from fastapi.testclient import TestClient
from tests.app.test_inspection import split, until, went_wrong, zones_of
from tests.app.test_scripts import make_token
from tests.fuzz.forms import filled_as_shown
from tests.support import SURE, ShopOnTrial

from cool_sheen.core.coatings.systems import Coat
from cool_sheen.core.press.contradictions import contradictions
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.service import confirmations, looks, work
from cool_sheen.service.jobs import find_part
from cool_sheen.service.part_now import part_now
from cool_sheen.settings import Settings
from cool_sheen.store import log
from cool_sheen.web.app import create_app
from cool_sheen.web.security import Doorkeeper

HX = {"HX-Request": "true"}
PARTS = int(os.environ.get("COOL_SHEEN_ROWS", "8"))  # sixty by hand: COOL_SHEEN_ROWS=60


def last(shop, part):
    with shop.workshop.read() as unit:
        return log.of_part(unit.session, part)[-1].entry


def buttons(html, part):
    """The rows of a page with a button that logs at once: verb and fields, as a finger on it sends them."""
    found = re.findall(rf'<form method="post" action="/parts/{part}/(coat|step)"(.*?)</form>', html, re.DOTALL)
    return [(verb, dict(re.findall(r'name="([^"]+)" value="([^"]*)"', form))) for verb, form in found]


def counted(page, part):
    """What the lane of a part counts down to on a page, and which alarm it rings then."""
    begins = page.find(f'data-part="{part}"')
    ends = page.find('data-part="', begins + 10)
    lane = page[begins : ends if ends > 0 else None] if begins >= 0 else ""
    return set(re.findall(r'data-to="(\d+)" data-alarm="(\w*)" data-key="([^"]*)"', lane))


def named(fields):
    return {UUID(name.removeprefix("zone_")) for name in fields if name.startswith("zone_")}


def test_a_defect_on_one_of_five_zones_leaves_the_others_their_coat_and_the_button_lays_it_there_alone(shop):
    """Fisheyes on one zone: the button logged its mending coat, unsanded, and nothing on the other four."""
    part = shop.new_part(area="5")
    for name in ("Door frame", "Sill", "Left", "Right"):
        split(shop, part, name)
    until(shop, part, lambda s: isinstance(s, CoatStep) and s.layer.id == "colour" and s.number == 2)
    zones = zones_of(shop, part)
    mend = (("wait", "45", ""), ("sand", "P320", ""), ("wipe", "", ""), ("coat", "", "colour"))
    assert went_wrong(shop, part, *mend, **{f"zone_{zones['Sill']}": "1"}).status_code == 303
    first, second = shop.standing(part).actions
    others = {u for n, u in zones.items() if n != "Sill"}
    assert (first.step.id, first.zones, second.zones) == ("colour:coat:2", others, {zones["Sill"]})
    shop.clock.at = first.band.late + timedelta(minutes=1)
    page = shop.http.get("/").text
    assert "1 more: Sill" in re.sub(r"\s+", " ", re.sub(r"<[^>]+>", "", page))
    verb, fields = buttons(page, part)[0]
    assert (verb, named(fields)) == ("coat", others)
    answer = shop.http.post(f"/parts/{part}/coat", data=fields, headers=HX)
    assert "Colour coated" in answer.text
    entry = last(shop, part)
    assert ({t.zone for t in entry.targets}, entry.planned_step) == (others, "colour:coat:2")
    # the row of the defect is a row like any other: its form has its zone ticked, and lays down its step
    row = next(a for a in shop.standing(part).actions if zones["Sill"] in a.zones)
    form = filled_as_shown(shop.http.get(f"/parts/{part}/sand?row={row.row}").text, "/sand")
    assert named({name: value for name, value in form.items() if value}) == {zones["Sill"]}


def test_a_row_that_is_gone_is_asked_about_and_what_was_typed_is_kept(shop):
    part = shop.new_part()
    until(shop, part, lambda s: isinstance(s, CoatStep))
    shop.clock.turn(minutes=1)
    form = filled_as_shown(shop.http.get(f"/parts/{part}/coat").text, "/coat") | {"wet_film": "93"}
    assert shop.log(part, "coat").status_code == 200
    shop.log(part, "touch", ready="yes", sure=SURE)
    count = len(shop.standing(part).history.coats)
    stale = {**form, "offered": form["offered"].replace("coat:1", "coat:9"), "press": str(uuid4())}
    answer = shop.http.post(f"/parts/{part}/coat", data=stale, headers=HX)
    assert "That was logged already" in answer.text
    assert 'name="wet_film" value="93"' in answer.text
    assert len(shop.standing(part).history.coats) == count


# --- every door, at random ------------------------------------------------------------------------------------------------


class Doors:
    """One shop, driven at random: rows, dialogs, pieces, the page without the program, a script."""

    def __init__(self, shop: ShopOnTrial, seed: int) -> None:
        self.shop, self.dice = shop, random.Random(seed)
        token = make_token(shop, "booth", may_write="1")
        app = Doorkeeper(create_app(shop.workshop, Settings(hosts="testserver", dev=True)), ("testserver",))
        self.script = TestClient(app, headers={"Authorization": f"Bearer {token}"})
        self.asked = self.logged = self.counted = 0
        self.used: set[str] = set()

    def part(self) -> UUID:
        system = self.dice.choice(("two-stage-epoxy", "single-stage-epoxy", "lacquer-build", "one-pack-enamel"))
        part = self.shop.new_part(system, area="3")
        if self.dice.random() < 0.5:  # it is inspected after its first layer, and nothing follows before it has passed
            with self.shop.workshop.write() as unit:
                row = find_part(unit, part)
                first, *others = row.system["layers"]
                look = {"kind": "inspect", "holds": True}
                layers = [{**first, "then": [look, *first.get("then", [])]}, *others]
                row.system, row.changes = {**row.system, "layers": layers}, row.changes + 1
        for name in ("Rim", "Back", "Inside")[: self.dice.randrange(4)]:
            split(self.shop, part, name)
        return part

    def expected(self, part: UUID, does: str, fields: dict[str, str]) -> set[str]:
        """What the table asks of a press of a coat or a step, worked out beside the door."""
        with self.shop.workshop.read() as unit:
            found = part_now(unit, part).on_row(fields["offered"].partition(":")[2])
            zones = frozenset(named(fields)) or found.situation.all_zones
            if does == "inspect":
                about = {UUID(name.removeprefix("zone_")) for name in fields if name.startswith("zone_")}
                intent = confirmations.intent_of(unit, found, does, frozenset(about), None, looks.look_ahead(found))
            elif does == "bake":
                began = unit.now - timedelta(minutes=float(fields["minutes"]))
                intent = confirmations.intent_of(unit, found, does, zones, began, None)
                flashed = [f.top.bands["flash"].likely for f in found.situation.films if f.zones & zones]
                early = {"tested"} if any(at is None or began < at for at in flashed) else set()
                return early | {c.code for c in contradictions(intent)}
            elif does == "coat":
                layer, step = work._coat_meant(found, fields.get("layer_id") or None, zones)
                coat = step.coat if step else layer.coats[-1]
                kind = fields.get("coat_kind") or coat.kind
                meant = confirmations.intent_of(unit, found, "coat", zones, None, step)
                film = Coat(kind=kind, wet_film_um=coat.wet_film_um)
                intent = confirmations.coat_intent(unit, found, meant, layer, film, (), None)
            else:
                step = work._step_meant(found, does, zones)
                intent = confirmations.intent_of(unit, found, does, zones, None, step)
            return {c.code for c in contradictions(intent)}

    def press(self, part: UUID) -> None:
        """Choose a door and a row, press; it asks what the table asks and logs nothing, and confirmed it logs that."""
        doors = (self.by_row, self.by_dialog, self.by_script, self.away, self.by_piece, self.by_look, self.by_heat)
        door = self.dice.choice(doors)
        self.screens(part)
        chosen = door(part)
        if chosen is None:
            return
        does, fields, send = chosen
        self.used.add(door.__name__)
        wanted = self.expected(part, does, fields)
        before = last(self.shop, part).uuid
        codes = send({**fields, "sure": "offer"})
        assert codes == (wanted or None), (door.__name__, does, fields)
        if codes:
            self.asked += 1
            assert last(self.shop, part).uuid == before  # nothing is logged before it is confirmed
            assert send({**fields, "sure": ",".join({"offer", *codes})}) is None
        entry = next(e for e in self.entries(part) if str(e.uuid) == fields["press"])
        self.logged += 1
        zones = named(fields) or self.shop.standing(part).situation.all_zones
        assert {t.zone for t in entry.targets} == zones
        assert bool(entry.reason) is bool(codes)  # "asked" stands with the entry only when somebody was asked

    def entries(self, part: UUID):
        with self.shop.workshop.read() as unit:
            return [row.entry for row in log.of_part(unit.session, part)]

    def _sent(self, path: str):
        def send(fields):
            answer = self.shop.http.post(path, data=fields, headers=HX)
            assert answer.status_code == 200, answer.text[:400]
            if answer.headers.get("HX-Reswap") != "none":
                return None
            return set(re.search(r'name="sure" value="([^"]+)"', answer.text)[1].split(",")) - {"offer"}

        return send

    def screens(self, part):
        """The rows with a button: the Bench, the part's page and the call say the same, and count to the same instants."""
        pages = [self.shop.http.get(path).text for path in ("/", f"/parts/{part}")]
        rows = [buttons(page, part) for page in pages]
        shown = [[(verb, named(f), f["offered"]) for verb, f in found] for found in rows]
        status = self.script.get(f"/api/v1/parts/{part}").json()
        assert shown[0] == shown[1]
        assert {offer for _, _, offer in shown[0]} <= {row["offer"] for row in status["rows"]}
        counts = [counted(page, part) for page in pages]
        assert counts[0] == counts[1]
        self.counted += len(counts[0])
        return rows[0]

    def by_row(self, part):
        rows = self.screens(part)
        if not rows:
            return None
        verb, fields = self.dice.choice(rows)
        return fields.get("kind", "coat"), {**fields, "press": str(uuid4())}, self._sent(f"/parts/{part}/{verb}")

    def by_dialog(self, part):
        form = filled_as_shown(self.shop.http.get(f"/parts/{part}/coat").text, "/coat")
        every = [f"zone_{z.uuid}" for z in self.shop.standing(part).zones]
        fields = {n: v for n, v in form.items() if v and not n.startswith(("zone_", "ask_"))}
        if len(every) > 1:
            fields |= dict.fromkeys(self.dice.sample(every, self.dice.randint(1, len(every))), "1")
        layers = [la.id for la in self.shop.standing(part).system.layers]
        if self.dice.random() < 0.3:
            fields["layer_id"] = self.dice.choice(layers)
        return "coat", {**fields, "press": str(uuid4())}, self._sent(f"/parts/{part}/coat")

    def by_piece(self, part):
        page = self.shop.http.get(f"/parts/{part}/pieces").text
        forms = re.findall(rf'action="/parts/{part}/pieces/done"(.*?)</form>', page, re.DOTALL)
        shown = [dict(re.findall(r'name="([^"]+)" value="([^"]*)"', form)) for form in forms]
        there = [s for s in shown if s.get("zone")]
        if not there or not isinstance(self.shop.standing(part).action.step, CoatStep):
            return None
        said = self.dice.choice(there) | {"then": "stop", "press": str(uuid4())}
        layer = self.shop.standing(part).action.step.layer.id
        send = self._sent(f"/parts/{part}/pieces/done")
        fields = {**said, "layer_id": layer, f"zone_{said['zone']}": "1"}
        return "coat", fields, lambda f: send({**said, "sure": f["sure"]})

    def away(self, part):
        page = self.shop.http.get("/away").text
        forms = re.findall(rf'action="/parts/{part}/(coat|step)" data-away(.*?)</form>', page, re.DOTALL)
        if not forms:
            return None
        verb, form = self.dice.choice(forms)
        fields = dict(re.findall(r'name="([^"]+)" value="([^"]*)"', form)) | {"press": str(uuid4())}
        return fields.get("kind", "coat"), fields, self._sent(f"/parts/{part}/{verb}")

    def by_look(self, part):
        open_ = {z for z in self.shop.standing(part).zones if self.shop.standing(part).history.open_marks(z.uuid)}
        there = [f"zone_{z.uuid}" for z in self.shop.standing(part).zones if z not in open_]
        if not there:
            return None
        offered = f"1:{self.shop.standing(part).action.row}"
        fields = {"press": str(uuid4()), "offered": offered, **dict.fromkeys(self.dice.sample(there, 1), "passed")}

        def send(said):
            answer = self.shop.http.post(f"/parts/{part}/inspect/look", data=said)
            if answer.status_code == 303:
                return None
            assert answer.status_code == 409, answer.text[:400]
            return set(re.search(r'name="sure" value="([^"]+)"', answer.text)[1].split(","))

        return "inspect", fields, send

    def by_heat(self, part):
        """A lamp on what is coated."""
        there = [z for f in self.shop.standing(part).situation.films if f.top for z in f.zones]
        if not there:
            return None
        row = next(a.row for a in self.shop.standing(part).actions)
        form = filled_as_shown(self.shop.http.get(f"/parts/{part}/bake?row={row}").text, "/bake")
        fields = {n: v for n, v in form.items() if v and not n.startswith("zone_")} | {"metal": "60", "minutes": "20"}
        if len(self.shop.standing(part).zones) > 1:
            fields |= {f"zone_{self.dice.choice(there)}": "1"}
        return "bake", {**fields, "press": str(uuid4())}, self._sent(f"/parts/{part}/bake")

    def by_script(self, part):
        rows = self.script.get(f"/api/v1/parts/{part}").json()["rows"]
        row = self.dice.choice(rows)
        if row["does"] not in ("coat", "touch_test") or not row["zones"] or ":coat:" not in row["offer"]:
            return None
        zones = self.dice.sample(row["zones"], self.dice.randint(1, len(row["zones"])))
        press = str(uuid4())
        fields = {"press": press, "offered": row["offer"], **{f"zone_{z}": "1" for z in zones}}

        def send(told):
            said = {"kind": "coat", "zones": zones}
            body = {"press": press, "offer": row["offer"], "says": said, "sure": told["sure"].split(",")}
            answer = self.script.post(f"/api/v1/parts/{part}/entries", json=body)
            return None if answer.status_code == 201 else {ask["code"] for ask in answer.json()["asks"]}

        return "coat", fields, send


@pytest.mark.parametrize("seed", range(4))
def test_parts_are_driven_through_every_door_and_each_asks_by_the_table_and_lays_down_what_it_names(shop, seed):
    doors = Doors(shop, seed)
    parts = [doors.part() for _ in range(max(1, PARTS // 4))]
    for _ in range(12 * len(parts)):
        part = doors.dice.choice(parts)
        doors.press(part)
        shop.clock.turn(minutes=doors.dice.choice((1, 4, 20, 45, 180, 900)))
        if doors.dice.random() < 0.3:
            shop.do_next(part)
    assert doors.logged > 4
    assert min(doors.asked, doors.counted) > 0
    assert len(doors.used) > 4
