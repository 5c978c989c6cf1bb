"""The small calculators of the shop, on the edge of each of their rules and a little beside it."""

from datetime import timedelta
from decimal import Decimal
from uuid import uuid4
from zoneinfo import ZoneInfo

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.climate.sun import sun_times
from cool_sheen.core.drying.clock import Clock, Film
from cool_sheen.core.drying.heat import air_cure_equivalent
from cool_sheen.core.drying.milestones import DryingData, Milestone, Mode
from cool_sheen.core.errors import CoreError
from cool_sheen.core.film.build import Build, coats_needed
from cool_sheen.core.film.coverage import check_label
from cool_sheen.core.film.gauge import judge_readings
from cool_sheen.core.film.grits import MEAN_UM, scratch_removal
from cool_sheen.core.film.ladder import ladder
from cool_sheen.core.film.planned import COLOUR_CHANGE, PIGMENT_STRENGTH, coats_to_hide
from cool_sheen.core.log.batches import fold_batches
from cool_sheen.core.log.cups import BatchEndPayload, BatchLine, BatchPayload, PourPayload
from cool_sheen.core.log.entries import Entry, Recorded, StampPayload
from cool_sheen.core.materials.cans import cans_for, cans_of_coats
from cool_sheen.core.materials.consumables import wear
from cool_sheen.core.materials.cost import Cost
from cool_sheen.core.materials.kits import Kit, cheapest
from cool_sheen.core.materials.quantity import ready_volume
from cool_sheen.core.materials.yields import Use, learn_yields
from cool_sheen.core.mixing.order import judge_pour, stages
from cool_sheen.core.mixing.pot_life import pot_life, way_in_time
from cool_sheen.core.mixing.pours import off_by_pct, rescue, targets
from cool_sheen.core.mixing.ratios import Addition, Recipe, RecipePart, Share, batch, ready_from
from cool_sheen.core.survey.below import Evidence, what_is_below
from cool_sheen.core.survey.shapes import NEEDS, Shape
from cool_sheen.core.survey.zones import bared_first, gone_off
from cool_sheen.core.takeoff.equipment import Equipment, Reservoir
from cool_sheen.core.units import DIMENSIONS, amount, read_quantity, shown
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.labour import LABOUR, WAYS, labour_minutes, transfer_efficiency
from cool_sheen.core.work.make_ready import make_ready
from tests.support import T0, steady
from tests.told.jobs import SHIPPED
from tests.told.telling import Page
from tests.unit.paper import UTC_DAY, at, zone

UTC = ZoneInfo("UTC")


def benches() -> str:
    """Film, sanding, mixing, materials, survey, work and units."""
    page = Page()
    for tell in (_refusals, _film, _sanding, _pouring, _batches, _materials, _survey, _hours, _units):
        page.head(tell.__name__.strip("_"))
        tell(page)
    return page.text()


