"""A stack built on what is underneath: findings, ways out, schools, and their consequences."""

from dataclasses import replace
from datetime import time, timedelta
from uuid import uuid4
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.support import T0
from tests.unit.paper import climate

from cool_sheen.core.advice.consequence import Setting, consequence, methods_compared, riskier
from cool_sheen.core.advice.findings import Asked, Bed, Ground, look_over, worst
from cool_sheen.core.advice.remedies import Choices, take
from cool_sheen.core.advice.schools import Draft, sides_of
from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.compatibility import Below
from cool_sheen.core.coatings.systems import Coat, System
from cool_sheen.core.errors import Inconsistent, OutOfRange
from cool_sheen.core.film.hiding import coats_missing
from cool_sheen.core.film.planned import coats_to_hide, planned_build
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.hours import WorkingHours
from cool_sheen.core.work.labour import WAYS
from cool_sheen.core.work.steps import CoatStep, steps_of
from cool_sheen.formats.catalogue import compatibility, shipped

SHELF = shipped().products
TABLE = compatibility()
DAY = WorkingHours.every_day(time(8), time(18), ZoneInfo("UTC"))
CLIMATE = climate(21, 50)


def zone(name: str, area: float = 1.0, **facts) -> ZoneFacts:
    return ZoneFacts(
        **{"uuid": uuid4(), "name": name, "area_m2": area, "ground": "bare_steel", "old_finish": "none", **facts}
    )


FACE, EDGE = zone("Face"), zone("Rim", 0.2, kind="edge")
OLD = zone("Old enamel", 2.0, old_finish="enamel_1k", old_state="cured")


def system(key: str = "two-stage-epoxy") -> System:
    return shipped().systems[key]


def findings(made: System, *grounds: tuple[ZoneFacts, Below]) -> list:
    return look_over(made, SHELF, Bed([Ground((z,), below) for z, below in grounds]), TABLE)


BARE = (FACE, Below("bare_steel", "bare"))
ENAMEL = (OLD, Below("enamel_1k", "cured"))


def setting(*zones: ZoneFacts) -> Setting:
    return Setting(zones or (FACE, EDGE), CLIMATE, DAY, T0, SHELF)


@pytest.mark.parametrize("key", sorted(shipped().systems))
def test_a_ready_made_system_holds_in_itself_and_is_worked_out_to_its_end(key):
    made = system(key)
    inner = [f for f in look_over(made, SHELF, Bed(), TABLE) if "on unknown" not in f.place]
    assert worst(inner) != "no", [f for f in inner if f.verdict == "no"]
    figures = consequence(made, setting())
    assert not figures.stuck
    assert figures.hands_on_h > 0
    assert figures.litres > 0
    assert figures.film_um > 0
    assert figures.run_margin_pct > 0
    assert figures.reserve_over_um is None or figures.reserve_over_um >= 0


def test_coats_by_zone_bare_metal_twice_the_rest_once_and_stripes_on_edges():
    made = system("epoxy-barrier-mixed")
    bare_face, edge, old = zone("Face"), zone("Rim", 0.2, kind="edge"), replace(OLD, uuid=uuid4())
    steps = [s for s in steps_of(made, (bare_face, edge, old)) if isinstance(s, CoatStep) and s.layer.id == "barrier"]
    got = {z.name: [s.coat.kind for s in steps if z.uuid in s.zones] for z in (bare_face, edge, old)}
    assert got == {"Face": ["full", "full"], "Rim": ["stripe", "full", "full"], "Old enamel": ["full"]}
    films = {z.name: planned_build(made, SHELF, z).total_um for z in (bare_face, edge, old)}
    assert films["Rim"] > films["Face"] > films["Old enamel"]
    assert [s.area_m2 for s in steps] == pytest.approx([0.2, 1.2, 3.2])


