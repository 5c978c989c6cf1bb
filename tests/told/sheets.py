"""Every sheet in steady air and in a day's weather, every mix, and the air itself."""

from datetime import timedelta
from zoneinfo import ZoneInfo

import numpy as np

from cool_sheen.core.climate.air import describe_air, dew_point, humidity_ratio, relative_humidity
from cool_sheen.core.climate.corrections import Readings, believed, corrected
from cool_sheen.core.climate.gates import breaches, first_met
from cool_sheen.core.climate.rooms import SPACE_LAG_H, SURFACE_LAG_H, Room, room_climate, surface_temperature
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.climate.sky import Sky, exposed
from cool_sheen.core.climate.sun import sun_sine, sun_times
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Band, Believed, Clock, Film
from cool_sheen.core.drying.heat import Bake, air_cure_equivalent, baked
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.drying.touch import TouchTest, learn
from cool_sheen.core.errors import CoreError
from cool_sheen.core.film.coverage import check_label
from cool_sheen.core.mixing.pot_life import pot_life_ends
from cool_sheen.core.mixing.ratios import batch, percent_by_basis
from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.core.mixing.speeds import fitting, propose
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import mark_of
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.part.key import damp_until
from cool_sheen.core.plan.openings import open_slots, ways_to_open
from tests.support import T0, steady
from tests.told.jobs import SHIPPED, spans_of, weather
from tests.told.telling import Page

FACTORS = {mode: (Believed(-np.inf, 0.2 - 0.1 * n, 0.1 + 0.05 * n),) for n, mode in enumerate(Mode)}


def day() -> Series:
    """Two days by the hour: 6 to 18 °C, damp at night."""
    at_s = seconds(T0) + 3600.0 * np.arange(-8, 48)
    hour = (at_s / 3600) % 24
    return Series(at_s, 12 + 6 * np.sin(2 * np.pi * (hour - 9) / 24), 70 - 22 * np.sin(2 * np.pi * (hour - 9) / 24))


def sheets() -> str:
    """Clocks, gates, windows and labels of every product on the shelf."""
    page = Page()
    apart = {product.drying: key for key, product in sorted(SHIPPED.products.items(), reverse=True)}
    for key in sorted(apart.values()):  # one of those that dry alike
        product = SHIPPED.products[key]
        page.head(key)
        _sheet(page, product)
        _in_the_weather(page, product)
    page.head("ways to open a gate")
    for key in (
        "enamel-one-pack",
        "clear-two-pack",
        "cabinet-waterborne",
        "epoxy-primer-grey",
        "lacquer-clear",
        "membrane-moisture",
    ):
        for temp, rh, surface in ((9, 93, None), (4, 88, 3), (16, 97, None), (24, 91, 22), (31, 40, None), (13, 55, 5)):
            _ways(page, key, temp, rh, surface)
    return page.text()


def _ways(page: Page, key: str, temp: float, rh: float, surface: float | None) -> None:
    at_s = seconds(T0) + 3600.0 * np.arange(-48, 24 * 16)
    flat = np.ones(len(at_s))
    series = Series(at_s, temp * flat, rh * flat).with_surface((temp if surface is None else surface) * flat)
    climate = PartClimate(series, T0 - timedelta(days=1), "booth", 0.8, T0)
    coat = GoingOn.of_sheet(SHIPPED.products[key])
    page.say(key, temp, rh, ways_to_open(climate, coat, T0), shut=spans_of(CoatGate(climate, coat).spans(T0), T0))


def _sheet(page: Page, p: Product) -> None:
    for temp, rh, film in ((12, 45, 1.4), (26, 65, 0.7)):
        for speeds in ({}, {"hardener_speed": "fast", "reducer_speed": "slow"}):
            air = steady(temp, rh, T0 - timedelta(hours=1))
            clock = Clock.over(air, p.drying, T0, "booth" if speeds else "gentle")
            laid = Film(T0, p.ref_wet_film_um * film, below_um=30 if speeds else 0, **speeds)
            bands = clock.bands(laid, FACTORS if speeds else None)
            page.say(
                f"{temp} C {rh} %",
                film=laid.wet_film_um,
                fast=bool(speeds),
                **{n: _minutes(b) for n, b in bands.items()},
            )
    share = {name: clock.share_done(name, laid, T0 + timedelta(minutes=7)) for name in bands}
    page.say("after 7 min", share)
    page.say(
        "marks", {name: mark_of(p, name) for name in ("full_cure", "unmask", "sand", "handle")}, runs=p.runs_over_um
    )
    for other in ("clear-two-pack", "enamel-one-pack", p.key):
        page.say("under", other, p.rule_for(SHIPPED.products[other]))
    label = check_label(0.12 * p.volume_solids_pct, p.volume_solids_pct, 30, 80)
    page.say("label", label, contradicts=label.contradicts, damp=damp_until(p, T0, weather()))