def _refusals(page: Page) -> None:
    """On the edge of what is taken, and over it."""
    calls = {
        "hide nothing": lambda: coats_to_hide(80, 30, 0, "same"), "hide by nothing": lambda: coats_to_hide(0, 30, 20, "same"),
        "no such change": lambda: coats_to_hide(80, 30, 20, "blue"), "a coat of nothing": lambda: coats_needed(0, 50, 10, 10),
        "pot of nothing": lambda: pot_life(0, 20, 20), "pot that never halves": lambda: pot_life(90, 20, 20, 0),
        "pot that barely halves": lambda: pot_life(90, 20, 21, 0.5), "no reading": lambda: judge_readings([], 10, 20),
        "range upside down": lambda: judge_readings([15], 20, 19), "range of one": lambda: judge_readings([20], 20, 20),
        "can of nothing": lambda: cans_for([10], 0), "can used whole": lambda: cans_for([10], 10, 1), "can used over": lambda: cans_for([10], 10, 1.01),
        "can used not": lambda: cans_for([10], 10, 0), "transfer nothing": lambda: ready_volume(1, 100, 0), "transfer all": lambda: ready_volume(1, 100, 1),
        "transfer over": lambda: ready_volume(1, 100, 1.01), "cans past it": lambda: cans_of_coats(1, [1], 50, 1.01, 400),
        "rescue nothing": lambda: rescue([1, 1], [0, 0]), "rescue parts": lambda: rescue([1, 0], [1, 1]), "label": lambda: check_label(10, 50, 25, 25),
        "label of nothing": lambda: check_label(0, 50, 25, 30), "label upside down": lambda: check_label(10, 50, 31, 30), "label without solids": lambda: check_label(10, 0, 25, 30),
        "batch of nothing": lambda: batch(Recipe("volume", (RecipePart("a", 1, 1.0, 50),)), 0),
        "part of nothing": lambda: batch(Recipe("volume", (RecipePart("a", 0, 1.0, 50),)), 10),
        "no density": lambda: batch(Recipe("volume", (RecipePart("a", 1, 0, 50),)), 10),
        "all reducer": lambda: batch(Recipe("volume", (RecipePart("a", 1, 1.0, 50),), (Addition("r", 100, "ready", 0.9),)), 10),
        "nearly all reducer": lambda: batch(Recipe("weight", (RecipePart("a", 1, 1.2, 50), RecipePart("b", 0.5, 1.0, 30)), (Addition("r", 99, "ready", 0.9),)), 10),
        "without it": lambda: ready_from(Recipe("volume", (RecipePart("a", 1, 1.0, 50),), (Addition("r", 0, "paint", 0.9),)), 1, 10),
        "of none": lambda: ready_from(Recipe("volume", (RecipePart("a", 1, 1.0, 50),)), 0, 0),
        "bake of nothing": lambda: air_cure_equivalent(60, 0, 20), "no place": lambda: sun_times(T0, 91, 0, UTC), "the pole": lambda: sun_times(T0, 90, 180, UTC),
        "too far east": lambda: sun_times(T0, 0, 181, UTC), "too far west": lambda: sun_times(T0, 0, -181, UTC), "the date line": lambda: sun_times(T0, 0, -180, UTC), "too far south": lambda: sun_times(T0, -91, 0, UTC),
        "cold series": lambda: steady(-100.5, 50), "coldest series": lambda: steady(-100, 50).air_temp_c, "dry series": lambda: steady(20, 0).rh_pct,
        "wet series": lambda: steady(20, 100).rh_pct, "too wet series": lambda: steady(20, 100.5), "hot series": lambda: steady(200, 5).air_temp_c, "too hot series": lambda: steady(200.5, 5),
        "no ladder": lambda: ladder("P80", "P80"), "no grit": lambda: ladder("P81", "P80"), "no quantity": lambda: read_quantity("x", "area"), "another kind": lambda: read_quantity("3 kg", "area"),
        "no unit of it": lambda: read_quantity("3 stone", "area"), "too large": lambda: read_quantity("9" * 400 + " m²", "area"),
        "cans, all on": lambda: cans_of_coats(1, [1], 50, 1, 400), "cans, none on": lambda: cans_of_coats(1, [1], 50, 0.5, 400, 0.0), "can of nought": lambda: cans_of_coats(1, [1], 50, 0.5, 0),
        "no transfer": lambda: cans_of_coats(1, [1], 50, 0, 400), "by no clock": lambda: seconds(T0.replace(tzinfo=None)),
        "cures by no humidity": lambda: Clock.over(steady(20, 50), DryingData(20, 0, 100, (Milestone("flash", Mode.MOISTURE, 60),)), T0).bands(Film(T0, 100)),
    }  # fmt: skip
    for name, call in calls.items():
        try:
            page.say(name, call())
        except CoreError as error:
            page.say(name, type(error).__name__, str(error), error.field)