def test_faces_that_cannot_be_coated_together_are_turned_between_and_cost_their_waits():
    made = system("single-stage-epoxy")
    front, back = zone("Front"), zone("Back", setting=2)
    apart, together = setting(front, back), setting(front, replace(back, setting=1))
    kinds = [s.kind for s in steps_of(made, apart.zones)]
    assert kinds.count("coat") == 2 * sum(s.kind == "coat" for s in steps_of(made, together.zones))
    assert [p.step.kind for p in consequence(made, apart).steps].count("turn") == 2
    one, two = consequence(made, together), consequence(made, apart)
    assert two.days > one.days
    assert two.litres == pytest.approx(one.litres)


def test_two_pack_over_enamel_is_refused_and_each_way_out_helps():
    made = edit.remove_layer(system("single-stage-epoxy"), "epoxy")
    found = findings(made, BARE, ENAMEL)
    no = next(f for f in found if f.verdict == "no")
    assert no.rule == "two-pack-over-one-pack"
    assert "Old enamel" in no.title
    choices = Choices(made, SHELF, [Ground((OLD,), ENAMEL[1])], TABLE)
    sealed = take("seal", no, choices)
    assert SHELF[sealed.layers[0].product].family == "epoxy_2k"
    assert worst(findings(sealed, ENAMEL)) == "care"
    stripped = take("strip", no, choices)
    assert [step.kind for step in stripped.prepare].index("strip") < [s.kind for s in stripped.prepare].index("sand")
    with pytest.raises(Inconsistent, match="nothing to change"):
        take("nothing", no, choices)


def test_a_zone_that_a_layer_passes_by_meets_the_next_one_itself():
    etch = edit.new_layer(system(), SHELF["etch-primer"]).model_copy(
        update={"coats": (Coat(wet_film_um=60, where="bare"),)}
    )
    made = edit.add_layer(edit.remove_layer(system(), "epoxy"), etch, 0)
    found = findings(made, BARE, ENAMEL)
    by_place = {f.place: f.rule for f in found}
    assert by_place[f"{etch.id} on bare_steel bare"] == "etch-on-bare-metal"
    assert by_place["build on enamel_1k cured"] == "two-pack-over-one-pack"


def test_what_must_come_last_is_asked_for():
    epoxy_alone = edit.remove_layer(system("single-stage-epoxy"), "colour")
    open_epoxy = next(f for f in findings(epoxy_alone, BARE) if f.rule == "needs-a-topcoat")
    assert open_epoxy.verdict == "no"
    closed = take("topcoat", open_epoxy, Choices(epoxy_alone, SHELF, [], TABLE))
    assert not [f for f in findings(closed, BARE) if f.rule == "needs-a-topcoat"]
    primers = {k: p for k, p in SHELF.items() if p.role != "single_stage" or p.aerosol}
    with pytest.raises(Inconsistent, match="no product for this place"):
        take("topcoat", open_epoxy, Choices(epoxy_alone, primers, [], TABLE))
    gritty = edit.remove_layer(system("brushed-two-pack"), "cover")
    grit = next(f for f in findings(gritty, BARE) if f.rule == "cover-over-grit")
    covered = take("cover", grit, Choices(gritty, SHELF, [], TABLE))
    assert [la.id for la in covered.layers].index(grit.layer_id) == len(covered.layers) - 2
    assert not [f for f in findings(covered, BARE) if f.rule == "cover-over-grit"]
    with pytest.raises(Inconsistent, match="must not be left out"):
        edit.remove_layer(system("epoxy-barrier-mixed"), "top")


@pytest.mark.parametrize(("reserve", "found"), [(80, []), (80.5, ["build"])])
def test_a_reserve_is_kept_when_just_so_much_is_left(reserve, found):
    """Two coats of 100 µm at half solids, and twenty are sanded."""
    shelf = {**SHELF, "flat": SHELF["high-build-surfacer"].model_copy(update={"volume_solids_pct": 50.0})}
    coats = {"coats": [Coat(wet_film_um=100).model_dump()] * 2, "product": "flat", "reserve_um": reserve}
    flat = edit.edit_layer(edit.set_sanding(system(), "build", [("P320", 20)]), "build", **coats)
    said = look_over(flat, shelf, Bed([Ground((FACE,), BARE[1])]), TABLE)
    assert [f.layer_id for f in said if f.rule == "reserve"] == found


