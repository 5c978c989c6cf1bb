"""Labels as they are meant: times of a coat and of the build, after kinds of coats, by doses and hardeners; and dates."""

import math
from datetime import timedelta

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError
from tests.support import T0, steady
from tests.unit.paper import PaperPart, at, climate, zone

from cool_sheen.core.advice.findings import Bed, Ground, look_over
from cool_sheen.core.climate.gates import Limits
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.coatings.compatibility import Below
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.blend import Blend, OwnHardener, drying_with, limits_with
from cool_sheen.core.drying.clock import Clock, Film, film_with, stacked
from cool_sheen.core.drying.milestones import WORDS, Basis, Mode
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.log.entries import CheckPayload, ClaimPayload
from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.core.mixing.speeds import own_hardener
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.plan.reach import by_date
from cool_sheen.core.work.steps import CoatStep
from cool_sheen.formats.catalogue import compatibility, shipped

SHELF = shipped()


def sheet(*marks, **more):
    """A product with the milestones of a label."""
    base = SHELF.products["single-stage-two-pack"].model_dump()
    windows = [{"opens": marks[0]["name"]}]
    return Product.model_validate(base | {"milestones": list(marks), "windows": windows, "ref_wet_film_um": 50} | more)


def mark(name, minutes, mode="solvent", **more):
    return {"name": name, "mode": mode, "ref_minutes": minutes, **more}


def minutes_of(product, film, name, air=None):
    clock = Clock.over(air or steady(20, 50), product.drying, T0 - timedelta(hours=1))
    return (clock.band(name, film).likely - film.start) / timedelta(minutes=1)


def test_four_minutes_between_coats_and_sand_three_hours_after_the_last_stand_on_one_label():
    """Three coats of 50 four minutes apart: "flash" is of one coat, "sand" of the build that the sheet lays."""
    label = sheet(mark("flash", 4), mark("sand", 180, counts_for="build"), build_coats=3)
    clock = Clock.over(steady(20, 50), label.drying, T0 - timedelta(hours=1))
    coats = stacked([(clock, Film(T0 + timedelta(minutes=4 * n), 50)) for n in range(3)])
    assert minutes_of(label, coats[2], "flash") == pytest.approx(4, rel=0.01)
    assert minutes_of(label, coats[2], "sand") == pytest.approx(180, rel=0.001)
    one = sheet(mark("flash", 4), mark("sand", 180, counts_for="coat"), build_coats=3)
    assert minutes_of(one, Film(T0, 50, below_um=100), "sand") == pytest.approx(180 * 3**1.5, rel=0.01)
    assert minutes_of(label, Film(T0, 50), "sand") == pytest.approx(90, rel=0.001)  # one coat alone: half, not a fifth


def test_a_surface_mark_of_the_build_counts_what_still_dries_below():
    label = sheet(mark("flash", 4), mark("tack_free", 60, counts_for="build"), mark("sand", 600), build_coats=2)
    assert minutes_of(label, Film(T0, 50, below_um=50), "tack_free") == pytest.approx(60, rel=0.02)
    assert minutes_of(label, Film(T0, 50), "tack_free") == pytest.approx(30, rel=0.02)


@pytest.mark.parametrize(
    ("kind", "film", "minutes"), [("mist", 20, 12), ("mist", 30, 12), ("full", 50, 30), ("full", 25, 15)]
)
def test_after_a_mist_twelve_minutes_and_after_a_full_coat_thirty(kind, film, minutes):
    label = sheet(mark("flash", 30), mark("flash", 12, after="mist"), mark("sand", 300))
    assert minutes_of(label, Film(T0, film, coat_kind=kind), "flash") == pytest.approx(minutes, rel=0.01)
    for_25 = sheet(mark("flash", 30), mark("flash", 12, after="mist", film_um=25))
    assert minutes_of(for_25, Film(T0, 50, coat_kind="mist"), "flash") == pytest.approx(24, rel=0.01)


@pytest.mark.parametrize(
    ("marks", "says"),
    [
        ([mark("flash", 30), mark("flash", 12)], "may stand once only"),
        ([mark("flash", 30), mark("sand", 12, after="mist")], "wants the same mark"),
        ([mark("flash", 30), mark("flash", 12, "reactive", after="mist")], "driven by the same"),
    ],
)
def test_a_mark_stands_once_and_once_more_for_each_kind_of_coat(marks, says):
    with pytest.raises(ValidationError, match=says):
        sheet(*marks)