def _film(page: Page) -> None:
    for readings, least, most in (
        ([50], 50, 80), ([49.9], 50, 80), ([80], 50, 80), ([80.1], 50, 80), ([40, 70, 60], 50, 80), ([39.9, 70, 60], 50, 80),
        ([96, 60, 60], 50, 80), ([96.1, 60, 60], 50, 80), ([20, 100], 50, 50),
    ):  # fmt: skip
        page.say(readings, least, most, judge_readings(readings, least, most))
    for wet, solids, sanding, reserve in ((100, 50, 25, 25), (100, 50, 25, 25.1), (120, 33, 60, 40)):
        page.say(wet, solids, sanding, reserve, coats_needed(wet, solids, sanding, reserve))
    for change in COLOUR_CHANGE:
        for pigment, (_, um) in PIGMENT_STRENGTH.items():
            page.say(change, pigment, coats_to_hide(80, 30, um, change))
    build = Build()
    for layer, um in (("a", 30), ("a", 20), ("b", 10), ("a", 5)):
        build.coat(layer, um)
    for removal in (3, 9, 60, 1):
        page.say("sand", removal, through=build.sand(removal), left=[(la.layer_id, la.left_um) for la in build.layers])
    page.say(build.total_um)


def _sanding(page: Page) -> None:
    for first, last, given in (("P80", "P2500", None), ("P180", "P1200", None), ("C120", "C1000", None),
                               ("P120", "P400", ["P180", "P240", "P320"]), ("P80", "P400", ["P320"]), ("P400", "P80", None)):  # fmt: skip
        try:
            page.say(first, last, [(r.grit, r.mean_um, r.ratio, r.removal_um) for r in ladder(first, last, given)])
        except CoreError as error:
            page.say(first, last, str(error))
    page.say({grit: scratch_removal(grit) for grit in MEAN_UM})


def _pouring(page: Page) -> None:
    for parts, poured, tolerance in (
        ([4, 1], [400, 100], 5),
        ([4, 1], [400, 105], 5),
        ([4, 1], [420, 99], 5),
        ([3, 1, 1], [300, 130, 0], 3),
    ):
        page.say(parts, poured, rescue(parts, poured, tolerance))
    split = [Share("paint", 0.6, 1.3, 55), Share("hardener", 0.2, 1.1, 40), Share("reducer", 0.2, 0.87, 0)]
    for poured, used_up, most in (([600, 0, 0], (), ()), ([650, 0, 0], (), ()), ([600, 230, 0], (), ()), ([540, 0, 0], (True,), ()),
                                  ([600, 200, 260], (), (None, None, 0.25)), ([600, 200, 240], (), (None, None, 0.25)), ([540, 190, 0], (True, True), ())):  # fmt: skip
        page.say(
            poured,
            used_up,
            [(t.planned_ml, t.target_ml, t.missing_ml) for t in targets(split, 1000, poured, used_up, most)],
        )
    page.say(off_by_pct(200, 206), off_by_pct(0, 5), [judge_pour(off, 3) for off in (-3.1, -3, 0, 3, 3.1)])
    for temp in (10, 20, 23, 33):
        page.say(temp, pot_life(90, 23, temp), pot_life(90, 23, temp, 8))
    ends = [at(h) for h in (0.5, 2, 5)]
    for gels in (0.2, 2.5, 5, 6):
        page.say(gels, way_in_time(ends, T0, at(gels)))
    for roles in (
        ("paint",),
        ("paint", "hardener", "reducer"),
        ("paint", "reducer", "additive"),
        ("paint", "hardener"),
    ):
        for role, strainer, induction, sprayed in (
            ("colour", True, True, True),
            ("primer", True, False, False),
            ("clear", False, True, True),
        ):
            page.say(
                roles,
                role,
                [s.gate or s.does + str(max(s.line, 0)) for s in stages(roles, role, strainer, induction, sprayed)],
            )