def test_what_a_grit_takes_is_kept_to_a_tenth_of_a_micron():
    sanded = edit.set_sanding(system(), "build", [("P320", 4.26), ("P400", 3.04)])
    assert [s.removal_um for s in next(x for x in sanded.layers if x.id == "build").sanding] == [4.3, 3.0]


def test_films_out_of_range_reserves_and_sanded_flakes_are_found():
    thick = edit.set_coats(system(), "clear", [Coat(wet_film_um=140)])
    runs = next(f for f in findings(thick, BARE) if f.rule == "film-over-range")
    assert "runs on a vertical face" in runs.reason
    few = edit.set_coats(system(), "build", [Coat(wet_film_um=120)])
    assert [f.layer_id for f in findings(few, BARE) if f.rule == "reserve"] == ["build"]
    metallic = edit.swap_product(system(), "colour", SHELF["basecoat-solvent-metallic"])
    sanded = edit.set_sanding(metallic, "colour", [("P800", 3)])
    never = next(f for f in findings(sanded, BARE) if f.layer_id == "clear")
    assert (never.verdict, never.rule) == ("no", "metallic-never-sanded")
    kept = edit.overridden(sanded, never.rule, never.place, "a test card came out well")
    again = next(f for f in findings(kept, BARE) if f.layer_id == "clear")
    assert (again.standing, again.overridden) == ("care", "a test card came out well")


def test_the_sides_of_a_school_are_worked_out_by_the_plan_and_one_is_riskier():
    schools = {s.key: s for s in shipped().schools}
    work = Draft(system(), (FACE, EDGE), SHELF)
    sides = {s.key: consequence(w.system, setting()) for s, w in sides_of(schools["primer"], work)}
    assert sides["heavy"].hands_on_h < sides["coats"].hands_on_h < sides["rounds"].hands_on_h
    assert sides["heavy"].run_margin_pct < sides["coats"].run_margin_pct
    risks = riskier([sides["coats"], sides["heavy"]])
    assert "distance to a run" in risks[1]
    assert "distance to a run" not in risks[0]
    keyed = {s.key: w for s, w in sides_of(schools["clear-over-colour"], work)}
    assert keyed["window"].system == system()
    assert [r.grit for r in keyed["keyed"].system.layer("colour").sanding] == ["P800"]
    assert sides_of(schools["old-finish"], work) == []  # nothing old is there
    old = Draft(system(), (OLD,), SHELF)
    assert {s.key for s, _ in sides_of(schools["old-finish"], old)} == {"strip", "seal"}


@given(st.sampled_from(sorted(shipped().systems)), st.sampled_from(shipped().schools), st.booleans())
@settings(max_examples=60, deadline=None)
def test_whatever_side_is_taken_the_system_stays_sound_and_can_be_planned(key, school, old):
    zones = (FACE, EDGE, OLD) if old else (FACE, EDGE)
    for _, after in sides_of(school, Draft(system(key), zones, SHELF)):
        System.model_validate(after.system.model_dump())
        figures = consequence(after.system, replace(setting(), zones=after.zones))
        assert figures.coats >= 1
        assert figures.litres > 0


def test_rolling_spares_masking_and_paint_and_costs_minutes():
    by = {m.method: m for m in methods_compared(system("brushed-two-pack"), setting())}
    assert by["roller"].masking_min < by["hvlp"].masking_min
    assert by["roller"].litres < by["hvlp"].litres
    assert by["roller"].coating_min > by["hvlp"].coating_min
    assert set(by) <= set(WAYS)


@pytest.mark.parametrize(("open_share", "share"), [(0.5, 0.65), (0.51, 0.35)])
def test_a_part_is_open_work_when_more_than_half_of_it_is(open_share, share):
    """A gun loses more on a frame: 65 % arrive on faces, 35 % there."""
    zones = (replace(FACE, area_m2=1 - open_share), replace(FACE, uuid=uuid4(), area_m2=open_share, shape="frame"))
    made = {m.method: m for m in methods_compared(system(), Setting(zones, CLIMATE, DAY, T0, SHELF))}
    assert made["hvlp"].litres * share == pytest.approx(made["conventional"].litres * (0.45 if share > 0.5 else 0.35))
    assert made["hvlp"].litres > 0


