"""Lays the demo shop around the present: parts in every phase, logged through the same services as real work."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID, uuid4

from cool_sheen.core.press.contradictions import CHECKS
from cool_sheen.demo import pictures, surveys
from cool_sheen.formats.photos import read_photo
from cool_sheen.service import costs, next_time, photos, stores, work
from cool_sheen.service.batches import find, recent
from cool_sheen.service.gun import cards, rack
from cool_sheen.service.jobs import NewPart, add_part, add_project
from cool_sheen.service.mixing import pouring
from cool_sheen.service.mixing.plan import Asked
from cool_sheen.service.own_ways import Ways
from cool_sheen.service.part_now import PartNow, part_now
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.shops import NewSpace, add_space, set_place, set_up
from cool_sheen.service.spent import hours_on
from cool_sheen.service.tending import ProjectSaid, keep_project
from cool_sheen.service.unit import Asking, Unit
from cool_sheen.store.models import Part, Project

DEMO_SEED = 7
SPACES = {
    "booth": NewSpace(
        name="Booth",
        kind="booth",
        heater_min_c=21,
        dehumidifier_max_rh_pct=55,
        has_sensor=True,
        extraction=True,
        floor_damped=True,
    ),
    "shop": NewSpace(
        name="Finishing shop", kind="insulated_shop", heater_min_c=19, dehumidifier_max_rh_pct=60, has_sensor=True
    ),
    "bay": NewSpace(name="Garage bay", kind="garage", heater_min_c=13, dehumidifier_max_rh_pct=65),
    "yard": NewSpace(name="Yard", kind="outdoors", shade=True),
}

# What was done to a part, and how long ago: (hours ago, word, detail).
Story = Sequence[tuple[float, str, str]]


# The shop's guns and its air, and what worked with them: days ago, gun, product, the card.
GUNS: tuple[dict[str, object], ...] = (
    {"name": "Finish gun", "type": "hvlp-gravity", "nozzles_mm": (1.2, 1.3, 1.4), "demand_l_per_min": 310.0},
    {"name": "Primer gun", "type": "conventional-gravity", "nozzles_mm": (1.6, 1.8, 2.2)},
    {"name": "Small gun", "type": "hvlp-small", "nozzles_mm": (0.8, 1.0)},
)
AIR: dict[str, object] = {
    "tank_l": 90.0, "cut_in_bar": 6.0, "cut_out_bar": 8.0, "fad_l_per_min": 230.0, "hose_m": 12.0, "hose_bore_mm": 9.0,
    "treatment_bar": 0.4, "line_over_k": 5.0, "bowl_ml": 60.0,
}  # fmt: skip
CARDS: tuple[tuple[int, str, str, dict[str, Any]], ...] = (
    (9, "Finish gun", "single-stage-two-pack",
     {"temp_c": 18.0, "rh_pct": 55.0, "opening_mm": 1.4, "cap_bar": 0.68, "inlet_bar": 1.95, "regulator_bar": 2.4,
      "fluid_turns": 2.5, "fan_turns": 3.0, "fan_mm": 240.0, "distance_mm": 180.0, "overlap_pct": 50.0,
      "note": "flowed out well on the covers"}),
    (30, "Finish gun", "single-stage-two-pack",
     {"temp_c": 11.0, "rh_pct": 70.0, "opening_mm": 1.4, "cap_bar": 0.7, "inlet_bar": 2.0, "regulator_bar": 2.5,
      "fluid_turns": 2.0, "fan_turns": 3.0, "fan_mm": 230.0, "distance_mm": 170.0, "overlap_pct": 50.0,
      "note": "cold: half a turn less paint, or it hangs"}),
    (16, "Primer gun", "epoxy-primer-grey",
     {"temp_c": 20.0, "rh_pct": 50.0, "opening_mm": 1.6, "inlet_bar": 2.8, "regulator_bar": 3.3, "fluid_turns": 2.5,
      "fan_turns": 2.0, "fan_mm": 260.0, "distance_mm": 220.0, "overlap_pct": 50.0, "note": ""}),
)  # fmt: skip


def _prepared(hours_ago: float, *kinds: str) -> Story:
    return [(hours_ago - 0.3 * n, kind.split()[0], kind.partition(" ")[2]) for n, kind in enumerate(kinds)]


_METAL = ("wash", "degrease", "sand P120", "degrease", "mask", "tack")

# Project, part, substrate, area in square metres, space, system, and its story.
PARTS: list[tuple[str, str, str, float, str, str, Story]] = [
    (
        "Toolroom lathe", "Headstock casting", "bare_steel_cast", 1.4, "booth", "two-stage-epoxy",
        [
            *_prepared(53, *_METAL), (50, "coat", ""), (49, "ready", "flash"), (48.9, "coat", ""), (30, "coat", ""),
            (29.5, "coat", ""), (29, "coat", ""), (22.6, "sand", "P320"), (22.2, "sand", "P500"), (22, "wipe", ""),
            (21.9, "hours", "prepare 115"), (21.8, "hours", "sand 75"),
            (2.1, "tack", ""), (2, "coat", ""), (1.7, "ready", "flash"), (0.75, "coat", ""),
            (0.4, "not ready", "flash"), (0.3, "ready", "flash"), (0.2, "mix", "2"),
        ],
    ),
    (
        "Vestry kitchen", "Cupboard doors 1–6, faces", "bare_timber", 3.2, "shop", "cabinet-waterborne",
        [
            *_prepared(29, "degrease", "sand P220", "wipe", "tack"), (27, "coat", ""), (25, "coat", ""),
            (19.5, "sand", "P320"), (19.2, "wipe", ""), (19.1, "hours", "prepare 70"), (19, "hours", "sand 125"),
            (1.2, "tack", ""), (0.42, "coat", ""),
        ],
    ),
    (
        "Fairground set", "Carousel panel, front", "bare_timber", 0.9, "shop", "one-pack-enamel",
        [
            *_prepared(80, "wash", "degrease", "sand P180", "degrease", "tack"), (78, "coat", ""), (54, "coat", ""),
            (27, "sand", "P320"), (26.6, "wipe", ""), (4.4, "tack", ""), (3.95, "coat", ""), (3.4, "ready", "flash"),
        ],
    ),
    (
        "Hall heating", "Column radiator", "bare_steel_sheet", 2.6, "shop", "one-pack-enamel",
        [
            *_prepared(62, "wash", "degrease", "sand P180", "degrease", "tack"), (60, "coat", ""), (50, "coat", ""),
            (12, "sand", "P320"), (11.5, "wipe", ""), (9.6, "tack", ""), (9.4, "mix", "1"), (9, "coat", ""),
            (8.8, "end", "40"),
        ],
    ),
    (
        "Touring bicycle", "Frame and fork", "bare_steel_sheet", 0.5, "booth", "two-stage-epoxy",
        [
            *_prepared(76, *_METAL), (73, "coat", ""), (72.2, "coat", ""), (52, "coat", ""), (51.5, "coat", ""),
            (51, "coat", ""), (31, "sand", "P320"), (30.7, "sand", "P500"), (30.5, "wipe", ""), (29.5, "tack", ""),
            (29, "coat", ""), (28.5, "coat", ""), (28, "ready", "flash"), (27.9, "mix", "2"), (27.5, "coat", ""),
            (27, "ready", "flash"), (26.9, "coat", ""), (26.8, "end", "18"), (26.7, "hours", "prepare 85"),
            (26.6, "hours", "sand 95"),
            (26.5, "hours", "coat 150"), (20, "unmask", ""),
        ],
    ),
    (
        "Pillar drill", "Gear cover", "bare_steel_cast", 0.3, "bay", "single-stage-epoxy",
        [*_prepared(175, *_METAL), (173, "coat", ""), (171.5, "coat", "")],
    ),
    (
        "Fairground set", "Spandrel carving", "bare_timber", 0.7, "shop", "lacquer-build",
        [(1.8, "degrease", ""), (1.5, "sand", "P220"), (1.2, "wipe", "")],
    ),
    (
        "Chapel organ", "Canvas cover, bellows side", "fabric", 2.4, "shop", "dope-on-fabric",
        [(27, "wipe", ""), (26.5, "mask", ""), (26.3, "tack", ""), (25.5, "coat", ""), (23, "coat", ""),
         (1.1, "coat", "")],
    ),
    (
        "Stationary engine", "Exhaust manifold", "bare_steel_cast", 0.35, "booth", "high-heat-staged",
        [*_prepared(31, "degrease", "strip", "sand P120", "degrease", "mask"), (28.5, "coat", ""), (27.6, "coat", ""),
         (23, "unmask", "")],
    ),
    (
        "Wash bay", "Sump", "masonry", 5.2, "bay", "sump-membrane",
        [*_prepared(75, "wash", "degrease", "sand P80", "wipe"), (72, "coat", "")],
    ),
    ("Carousel", "Steps, treads 1–4", "bare_timber", 1.9, "shop", "brushed-two-pack", [(0.8, "wash", "")]),
    ("Carousel", "Carved horse", "bare_timber", 1.6, "shop", "casein-under-clear", [(2.5, "wash", "")]),
    (
        "Touring bicycle", "Lamp bracket and pump", "bare_steel_sheet", 0.08, "booth", "aerosol-enamel",
        [*_prepared(4, "wash", "degrease", "sand P240", "degrease", "mask", "tack"), (2.2, "coat", ""),
         (1.9, "coat", ""), (1.5, "coat", "")],
    ),
    ("Tram stop", "Bench end, north", "bare_steel_cast", 2.0, "bay", "epoxy-barrier-mixed", []),
    ("Old town square", "Stone plinth", "masonry", 1.8, "yard", "solid-stain-masonry", []),
]  # fmt: skip


# What was bought, and how many days ago.
BOUGHT: tuple[tuple[float, str, int], ...] = (
    (12, "clear-two-pack-set-1000ml", 1), (12, "basecoat-solvent-blue-1000ml", 1),
    (12, "epoxy-primer-grey-set-1000ml", 1),
    (12, "reducer-urethane-medium-1000ml", 1), (9, "enamel-one-pack-2500ml", 1), (9, "white-spirit-1000ml", 1),
    (9, "cabinet-waterborne-750ml", 1), (5, "dope-clear-taut-2500ml", 1), (5, "enamel-aerosol-satin-black-can", 2),
)  # fmt: skip
# Project, price, hire, hours that the hire saves, goodwill hours.
MONEY: tuple[tuple[str, str, str | None, float | None, float | None], ...] = (
    ("Toolroom lathe", "640", None, None, None), ("Touring bicycle", "560", None, None, 1.0),
    ("Wash bay", "780", "85", 3.0, None), ("Hall heating", "360", None, None, None),
    ("Chapel organ", "250", None, None, 2.5),
)  # fmt: skip
# Project, customer, colour reference, days until it is to be usable.
WANTED: tuple[tuple[str, str, str, float], ...] = (
    ("Toolroom lathe", "the toolroom", "machine grey, as the old bed", 12),
    ("Touring bicycle", "a rider from the next town", "blue flake over silver", 9),
    ("Hall heating", "the parish hall", "ivory, half gloss", 6),
    ("Fairground set", "the showmen", "sign red and cream", 20),
)


KINDS = {
    "Headstock casting": "casting", "Gear cover": "casting", "Sump": "casting", "Frame and fork": "bicycle frame",
    "Column radiator": "radiator", "Cupboard doors 1–6, faces": "cupboard door", "Carved horse": "carving",
    "Spandrel carving": "carving",
}  # fmt: skip
# Photos of the frame: hours ago, stage, words, colour, with rust, with a shine.
PHOTOS: tuple[tuple[float, str, str, pictures.Colour, bool, bool], ...] = (
    (100, "came", "as it came: rust under the old blue", (60, 88, 132), True, False),
    (80, "prepared", "stripped and sanded", (158, 158, 160), False, False),
    (54, "primed", "in epoxy primer", (120, 128, 120), False, False),
    (1, "coloured", "blue flake over silver", (34, 92, 150), False, True),
)
# Notes for the next time: on which part, the words, at which work, and what has to be the same.
NEXT_TIME: tuple[tuple[str, str, str, str], ...] = (
    ("Frame and fork", "Hang frames by the head tube: the stand marks the bracket.", "coat", "part_kind"),
    ("Column radiator", "Inside the columns first, with the small nozzle.", "coat", "part_kind"),
    ("Headstock casting", "Warm the tin in the water bath before it is stirred.", "mix", "product"),
)


def _remember(unit: Unit, part: Part) -> None:
    """What was photographed and noted on a part."""
    found = part_now(unit, part.uuid)
    for name, words, moment, same in NEXT_TIME:
        if name == part.name:
            next_time.written(unit, found, uuid4(), words, moment, frozenset({same}), frozenset())
    for hours_ago, stage, words, colour, rusty, shine in PHOTOS if part.name == "Frame and fork" else ():
        drawn = read_photo(pictures.frame_and_fork(colour, rusty=rusty, shine=shine))
        said = photos.PhotoSaid(stage, words, (), unit.now - timedelta(hours=hours_ago))
        photos.brought(unit, found, uuid4(), drawn, said)


def lay(unit: Unit, time_zone: str = "Europe/Berlin") -> None:
    """Make the demo shop. Raises Refused when a shop is there already."""
    unit.asking = Asking(sure=frozenset({"test", *(check.code for check in CHECKS)}))  # its stories are as they are
    set_up(
        unit,
        Ways(name="Hollow Lane Refinishing", time_zone=time_zone),
        [],
        seed=DEMO_SEED,
        demo=True,
    )
    set_place(unit, 51.0, 10.0)
    spaces = {key: add_space(unit, new).uuid for key, new in SPACES.items()}
    projects: dict[str, Project] = {}
    for project_name, name, substrate, area, space, system, story in PARTS:
        project = projects.get(project_name) or add_project(unit, project_name)
        projects[project_name] = project
        began = unit.now - timedelta(hours=max((ago for ago, _, _ in story), default=1) + 2)
        new = NewPart(
            name=name, substrate=substrate, area_m2=area, space=spaces[space], system=system, kind=KINDS.get(name, "")
        )
        part = add_part(unit, project, new, at=began)
        surveys.take(unit, part)
        _tell(unit, part, story)
        _remember(unit, part)
    for place, own in enumerate(GUNS):
        rack.keep_gun(_at(unit, unit.now - timedelta(days=40 - place)), uuid4(), own)
    rack.keep_air(unit, AIR)
    for ago, gun, product, card in CARDS:
        _keep_card(_at(unit, unit.now - timedelta(days=ago)), gun, product, card)
    for days_ago, sku, count in BOUGHT:
        then = _at(unit, unit.now - timedelta(days=days_ago))
        stores.move(then, uuid4(), stores.Move("", "bought", sku=sku, count=count))
    for name, customer, colour, days in WANTED:
        said = ProjectSaid(name=name, customer=customer, colour=colour, due_at=unit.now + timedelta(days=days))
        keep_project(unit, projects[name].uuid, said)
    for name, price, hire, saved, goodwill in MONEY:
        money = costs.Terms(Decimal(price), Decimal(hire) if hire else None, saved, goodwill)
        costs.set_money(unit, projects[name].uuid, money)


def _keep_card(unit: Unit, gun: str, product: str, said: dict[str, Any]) -> None:
    """Keep a setting that worked, of a gun by its name."""
    one = next(g for g in rack.rack(unit) if g.gun.name == gun)
    named = {
        "gun": one.key, "gun_name": gun, "product": product, "product_name": shelf_now(unit).products[product].name,
    }  # fmt: skip
    cards.keep(unit, uuid4(), named | said)


def _at(unit: Unit, at: datetime) -> Unit:
    """The same shop at another time."""
    return unit.at(at)


def _mix(unit: Unit, found: PartNow, coats: int, at: datetime) -> None:
    """Mix for the next coats of a part: every gate stamped, every pour to its mark."""
    step = found.next_coat()
    if step is None:
        return
    asked = Asked(step.layer.product, {found.part.uuid: coats}, tare_g=38.0)
    batch = pouring.begin(_at(unit, at), asked, uuid4())
    for minute in range(1, 120):
        then = _at(unit, at + timedelta(minutes=minute / 2))
        stage = pouring.stage_now(then, find(then, batch).state)
        if stage.does == "gate":
            pouring.stamp(then, batch, uuid4(), stage.gate)
        elif stage.does == "pour":
            pouring.pour(then, batch, uuid4(), pouring.PourSaid(stage.line))
        elif stage.does == "ready":
            return


def _end(unit: Unit, found: PartNow, left_ml: float, at: datetime) -> None:
    """End the batch of a part, and put the rest where it belongs."""
    then = _at(unit, at)
    running = next(b for b in recent(then) if b.open and b.state.begun <= at)
    goes = "waste" if running.state.plan.pot_life_minutes else "jar"
    pouring.end(then, running.state.uuid, uuid4(), left_ml, goes)


def _tell(unit: Unit, part: Part, story: Story) -> None:
    for hours_ago, word, detail in story:
        at = unit.now - timedelta(hours=hours_ago)
        found = part_now(unit, part.uuid)
        _log(unit, found, word, detail, at)


def _log(unit: Unit, found: PartNow, word: str, detail: str, at: datetime) -> None:
    zones = _where(found, word, detail)
    if word == "coat":
        step = found.next_coat()
        said = work.CoatSaid(zones=zones, ticked=step.to_tick if step else ())
        work.coat_on(unit, found, uuid4(), said, at)
    elif word == "sand":
        work.sanded(unit, found, uuid4(), work.SandSaid(grit=detail, zones=zones), at)
    elif word == "mix":
        _mix(unit, found, int(detail), at)
    elif word == "end":
        _end(unit, found, float(detail), at)
    elif word == "hours":
        kind, minutes = detail.split()
        hours_on(unit, found, uuid4(), kind, float(minutes), at=at)
    elif word in ("ready", "not ready"):
        touched = work.TouchSaid(ready=word == "ready", milestone=detail, zones=zones)
        work.touch(unit, found, uuid4(), touched, at)
    else:
        work.step_done(unit, found, uuid4(), work.StepSaid(kind=word, zones=zones), at)


def _where(found: PartNow, word: str, detail: str) -> tuple[UUID, ...]:
    """The zones that a story is about: those that its step is owed to, else all that have what it touches."""
    owed = (
        row.owed for row in found.rows if row.owed and row.step.kind == word and getattr(row.step, "grit", "") == detail
    )
    coated = frozenset().union(*(film.zones for film in found.situation.films if film.top))
    zones = next(owed, frozenset()) or (coated if word in ("ready", "not ready") else found.situation.all_zones)
    return tuple(zone.uuid for zone in found.zones if zone.uuid in zones)