def _minutes(band: Band) -> str:
    return "/".join(
        "-" if at is None else f"{(at - T0).total_seconds() / 60:.1f}" for at in (band.early, band.likely, band.late)
    )


def _in_the_weather(page: Page, p: Product) -> None:
    climate = weather()
    gate = CoatGate(climate, GoingOn.of_sheet(p))
    page.say("safe", *(gate.safe_s(seconds(T0) + 3600 * h) - seconds(T0) for h in (0, 9, 15)))
    shut = gate.spans(T0)
    page.say("shut", spans_of(shut, T0))
    page.say("slots", open_slots(shut, T0, T0 + timedelta(days=2))[:3])
    for later in (0, 9.5, 16):
        at = T0 + timedelta(hours=later)
        ways = ways_to_open(climate, gate.coat, at) if later == 9.5 else []
        page.say("at", at, opens=gate.opens(at), closes=gate.closes(at), ways=ways)


def mixes() -> str:
    """A litre of every mix, by every choice that there is."""
    page = Page()
    for key, product in sorted(SHIPPED.products.items()):
        page.head(key)
        if product.mix.reducer:
            solid = product.model_copy(update={"volume_solids_pct": 99.5})
            page.say(
                "    nearly all solid",
                batch(mix_of(solid, SHIPPED.supplies, Choice(reducer_pct=0)).recipe, 1000).volume_solids_pct,
            )
        for choice in (
            Choice("fast", "slow", "brush"), Choice("slow", "fast", "airless", reducer_pct=9, reducer_of="paint", measure="weight"),
            Choice(reducer_pct=6, reducer_of="ready", doses_ml_per_l=(("accelerator-urethane", 9.0), ("drier-alkyd", 8.0))),
            Choice(reducer_pct=60, reducer_of="mixed"),
        ):  # fmt: skip
            try:
                mix = mix_of(product, SHIPPED.supplies, choice)
                made = batch(mix.recipe, 1000, 210)
                page.say(
                    "   ",
                    {c.key: c.role for c in mix.components},
                    doses=mix.blend.doses,
                    solids=made.volume_solids_pct,
                )
                page.say(
                    "   ", [(p.ml, p.g, p.scale_g) for p in made.pours], made.ready_ml, made.ready_g, made.cup_min_ml
                )
                if mix.recipe.additions:
                    page.say("   ", percent_by_basis(mix.recipe, 0))
            except CoreError as error:
                page.say("   ", str(error))
        for kind in ("hardener", "reducer"):
            for method, temp, area in (("hvlp", 12, 1), ("hvlp", 20, 3), ("brush", 24, 0.3), ("hvlp", 31, 1)):
                found = propose(fitting(product, kind, method, SHIPPED.supplies.values()), kind, temp, area, method)
                if found:
                    page.say(kind, method, temp, area, found.supply.key, found.reason)
        if minutes := product.mix.pot_life_minutes:
            page.say("gels", pot_life_ends(T0, minutes, product.ref_temp_c, weather().series))
    return page.text()