def test_how_many_coats_it_takes_to_hide():
    wanted, coats = coats_to_hide(50, 20, 25, "strong")
    assert (wanted, coats) == (25, 3)
    assert coats_to_hide(50, 20, 25, "same") == (10, 1)
    with pytest.raises(OutOfRange, match="Choose the change of colour"):
        coats_to_hide(50, 20, 25, "odd")


layer_moves = st.lists(st.tuples(st.integers(0, 9), st.integers(-3, 12)), max_size=8)


@given(layer_moves)
def test_moving_layers_about_loses_none_and_keeps_their_ids(moves):
    made = system()
    for which, to in moves:
        made = edit.move_layer(made, made.layers[which % len(made.layers)].id, to)
    assert sorted(la.id for la in made.layers) == sorted(la.id for la in system().layers)
    assert {la.id: la for la in made.layers} == {la.id: la for la in system().layers}


def test_a_product_that_goes_well_on_what_is_below_and_not_at_all_under_what_follows_is_no_way_out():
    ground = Ground((FACE,), Below("bare_steel", "bare"))
    choices = Choices(system(), SHELF, [ground], TABLE)
    epoxy, etch, enamel = (SHELF[key] for key in ("epoxy-primer-grey", "etch-primer", "enamel-one-pack"))
    assert choices.best([epoxy, etch], None, SHELF["clear-two-pack"]) is epoxy
    with pytest.raises(Inconsistent, match="no product for this place"):
        choices.best([epoxy], None, etch)  # etch never goes over epoxy
    with pytest.raises(Inconsistent, match="no product for this place"):
        choices.best([], None, enamel)


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"spare": 2}, "tightest window"), ({"reserve_over_um": 1.0}, "film over the reserve"),
        ({"run_margin_pct": 3.0}, "distance to a run"), ({"verdict": "no"}, "compatibility"),
        ({"cares": 9}, "compatibility"), ({"keyings": 7}, "windows that are missed"),
    ],
)  # fmt: skip
def test_the_riskiest_side_is_the_one_that_is_worse_in_a_respect(change, words):
    made = consequence(system(), Setting((FACE, EDGE), CLIMATE, DAY, T0, SHELF))

    def side(spare=5, **figures):
        tightest = None if spare is None else replace(made.tightest, spare=timedelta(hours=spare))
        plain = {"reserve_over_um": 20.0, "run_margin_pct": 30.0, "verdict": "care", "cares": 1, "keyings": 0}
        return replace(made, tightest=tightest, **(plain | figures))

    assert riskier([side(), side(**change), side()]) == [[], [words], []]
    assert riskier([side(), side()]) == [[], []]
    assert riskier([side(spare=None), side()]) == [[], ["tightest window"]]
    assert riskier([side(verdict="no"), side(cares=9)]) == [["compatibility"], []]  # a no weighs more than any cares


# --- what the survey demands ---------------------------------------------------------------------------------
TIMBER = zone("Door", 1.0, ground="bare_timber")
DEMANDS = sorted(shipped().demands)


def asked(made: System, key: str, there: ZoneFacts) -> list:
    state = "cured" if not there.bare else "bare"
    below = Below(there.ground if there.bare else there.old_finish, state)
    bed = Bed([Ground((there,), below)], [Asked(shipped().demands[key], (there,), "test")])
    return [f for f in look_over(made, SHELF, bed, TABLE) if f.rule == key]


def without(made: System, key: str) -> System:
    """The system as far as it does not meet a demand: no such preparation, no such layer."""
    demand = shipped().demands[key]
    made = made.model_copy(update={"prepare": tuple(s for s in made.prepare if s.kind not in demand.prepare)})
    kept = [la for la in made.layers if not demand.families or SHELF[la.product].family not in demand.families]
    return made.model_copy(update={"layers": tuple(kept or made.layers[-1:])})