def _batches(page: Page) -> None:
    lines = tuple(
        BatchLine(component=f"x:{role}", name=role, role=role, ml_per_ml=share, density_g_per_ml=d, volume_solids_pct=v)
        for role, share, d, v in (("paint", 0.6, 1.3, 55), ("hardener", 0.2, 1.1, 40), ("reducer", 0.2, 0.87, 0))
    )
    plan = BatchPayload(product="enamel-one-pack", coating="0" * 64, name="a mix", measure="volume", lines=lines, ready_ml=500, tare_g=35, cup_ml=1000,
                        pot_life_minutes=90, pot_life_ref_c=23, induction_minutes=15)  # fmt: skip
    uuid, rows = uuid4(), []

    def write(minutes, payload, entry=None):
        when = T0 + timedelta(minutes=minutes)
        rows.append(
            Recorded(
                seq=len(rows) + 1,
                recorded_at=when,
                entry=Entry(uuid=entry or uuid4(), payload=payload, occurred_at=when, targets=()),
            )
        )

    write(0, plan, uuid)
    for minutes, line, ml in ((1, 0, 200), (2, 0, 104), (5, 1, 96), (9, 1, 6), (26, 2, 90)):
        write(minutes, PourPayload(batch=uuid, line=line, ml=ml))
        state = fold_batches(rows)[uuid]
        page.say(
            minutes,
            state.poured_ml(),
            [t.target_ml for t in state.targets()],
            hardened=state.hardened_at,
            inducted=state.inducted_at,
        )
    write(30, StampPayload(batch=uuid, gate="strained"))
    write(31, StampPayload(batch=uuid, gate="strained"))
    write(90, BatchEndPayload(batch=uuid, left_ml=60, goes="offered"))
    state = fold_batches(rows)[uuid]
    page.say(state.cup, stamps=state.stamps, ended=state.ended, used=state.used_ml)


def _materials(page: Page) -> None:
    page.say(
        cans_for([0, 320, 320.1, 90], 400),
        cans_for([399, 401], 400, 1),
        cans_of_coats(0.58, [1, 2, 4], 50, 0.5, 400, 0.29),
    )
    sizes = [Kit("small", Decimal("9.90"), (("base", 500.0),)), Kit("large", Decimal("16.50"), (("base", 1000.0),)),
             Kit("set", Decimal("24.00"), (("base", 800.0), ("hardener", 200.0))), Kit("hard", Decimal("11.00"), (("hardener", 250.0),))]  # fmt: skip
    for need in ({"base": 500}, {"base": 500.1}, {"base": 1400, "hardener": 190}, {"base": 2300, "hardener": 460}):
        page.say(need, cheapest(need, sizes))
    page.say(wear(SHIPPED.rates, [("P120", False, 2.0), ("P180", False, 1.0), ("P320", False, 1.0), ("P400", False, 1.0), ("P800", True, 3.0), ("P120", False, 1.0)],
                  [(2.0, 1.0), (1.0, 0.25)], 3, ["hvlp", "brush", "airless", "nothing"]))  # fmt: skip
    found = learn_yields(
        [
            Use("sheet", "hvlp", 2.0, 60, 180),
            Use("sheet", "hvlp", 1.0, 60, 130),
            Use("frame", "brush", 1.0, 50, 40),
            Use("frame", "hvlp", 0, 50, 40),
            Use("box", "hvlp", 1, 5, 400),
        ]
    )
    for key, learned in found.items():
        page.say(key, learned, per=learned.ml_per_m2, transfer=learned.transfer, blended=learned.blended(0.65))
    for cost in (Cost(12.5, Decimal(42), Decimal("180.505"), Decimal("20"), Decimal(900), Decimal(80), 3.0, 2.5), Cost(0, Decimal(42), Decimal(5), Decimal(0), Decimal(10)),
                 Cost(3, Decimal(42), Decimal(5), Decimal(0), None, goodwill_hours=5)):  # fmt: skip
        page.say(cost, labour=cost.labour, paid=cost.paid_hours, goodwill=cost.goodwill, outlay=cost.outlay, profit=cost.profit,
                 per=cost.per_hour, profit_per=cost.profit_per_hour, hire=cost.hire_pays)  # fmt: skip
    page.say("hardly a cup", [Reservoir(25.5, 25).fills(ml) for ml in (0.5, 1, 1.5, 10)])
    gun = Equipment()
    for ml in (0, 575, 575.1, 1200):
        page.say(ml, [(method, gun.fills(ml, method), gun.loss(ml, method)) for method in WAYS])