def test_fillers_set_by_their_own_heat_whatever_their_film():
    for key in ("filler-polyester-fine", "filler-epoxy-fairing"):
        product = SHELF.products[key]
        thin, thick = (minutes_of(product, Film(T0, um), "sand") for um in (300, 3000))
        assert thin == pytest.approx(thick)


# --- doses and hardeners ------------------------------------------------------------------------------------------------


def test_a_catalyst_acts_on_reactive_times_and_the_pot_life_and_a_retarder_on_solvent_times_alone():
    clear = SHELF.products["clear-two-pack"]
    plain, dosed, held = (
        mix_of(clear, SHELF.supplies, Choice(doses_ml_per_l=doses)).blend
        for doses in ((), (("accelerator-urethane", 20.0),), (("retarder-urethane", 30.0),))
    )
    assert dict(dosed.doses) == {Mode.REACTIVE: pytest.approx(0.7**2)}
    assert dict(held.doses) == {Mode.SOLVENT: pytest.approx(1.25)}
    assert dosed.reactive_factor == pytest.approx(0.49)
    assert held.reactive_factor == plain.reactive_factor == 1
    clock = Clock.over(steady(20, 50), clear.drying, T0)
    bands = {blend: clock.bands(film_with(T0, 65, "full", blend)) for blend in (plain, dosed, held)}

    def share(name, blend):
        return (bands[blend][name].likely - T0) / (bands[plain][name].likely - T0)

    solvent, reactive = (
        next(m.name for m in clear.milestones if m.mode is mode) for mode in (Mode.SOLVENT, Mode.REACTIVE)
    )
    assert share(solvent, dosed) == pytest.approx(1)
    assert share(reactive, dosed) == pytest.approx(0.49, rel=0.01)
    assert share(solvent, held) == pytest.approx(1.25, rel=0.01)
    assert share(reactive, held) == pytest.approx(1)
    drier = mix_of(SHELF.products["enamel-one-pack"], SHELF.supplies, Choice(doses_ml_per_l=(("drier-alkyd", 5.0),)))
    assert dict(drier.blend.doses) == {Mode.OXIDATIVE: 0.75}


def test_the_winter_hardener_works_where_its_label_says_on_clock_and_gate():
    """The epoxy stalls under 10 °C and wants 12; its winter hardener goes on down to 5."""
    epoxy = SHELF.products["epoxy-primer-grey"]
    winter = own_hardener(epoxy, "fast", SHELF.supplies.values())
    assert (winter.stall_temp_c, winter.air_min_c) == (2, 5)
    assert own_hardener(epoxy, "standard", SHELF.supplies.values()) is None
    cold = climate(8, 50)
    usual, with_it = (
        GoingOn.of_sheet(epoxy, Blend(speed, hardener=own)) for speed, own in (("standard", None), ("fast", winter))
    )
    assert CoatGate(cold, usual).shut_at(T0).reason == "air under 12 °C"
    assert CoatGate(cold, with_it).shut_at(T0) is None
    colder = CoatGate(climate(4, 50), with_it).shut_at(T0)
    assert colder.reason == "air under 5 °C"
    film = film_with(T0, 125, "full", Blend("fast", hardener=winter))
    assert cold.clock(epoxy.drying).band("sand", film).likely is None
    assert cold.clock(drying_with(epoxy.drying, winter)).band("sand", film).likely is not None
    part = PaperPart("two-stage-epoxy", cold).prepared()
    part.coat(0, "epoxy", hardener_speed="fast", own_hardener={"stall_temp_c": 2, "air_min_c": 5})
    assert part.top(1).bands["sand"].likely is not None


@pytest.mark.parametrize("factor", [None, 0.4])
def test_a_hardener_with_a_speed_of_its_own_goes_by_that(factor):
    own = OwnHardener(factor=factor)
    epoxy = SHELF.products["epoxy-primer-grey"]
    clock = Clock.over(steady(20, 50), epoxy.drying, T0)
    usual, mixed = (
        clock.band("sand", film_with(T0, 125, "full", blend)).likely - T0
        for blend in (Blend(), Blend("fast", hardener=own))
    )
    assert mixed / usual == pytest.approx(factor or 0.6, rel=0.01)
    limits = Limits((12, 35), (10, 35), (0, 80))
    assert limits_with(limits, own) == limits
    assert limits_with(limits, OwnHardener(air_max_c=25)).surface_c == (10, 25)


# --- what goes over what ------------------------------------------------------------------------------------------------


def test_an_air_inhibited_polyester_opens_for_itself_alone():
    surfacer, epoxy = SHELF.products["polyester-surfacer"], SHELF.products["epoxy-primer-grey"]
    for following, phases in ((surfacer, {Phase.WET, Phase.OPEN, Phase.KEY}), (epoxy, {Phase.WET, Phase.KEY})):
        rule = surfacer.rule_for(following)
        assert (rule.opens == rule.closes) is (Phase.OPEN not in phases)