def air() -> str:
    """Moist air, the sun, rooms, surfaces, readings, heat."""
    page = Page()
    page.say("dew of dry air", dew_point(np.array([-20.0, 0, 20]), np.array([0.0, 0.001, 0.1])))
    _moist(page)
    _rooms(page)
    page.head("readings")
    hours = seconds(T0) + 3600.0 * np.array([0, 1, 4.5, 7, 11, 12])
    hung = Readings(2, hours, np.array([15, 15.5, 16, 19, 19.5, 20]), np.array([60, 61, 62, 50, 49, 48]))
    read = Readings(0, hours[[1, 3]] + 600, np.array([14.0, 21]), np.array([66.0, 52]))
    merged = believed([hung, read])
    page.say((merged.at_s - seconds(T0)) / 3600, merged.air_temp_c, merged.rh_pct)
    seen = corrected(day(), merged)
    page.say((seen.at_s - seconds(T0)) / 3600)
    page.say(seen.air_temp_c)
    page.say(seen.rh_pct)
    limits = SHIPPED.products["enamel-one-pack"].limits.limits()
    found = breaches(seen.with_surface(surface_temperature(seen, 0.25)), limits)
    for breach in found:
        page.say((breach.since_s - seconds(T0)) / 3600, (breach.to_s - seconds(T0)) / 3600, breach.reason)
    for since, until in ((0, 6), (10, 30), (30, 31)):
        page.say(since, until, first_met(found, *(seconds(T0) + 3600 * h for h in (since, until, since + 1))))
    page.head("heat")
    for metal, minutes in ((60, 30), (80, 45), (180, 20)):
        page.say(metal, minutes, air_cure_equivalent(metal, minutes, 20), air_cure_equivalent(metal, minutes, 23, 46))
    bakes = [Bake(T0 + timedelta(hours=h), T0 + timedelta(hours=h + 0.5), c) for h, c in ((1, 60), (4, 240))]
    hot = baked(day(), bakes, 0.5)
    page.say((hot.at_s - seconds(T0)) / 3600)
    page.say(hot.surface_temp_c)
    page.say(baked(day(), bakes, 0.0).surface_temp_c[::2])
    for minutes in (90, 2000, 6000):
        page.say(minutes, pot_life_ends(T0, minutes, 20, day()), pot_life_ends(T0, minutes, 12, weather().series, 5))
    page.head("touch")
    for tests in (
        [],
        [TouchTest(40, 30, 50)],
        [TouchTest(40, ready_minutes=30)],
        [TouchTest(40, 55), TouchTest(60, 70, 90)],
        [TouchTest(40, ready_minutes=4)],
        [TouchTest(40, 400)],
        [TouchTest(40, 30, 31)] * 12,
    ):
        page.say(learn(tests), learn(tests, 0.4, 0.05, 0.1))
    return page.text()


def _moist(page: Page) -> None:
    page.head("moist air")
    for temp, rh, surface, pressure in (
        (20, 50, None, 101_325),
        (-5, 80, -6, 101_325),
        (31, 72, 27.5, 101_325),
        (0, 100, 0, 85_000),
    ):
        page.say(temp, rh, describe_air(temp, rh, surface, pressure))
        ratio = humidity_ratio(np.array([float(temp)]), np.array([float(rh)]), pressure)
        page.say(
            ratio,
            relative_humidity(np.array([temp + 3.0]), ratio, pressure),
            dew_point(np.array([temp - 1.0]), np.array([rh - 5.0])),
        )
    for temp, rh, surface in (
        (-60, 40, None),
        (20, 0, None),
        (20, 100.5, None),
        (98, 90, None),
        (120, 60, None),
        (10, 100, 9),
    ):
        try:
            page.say(temp, rh, describe_air(temp, rh, surface))
        except CoreError as error:
            page.say(temp, rh, str(error))
    page.say(dew_point(np.array([-79.0, -30, 0.01, 60, 99]), np.array([5.0, 0.2, 100, 100, 80])))


def _rooms(page: Page) -> None:
    page.head("sun and sky")
    for latitude, longitude, zone in (
        (51, 10, "Europe/Berlin"),
        (69.6, 18.9, "Europe/Oslo"),
        (-33.9, 18.4, "Africa/Johannesburg"),
    ):
        page.say(latitude, longitude, sun_times(T0, latitude, longitude, ZoneInfo(zone)))
        at_s = day().at_s[:24:3]
        none = np.zeros(len(at_s))
        page.say(exposed(Sky(at_s, none, none, none, none + 0.25), sun_sine(at_s, latitude, longitude)).offset_k)
    page.head("rooms and surfaces")
    for kind, lag in SPACE_LAG_H.items():
        room = room_climate(day(), Room(lag, 15 if lag > 5 else None, 60 if lag > 10 else None), 14 if lag else None)
        page.say(kind, room.air_temp_c[::6], room.rh_pct[::6])
    for kind, lag in SURFACE_LAG_H.items():
        page.say(kind, surface_temperature(day(), lag, 1.5)[::8], surface_temperature(day(), lag, start_c=25)[::8])