def _survey(page: Page) -> None:
    for kind in NEEDS:
        for sides in (1, 2):
            shape = Shape(
                kind=kind,
                length_m=1.5,
                width_m=0.4,
                height_m=0.3,
                diameter_m=0.2,
                typed_m2=1.1,
                count=3,
                openness=0.25,
                sides=sides,
            )
            page.say(kind, sides, shape.area_m2)
    for test in SHIPPED.tests.values() if isinstance(SHIPPED.tests, dict) else SHIPPED.tests:
        if test.reads:
            bounds = [r.up_to for r in test.results]
            page.say(test.key, {x: test.of_reading(x).key for b in bounds for x in (b, min(test.high, b + 0.01))})
    old = [
        ("none", "unknown"),
        ("enamel_1k", "failing"),
        ("enamel_1k", "cured"),
        ("unknown", "open"),
        ("lacquer", "weathered"),
    ]
    tests = [Evidence("solvent_rub", T0, family="lacquer"), Evidence("tape", T0, state="failing")]
    for finish, state in old:
        for strip in ("nothing", "keyed", "sound", "substrate"):
            for word, evidence in ((False, []), (True, []), (True, tests), (False, tests[:1])):
                made = zone(old_finish=finish, old_state=state, strip=strip, word_of_another=word)
                page.say(
                    finish,
                    state,
                    strip,
                    word,
                    len(evidence),
                    what_is_below(made, evidence).words,
                    what_is_below(made, evidence, keyed=True),
                )
    bare = [zone(name, bare_since=at(h)) for name, h in (("late", -1), ("early", -8.1), ("edge", -8))]
    page.say(
        [z.name for z in bared_first(bare)],
        {
            ground: [gone_off(ground, h) for h in (8, 8.1, 24, 24.1)]
            for ground in ("bare_steel", "bare_zinc", "bare_timber")
        },
    )


def _hours(page: Page) -> None:
    berlin = WorkingHours(UTC_DAY.week, ZoneInfo("Europe/Berlin"))
    for day in (UTC_DAY, berlin, UTC_DAY.working_late(at(11)), UTC_DAY.working_late(at(23))):
        for hours in (-1, 0, 5, 9.9, 10, 11.5, 13, 16.5, 23.9):
            page.say(at(hours), day.fit(at(hours), timedelta(minutes=30)), day.fit(at(hours), timedelta(hours=11)), day.next_opening(at(hours)),
                     day.next_midnight(at(hours)), day.closing(at(hours)), str(day.day_of(at(hours))))  # fmt: skip
    for kind in [*LABOUR, "other"]:
        page.say(kind, labour_minutes(kind, 2.5), labour_minutes(kind, 2.5, "brush"))
    for method in WAYS:
        page.say(
            method,
            transfer_efficiency(method),
            transfer_efficiency(method, "frame"),
            transfer_efficiency(method, "spindles"),
            labour_minutes("coat", 2.5, method),
            WAYS[method].thickest_um,
            WAYS[method].cleaning,
        )
    room = dict.fromkeys(("floor_damped", "extraction", "dehumidifier", "heater"), True)
    keys = [step.key for step in SHIPPED.room_steps]
    for stamped, coat, reading in (
        (0, None, None),
        (2, None, at(0)),
        (9, at(1), at(0.5)),
        (9, at(1), at(1)),
        (9, at(3), at(4)),
        (9, at(1.7), at(1.65)),
        (9, at(1.8), at(1.8)),
    ):
        stamps = {key: at(0.1 * n + 1) for n, key in enumerate(keys[:stamped])}
        page.say(
            stamped,
            [(s.step.key, s.done_at, s.is_next) for s in make_ready(SHIPPED.room_steps, room, stamps, coat, reading)],
        )
    page.say([s.step.key for s in make_ready(SHIPPED.room_steps, {}, {}, None, None)])


def _units(page: Page) -> None:
    for dimension in DIMENSIONS:
        for system in ("metric", "us"):
            page.say(
                dimension,
                system,
                read_quantity("1,5", dimension, system),
                shown(2.345, dimension, system),
                [amount(x, dimension, system) for x in (0.0123, 2.345, 117.5, 2345.6)],
            )