@pytest.mark.parametrize(
    "key", ["polyester-surfacer", "high-build-surfacer", "sealer-urethane", "basecoat-solvent-blue", "primer-one-pack",
            "primer-waterborne", "epoxy-primer-grey", "filler-polyester-fine", "lacquer-sanding-sealer"],
)  # fmt: skip
def test_what_is_never_the_last_layer_says_what_it_wants(key):
    assert SHELF.products[key].never_last
    assert not SHELF.products["clear-two-pack"].never_last
    assert not SHELF.products["single-stage-two-pack"].never_last


def test_every_shipped_system_degreases_before_its_first_sanding():
    for system in SHELF.systems.values():
        kinds = [step.kind for step in system.prepare]
        if "sand" in kinds:
            assert "degrease" in kinds[: kinds.index("sand")], system.key


def test_add_a_primer_is_no_way_out_for_a_primer():
    system = SHELF.systems["one-pack-enamel"]
    unknown = Bed([Ground((), Below("unknown", "unknown"))])
    for family in ("bare_zinc", "bare_timber", "masonry", "plaster", "bare_steel", "unknown"):
        state = "unknown" if family == "unknown" else "bare"
        ground = Bed([Ground((), Below(family, state))])
        first = look_over(system, SHELF.products, ground, compatibility())[0]
        assert "prime" not in [way.change for way in first.ways]
    assert look_over(system, SHELF.products, unknown, compatibility())


# --- dates --------------------------------------------------------------------------------------------------------------


def test_by_a_date_a_part_is_handled_and_not_yet_stacked():
    part = PaperPart("single-stage-epoxy", climate(20, 50, days=40)).prepared()
    rest = part.rest(0)
    last = [p.end for p in rest.steps if isinstance(p.step, CoatStep)][-1]
    found = by_date(part.look(0), last + timedelta(days=2))
    answers = {m.name: m.answer for m in found.marks}
    assert found.last_coat == last
    assert (answers["handle"], answers["full_cure"]) == ("yes", "no")
    assert {"carry", "hang"} <= set(found.safe)
    assert {"stack", "wash"} <= set(found.not_yet)
    early = by_date(part.look(0), last - timedelta(hours=1))
    assert {m.answer for m in early.marks} == {"no"}
    assert early.safe == ()
    late = by_date(part.look(0), last + timedelta(days=60))
    assert {m.answer for m in late.marks} == {"yes"}
    assert late.not_yet == ()
    bands = {m.name: m.band for m in found.marks}
    between = bands["full_cure"].likely + (bands["full_cure"].late - bands["full_cure"].likely) / 2
    assert {m.name: m.answer for m in by_date(part.look(0), between).marks}["full_cure"] == "likely"


def test_a_part_whose_zones_are_not_all_coated_has_reached_nothing():
    part = PaperPart("single-stage-epoxy", climate(4, 50), zone("A"), zone("B")).prepared()
    part.coat(0, "epoxy", zones="A")
    found = by_date(part.look(1), at(500))
    assert (found.marks, found.safe) == ((), ())
    assert "within the forecast" in found.stuck


def test_a_polish_of_thirty_days_has_a_date_beyond_the_forecast_and_no_night_lasts_for_ever():
    """Ten days of forecast that end in a cold night: the film goes on as in the last day, at a mean of it."""
    label = sheet(mark("flash", 30), mark("polish", 30 * 24 * 60))
    hours = np.arange(-24, 240)
    air = 20 + 8 * np.sin((hours - 9) / 24 * 2 * np.pi)
    series = Series(seconds(T0) + 3600.0 * hours, air, np.full(len(hours), 50.0))
    seen = PartClimate(series, T0 - timedelta(hours=20), near=T0)
    found = seen.clock(label.drying).band("polish", Film(T0, 50)).likely
    whole_days = np.exp(-38_000 / 8.314 * (1 / (air[-24:] + 273.15) - 1 / 293.15)).mean()
    assert (found - T0).days == pytest.approx(30 / whole_days, abs=1)
    assert math.isfinite(whole_days)