@pytest.mark.parametrize("there", [OLD, FACE, TIMBER], ids=lambda z: z.name)
@pytest.mark.parametrize("key", DEMANDS)
def test_what_was_found_is_asked_for_until_it_is_there_or_refused_in_words(key, there):
    demand = shipped().demands[key]
    made = without(system("cabinet-waterborne" if there is TIMBER else "two-stage-epoxy"), key)
    found = asked(made, key, there)
    applies = not (demand.of_film and there.bare) and (not demand.grounds or there.ground in demand.grounds)
    assert bool(found) is applies
    for finding in found:
        assert finding.verdict == demand.verdict
        assert there.name in finding.title
        refused = edit.overridden(made, finding.rule, finding.place, "the customer wants it so")
        assert [f.standing for f in asked(refused, key, there)] == ["care"]
        worked = [taken_out(made, finding, way.change, demand.times, there) for way in finding.ways]
        assert any(worked), "some way out does what it says"
        for after in (w for w in worked if w and w != made):
            assert not asked(after, key, there)


def taken_out(made: System, finding, change: str, times: int, there: ZoneFacts) -> System | None:
    """The system after a way out; None where the shelf has nothing that goes there, which is said."""
    for _ in range(times):
        try:
            made = take(change, finding, Choices(made, SHELF, [Ground((there,), Below(there.ground, "bare"))], TABLE))
        except Inconsistent:
            return None
    return made if change != "strip" else None


def test_open_grain_asks_for_nothing_under_a_stain_or_on_metal():
    assert not asked(system("solid-stain-masonry"), "grain-filler", TIMBER)
    assert not asked(without(system(), "grain-filler"), "grain-filler", FACE)


WHITE, ORANGE, GREY = "#f4f2ec", "#d8611f", "#8c9296"


@pytest.mark.parametrize(
    ("old", "own", "share", "short"),
    [
        (ORANGE, WHITE, 0.99, True), (ORANGE, WHITE, 1.0, False), ("#23272b", WHITE, 0.5, True), (GREY, WHITE, 0.5, False),
        (WHITE, ORANGE, 0.5, False), (ORANGE, ORANGE, 0.5, False), ("", WHITE, 0.5, False),
    ],
)  # fmt: skip
def test_white_over_orange_wants_the_film_that_hides_and_says_how_many_coats(old, own, share, short):
    made = system("one-pack-enamel")
    top = made.layers[-1]
    made = made.model_copy(update={"layers": (top,)})
    dry = sum(c.wet_film_um for c in top.coats) * SHELF[top.product].volume_solids_pct / 100
    paint = SHELF[top.product].model_copy(update={"swatch": own, "hiding_um": dry / share})
    shelf = {**SHELF, top.product: paint}
    bed = Bed([Ground((OLD,), ENAMEL[1])], old_colours={OLD.uuid: old} if old else {})
    found = [f for f in look_over(made, shelf, bed, TABLE) if f.rule == "hides-short"]
    assert bool(found) is short
    for finding in found:
        after = take("hide", finding, Choices(made, shelf, bed.grounds, TABLE))
        assert not [f for f in look_over(after, shelf, bed, TABLE) if f.rule == "hides-short"]
        assert after.layers[0].counted - top.counted == coats_missing(top.coats, paint)
    primed = made.model_copy(update={"layers": system("one-pack-enamel").layers})
    pale = {**shelf, primed.layers[0].product: SHELF[primed.layers[0].product].model_copy(update={"swatch": GREY})}
    assert not [f for f in look_over(primed, pale, bed, TABLE) if f.rule == "hides-short"], "a grey primer lies between"


def test_sanding_grit_or_flakes_is_refused_and_one_press_leaves_it_out():
    made = system("brushed-two-pack")
    tread = next(la for la in made.layers if la.broadcast)
    sanded = edit.set_sanding(made, tread.id, [("P240", 10)])
    found = [f for f in findings(sanded, BARE) if f.rule == "grit-never-sanded"]
    assert [(f.verdict, f.layer_id) for f in found] == [("no", tread.id)]
    after = take("leave_sanding", found[0], Choices(sanded, SHELF, [], TABLE))
    assert not after.layer(tread.id).sanding
    assert not [f for f in findings(after, BARE) if f.rule == "grit-never-sanded"]
    above = made.used[made.used.index(made.layer(tread.id)) + 1].id
    care = [f for f in findings(edit.set_sanding(made, above, [("P240", 10)]), BARE) if f.rule == "grit-never-sanded"]
    assert [(f.verdict, f.layer_id) for f in care] == [("care", above)]