@pytest.mark.parametrize(("holds", "left"), [(True, "done"), (False, "next"), (None, "next")])
def test_a_claim_that_was_checked_true_leaves_the_plan_whatever_its_grit(holds, left):
    """The customer sanded with P80 where the plan has P120: who looked at it, and takes it, has no P120 to do."""
    part = PaperPart("single-stage-epoxy")
    for kind in ("wash", "degrease"):
        part.step(0, kind)
    claim = part.write(1, ClaimPayload(says="sand", grit="P80", whose="the customer"))
    if holds is not None:
        part.write(2, CheckPayload(claim=claim, holds=holds))
    stands = {row.step.id: row.status for row in part.look(3).owed.rows}
    assert stands["prepare:3:sand"] == left
    if not holds:
        part.sand(2.5, "P80")  # one's own work with another grit is no answer to the plan's
        assert {row.step.id: row.status for row in part.look(3).owed.rows}["prepare:3:sand"] == "next"


# --- a label that is followed comes out -----------------------------------------------------------------------------------

REFERENCE = timedelta(minutes=1)


def followed(product, film_um=None):
    """Lay the coats of a label as soon as it lets them on, at its reference: the film of the last, and the clock."""
    wet_um = film_um or product.ref_wet_film_um
    start = T0 - timedelta(hours=1)
    clock = Clock.over(steady(product.ref_temp_c, product.ref_rh_pct), product.drying, start)
    opens, coats, at = product.rule_for(product).opens, [], T0
    for number in range(product.build_coats):
        if number and product.coats_a_day:
            at = max(at, T0 + timedelta(days=number // product.coats_a_day))
        coats = stacked([(clock, film) for film in (*coats, Film(at, wet_um))])
        ready = clock.band(opens, coats[-1])
        at = ready.likely if ready and ready.likely else at
    return clock, coats


def times_that_come_out(product):
    """Each time of a label that was followed: its name, what the label states, and what came. [min]"""
    for said in product.milestones:
        if said.mode is Mode.HEAT or said.after is not None:
            continue
        clock, coats = followed(product, said.film_um)
        film = coats[0] if product.basis_of(said) is Basis.COAT else coats[-1]
        band = clock.band(said.name, film)
        yield said.name, said.ref_minutes, (band.likely - film.start) / REFERENCE


@pytest.mark.parametrize("key", sorted(SHELF.products))
def test_every_time_of_a_shipped_label_comes_out_when_the_label_is_followed(key):
    for name, stated, came in times_that_come_out(SHELF.products[key]):
        assert came == pytest.approx(stated, rel=0.002), name


minutes = st.integers(2, 3_000)


@st.composite
def labels(draw):
    """A sheet as somebody types it: any order of marks, any mode, any number of coats."""
    names = draw(st.lists(st.sampled_from([n for n in WORDS if n != "flash"]), min_size=1, max_size=8, unique=True))
    modes = st.sampled_from([m.value for m in Mode if m is not Mode.HEAT])
    flash, ref_um = draw(st.integers(1, 600)), draw(st.integers(20, 600))
    marks = [mark("flash", flash, draw(modes))]
    for name in names:
        basis = draw(st.sampled_from([None, *(b.value for b in Basis)]))
        film = draw(st.sampled_from([None, None, 0.5 * ref_um, 1.5 * ref_um]))
        marks.append(mark(name, flash + draw(minutes), draw(modes), counts_for=basis, film_um=film))
    closes = {"closes": draw(st.sampled_from([None, names[0]]))}
    opens = draw(
        st.sampled_from(["flash", *([names[0]] if not closes["closes"] and names[0] != "recoat_closes" else [])])
    )
    coats = draw(st.integers(1, 12))
    waits = next(m["ref_minutes"] for m in marks if m["name"] == opens)
    assume(coats * waits < 20 * 1440)  # beyond sixty days no clock looks
    return sheet(
        *marks, build_coats=coats, ref_wet_film_um=ref_um,
        wet_film_max_um=900, sag_limit_um=None, coats_a_day=draw(st.sampled_from([None, None, 1, 2, 3])),
        windows=[{"opens": opens, **closes, "redissolves": draw(st.booleans())}],
    )  # fmt: skip


@settings(max_examples=200, deadline=None)
@given(labels())
def test_every_time_of_any_label_comes_out_within_one_percent_when_the_label_is_followed(label):
    for name, stated, came in times_that_come_out(label):
        assert came == pytest.approx(stated, rel=0.01), name


@given(labels(), st.integers(1, 12), st.integers(10, 900))
@settings(max_examples=50, deadline=None)
def test_thicker_builds_come_out_later_and_thinner_ones_never_under_half_of_the_label(label, coats, film):
    clock = Clock.over(steady(20, 50), label.drying, T0 - timedelta(hours=1))
    opens = label.rule_for(label).opens
    stack, at = [], T0
    for _ in range(coats):
        stack = stacked([(clock, f) for f in (*stack, Film(at, film))])
        at = clock.band(opens, stack[-1]).likely or at
    for said in label.milestones:
        came = (
            (clock.band(said.name, stack[-1]).likely - stack[-1].start) / REFERENCE
            if clock.band(said.name, stack[-1]).likely
            else math.inf
        )
        if label.basis_of(said) is Basis.BUILD and said.name != "recoat_closes":
            assert came >= said.ref_minutes / 2 * 0.999


def test_a_label_that_says_two_and_a_half_hours_to_sand_after_the_last_coat_is_right_for_one_two_and_many():
    """Coats twenty minutes apart; as one coat it came out eleven hours after the third, as a build in 52 minutes."""
    marks = (mark("flash", 20), mark("sand", 150))
    for coats in (1, 2, 3, 10):
        _, stated, came = list(times_that_come_out(sheet(*marks, build_coats=coats)))[1]
        assert came == pytest.approx(stated, rel=0.001)


def test_a_polish_after_thirty_days_is_that_after_ten_coats_as_after_one():
    label = sheet(mark("flash", 20), mark("sand", 150), mark("polish", 30 * 1440), build_coats=3)
    clock = Clock.over(steady(20, 50), label.drying, T0 - timedelta(hours=1))
    ten = stacked([(clock, Film(T0 + timedelta(minutes=20 * n), 50)) for n in range(10)])
    assert (clock.band("polish", ten[-1]).likely - ten[-1].start) / timedelta(days=1) == pytest.approx(30, rel=0.001)


# --- limits -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("air", "film", "below", "speed", "hours"),
    [
        (20, 50, 0, "standard", 48),  # to the minute, whatever lies below
        (20, 150, 100, "standard", 48),
        (10, 50, 0, "standard", 48),  # cold does not lengthen it
        (30, 50, 0, "standard", 48 / math.exp(52_000 / 8.314 * (1 / 293.15 - 1 / 303.15))),
        (20, 50, 0, "slow", 48),
        (20, 50, 0, "fast", 48 * 0.6),
    ],
)
def test_a_latest_time_of_a_label_knows_no_film_and_no_spread_and_only_warmth_and_speed_shorten_it(
    air, film, below, speed, hours
):
    label = sheet(mark("flash", 30), mark("sand", 600, "reactive"), mark("recoat_closes", 48 * 60, "reactive"),
                  windows=[{"opens": "flash", "closes": "recoat_closes"}])  # fmt: skip
    clock = Clock.over(steady(air, 50), label.drying, T0 - timedelta(hours=1))
    band = clock.band("recoat_closes", Film(T0, film, speed, below_um=below))
    assert band.early == band.likely == band.late
    assert (band.likely - T0) / timedelta(hours=1) == pytest.approx(hours, rel=0.001)


@pytest.mark.parametrize(("factor", "hours"), [(1.5, 48), (0.5, 24)])
def test_what_the_shop_learned_shortens_a_latest_time_and_never_lengthens_it(factor, hours):
    label = sheet(mark("flash", 30), mark("recoat_closes", 48 * 60, "reactive"))
    clock = Clock.over(steady(20, 50), label.drying, T0 - timedelta(hours=1))
    band = clock.band("recoat_closes", Film(T0, 50, ln_factor_mean=math.log(factor)))
    assert (band.late - T0) / timedelta(hours=1) == pytest.approx(hours, rel=0.001)


def test_cold_lengthens_a_latest_time_of_which_the_sheet_states_the_time_at_a_second_temperature():
    label = sheet(mark("flash", 30), mark("recoat_closes", 48 * 60, "reactive", activation_kj_per_mol=52))
    clock = Clock.over(steady(10, 50), label.drying, T0 - timedelta(hours=1))
    assert clock.band("recoat_closes", Film(T0, 50)).likely - T0 > timedelta(hours=90)


def test_a_window_that_closes_with_a_mark_of_drying_has_a_limit_of_its_own():
    """The mark still says when a part may be assembled, by its film; the window closes by the label."""
    label = sheet(mark("flash", 30), mark("sand", 300), mark("assemble", 600),
                  windows=[{"opens": "flash", "closes": "assemble"}])  # fmt: skip
    rule, clock = label.rule_for(label), Clock.over(steady(20, 50), label.drying, T0 - timedelta(hours=1))
    thick = Film(T0, 150)
    assert (clock.band(rule.closes, thick).late - T0) / REFERENCE == pytest.approx(600, rel=0.001)
    assert (clock.band("assemble", thick).likely - T0) / REFERENCE > 650