@pytest.mark.parametrize(("then", "says", "rule"), [
    ("degloss", "fresh", "metallic-never-sanded"), ("degloss", "pad", ""), ("sand", "pad", "metallic-never-sanded"),
])  # fmt: skip
def test_a_pad_keys_a_metallic_where_its_sheet_says_so_and_sandpaper_never(then, says, rule):
    made = edit.edit_layer(system(), "colour", product="basecoat-solvent-metallic")
    metallic = SHELF["basecoat-solvent-metallic"].model_copy(update={"past_window": says})
    if then == "sand":
        made = edit.set_sanding(made, "colour", [("P800", 2)])
    else:
        made = edit.edit_layer(made, "colour", then=["degloss"])
    found = look_over(made, {**SHELF, metallic.key: metallic}, Bed(), TABLE)
    assert [f.rule for f in found if f.rule == "metallic-never-sanded"] == ([rule] if rule else [])


def test_what_sets_by_staged_heat_wants_every_stage_of_its_sheet():
    made = system("high-heat-staged")
    assert not [f for f in findings(made, BARE) if f.rule == "heat-stages"]
    bakes = [step for step in made.finish if step.kind == "bake"]
    short = made.model_copy(update={"finish": tuple(s for s in made.finish if s not in bakes[1:])})
    found = [f for f in findings(short, BARE) if f.rule == "heat-stages"]
    assert [(f.verdict, f.title) for f in found] == [("no", "High-heat enamel: 1 of 3 heat stages")]
    after = take("heat", found[0], Choices(short, SHELF, [], TABLE))
    assert [step.metal_temp_c for step in after.finish if step.kind == "bake"] == [120, 180, 230]
    assert [step.kind for step in after.finish] == [step.kind for step in made.finish]


def test_a_heat_stage_is_that_of_the_sheet_whatever_the_system_says():
    made = system("high-heat-staged")
    colder = made.model_copy(update={"finish": tuple(
        s.model_copy(update={"metal_temp_c": 99.0, "hold_minutes": 1.0}) if s.kind == "bake" else s for s in made.finish
    )})  # fmt: skip
    stages = SHELF["high-heat-black"].heat_stages
    for one, by in ((colder, SHELF), (colder, None)):
        steps = [s for s in steps_of(one, (FACE,), by) if s.kind == "bake"]
        assert [s.metal_temp_c for s in steps] == ([s.metal_temp_c for s in stages] if by else [99.0] * 3)
        for step, stage in zip(steps, stages, strict=True):
            holds = [step.hold(winter=winter) for winter in (False, True)]
            assert holds == ([stage.hold(winter=winter) for winter in (False, True)] if by else [1.0, 1.0])


@pytest.mark.parametrize(("dry", "short"), [(59.9, True), (60.0, False)])
def test_a_pale_colour_whose_sheet_does_not_say_is_taken_for_a_weak_pigment(dry, short):
    made = system("one-pack-enamel")
    top = made.layers[-1]
    paint = SHELF[top.product].model_copy(update={"swatch": WHITE, "hiding_um": None, "volume_solids_pct": 50})
    coat = top.coats[0].model_copy(update={"wet_film_um": 2 * dry})
    made = made.model_copy(update={"layers": (top.model_copy(update={"coats": (coat,)}),)})
    bed = Bed([Ground((OLD,), ENAMEL[1])], old_colours={OLD.uuid: ORANGE})
    said = [f.reason for f in look_over(made, {**SHELF, top.product: paint}, bed, TABLE) if f.rule == "hides-short"]
    assert ["60 µm to hide, where its sheet does not say: 1 more coat" in words for words in said] == [True] * short
