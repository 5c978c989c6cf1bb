"""Parts that are carried about: their times beside an integrator that is written apart, and goes second by second."""

import math
from bisect import bisect_right
from datetime import timedelta

import numpy as np
import pytest
from tests.support import T0

from cool_sheen.core.climate.air import humidity_ratio, relative_humidity, saturation_pressure
from cool_sheen.core.climate.corrections import Readings, corrected
from cool_sheen.core.climate.rooms import Room, RoomStretch, bends, rooms_climate
from cool_sheen.core.climate.series import JUST_BEFORE_S, Series, instant, seconds
from cool_sheen.core.climate.sky import Exposure
from cool_sheen.core.climate.surfaces import airs_joined, skies_joined, surface_seen
from cool_sheen.core.drying.clock import Film
from cool_sheen.core.drying.milestones import DryingData, Milestone, Mode
from cool_sheen.core.part.climate import PartClimate, Stand
from cool_sheen.core.part.film_clock import taught

START, HOURS, STEP_S = seconds(T0), 48, 20.0
AIR = {"still": 0.75, "gentle": 1.0, "booth": 1.25}
PRODUCT = DryingData(
    20.0,
    50.0,
    100.0,
    (
        Milestone("flash", Mode.SOLVENT, 40),
        Milestone("handle", Mode.WATER, 300),
        Milestone("sand", Mode.REACTIVE, 500),
        Milestone("full_cure", Mode.OXIDATIVE, 900),
    ),
    stall_temp_c=8.0,
)


class Past:
    """A made-up past: weather by the hour, two rooms with doors, readings in one of them, a part that is carried about."""

    def __init__(self, seed: int) -> None:
        any_ = np.random.default_rng(seed)
        hours = np.arange(-24, HOURS + 48)
        self.weather = Series(
            START + 3600.0 * hours,
            any_.uniform(4, 18) + any_.uniform(2, 8) * np.sin(hours / 24 * 2 * np.pi + any_.uniform(0, 6)),
            np.clip(any_.uniform(40, 80) + any_.normal(0, 6, len(hours)), 20, 95),
        )
        self.rooms = [Room(any_.choice([1.0, 6.0]), any_.choice([None, 12.0]), None), Room(12.0, 18.0, 55.0)]
        opened = START + any_.uniform(0, 20 * 3600)
        self.doors = [(opened, opened + any_.uniform(600, 7200)), None]
        at = np.sort(START + any_.uniform(-3600, 30 * 3600, 4))
        self.read = Readings(0, at, any_.uniform(5, 26, 4), any_.uniform(30, 80, 4))
        moves = np.sort(START + any_.uniform(60, 20 * 3600, any_.integers(1, 4)))
        self.stays = [(-math.inf, int(any_.integers(0, 3)))]
        for move in moves.tolist():
            self.stays.append((move, int(any_.integers(0, 3))))  # 0 and 1 are rooms, 2 is the yard
        self.moving = [str(any_.choice(list(AIR))) for _ in range(3)]
        self.factor = [float(f) for f in any_.choice([0.8, 1.0, 1.3], 3)]
        self.lag_h = float(any_.choice([0.25, 0.8, 2.5]))
        self.sun = any_.uniform(0, 0.9)

    def stretches(self, room: int) -> list[RoomStretch]:
        out = [RoomStretch(-math.inf, self.rooms[room])]
        if door := self.doors[room]:
            out += [RoomStretch(door[0], self.rooms[room].vented()), RoomStretch(door[1], self.rooms[room])]
        return out

    def as_the_core_has_it(self) -> PartClimate:
        spaces = []
        for room in (0, 1):
            stretches = self.stretches(room)
            knots = [self.weather.at_s, np.arange(self.weather.at_s[0], self.weather.at_s[-1], 600.0)]
            knots += [bends([s.since_s], 1.0) for s in stretches[1:]]
            at = np.unique(np.concatenate(knots))
            model = rooms_climate(self.weather.sampled(at[at <= self.weather.at_s[-1]]), stretches)
            spaces.append(corrected(model, self.read, stretches) if room == 0 else model)
        spaces.append(self.weather)
        airs, skies = [], []
        ends = [*(since for since, _ in self.stays[1:]), float(self.weather.at_s[-1])]
        for (since, where), end in zip(self.stays, ends, strict=True):
            series = spaces[where]
            begin = max(since, float(series.at_s[0]))
            inside = series.at_s[(series.at_s > begin) & (series.at_s < end - JUST_BEFORE_S)]
            at = np.unique(np.concatenate([[begin], inside, np.arange(begin, end, 600.0), [end - JUST_BEFORE_S]]))
            airs.append(series.sampled(at[at <= end - JUST_BEFORE_S]))
            at_s, none = airs[-1].at_s, np.zeros(len(airs[-1].at_s))
            sun = none + self.sun if where == 2 else none
            skies.append(Exposure(at_s, none, none, none, sun, none))
        series = surface_seen(airs_joined(airs), self.lag_h, skies_joined(skies))
        stands = tuple(Stand(since, where, self.moving[where]) for since, where in self.stays)
        return PartClimate(series, T0, stands[-1].air_movement, self.lag_h, T0, stands)

    def step_by_step(self) -> dict[str, float]:
        """Seconds from the start to each mark: rooms, readings, surface and rates marched in small steps."""
        begin = float(self.weather.at_s[0])
        at = np.arange(begin, START + HOURS * 3600, STEP_S)
        out_t = np.interp(at, self.weather.at_s, self.weather.air_temp_c)
        out_rh = np.interp(at, self.weather.at_s, self.weather.rh_pct)
        airs = [self._room(0, at, out_t, out_rh), self._room(1, at, out_t, out_rh), (out_t, out_rh)]
        begins = [since for since, _ in self.stays]
        where = np.array([self.stays[bisect_right(begins, t) - 1][1] for t in at.tolist()])
        air = np.choose(where, [a for a, _ in airs])
        rh = np.choose(where, [r for _, r in airs])
        surface, out = np.empty(len(at)), float(air[0])
        keeps = math.exp(-STEP_S / 3600 / self.lag_h)
        for n, target in enumerate((air + np.where(where == 2, 8 * self.sun, 0.0)).tolist()):
            out = target + (out - target) * keeps if n else float(air[0])
            surface[n] = out
        kelvin = surface + 273.15
        moved = np.array([AIR[m] for m in self.moving])[where]
        factor = np.array(self.factor)[where]

        def arrhenius(energy: float) -> np.ndarray:
            return np.exp(-1000 * energy / 8.314 * (1 / kelvin - 1 / 293.15))

        leaves = saturation_pressure(surface) - rh / 100 * saturation_pressure(air)
        rates = {
            "flash": arrhenius(38) * moved,
            "handle": np.maximum(0, leaves) / (0.5 * float(saturation_pressure(np.array(20.0)))) * moved,
            "sand": np.where(surface < 8, 0, arrhenius(52)),
            "full_cure": arrhenius(46) * (1 - 0.6 * np.clip((rh - 70) / 30, 0, 1)),
        }
        later = at >= START
        marks = {m.name: m.ref_minutes * 60 for m in PRODUCT.milestones}
        found = {}
        for name, rate in rates.items():
            made = np.cumsum(np.where(later, rate / factor, 0.0)) * STEP_S
            place = int(np.searchsorted(made, marks[name]))
            found[name] = float(at[place] - START) if place < len(at) else math.inf
        return found

    def _room(self, room: int, at: np.ndarray, out_t: np.ndarray, out_rh: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        of, door = self.rooms[room], self.doors[room]
        wet = humidity_ratio(out_t, out_rh)
        state, air, held = float(out_t[0]), np.empty(len(at)), np.ones(len(at), bool)
        for n, (t, target) in enumerate(zip(at.tolist(), out_t.tolist(), strict=True)):
            is_open = door is not None and door[0] <= t < door[1]
            lag = 0.25 if is_open else of.lag_h
            if n:
                state = target + (state - target) * math.exp(-STEP_S / 3600 / lag)
            if not is_open and of.heater_min_c is not None:
                state = max(state, of.heater_min_c)
            air[n], held[n] = state, not is_open
        rh = relative_humidity(air, wet)
        if of.dehumidifier_max_rh_pct is not None:
            rh = np.where(held, np.minimum(rh, of.dehumidifier_max_rh_pct), rh)
        return (air, rh) if room == 1 else self._read_over(at, air, rh, held, of.heater_min_c)

    def _read_over(self, at, air, rh, held, heater):
        """Readings over a model, instant by instant."""
        out_t, wet = air.copy(), humidity_ratio(air, rh)
        r_at = self.read.at_s.tolist()
        off = []
        for t, temp, damp in zip(r_at, self.read.air_temp_c.tolist(), self.read.rh_pct.tolist(), strict=True):
            base_t, base_rh = np.interp(t, at, air), np.interp(t, at, rh)
            base_w = float(humidity_ratio(np.array(base_t), np.array(base_rh)))
            there = np.array(temp)
            d_rh = damp - float(relative_humidity(there, np.array(base_w)))
            off.append((temp - base_t, float(humidity_ratio(there, np.array(damp))) - base_w, d_rh, temp))
        for n, t in enumerate(at.tolist()):
            k = bisect_right(r_at, t) - 1
            if k < 0:
                continue
            d_t, d_w, d_rh, temp = off[k]
            ago_h = (t - r_at[k]) / 3600
            if k + 1 < len(r_at) and r_at[k + 1] - r_at[k] <= 3 * 3600:
                share = (t - r_at[k]) / (r_at[k + 1] - r_at[k])
                d_t, d_w = ((1 - share) * a + share * b for a, b in zip(off[k][:2], off[k + 1][:2], strict=True))
                out_t[n] = air[n] + d_t
            else:
                fades = 0.5 ** (ago_h / 3)
                d_t = d_t * fades if abs(d_t) * fades > 0.3 else 0.0
                d_w = d_w * fades if abs(d_rh) * fades > 2 else 0.0
                out_t[n] = air[n] + d_t
                if heater is not None and held[n]:
                    under = max(0.0, heater - temp) * 0.5**ago_h
                    out_t[n] = max(out_t[n], heater - (under if under >= 0.3 else 0.0))
            wet[n] = max(wet[n] + d_w, 1e-6)
        return out_t, relative_humidity(out_t, wet)


@pytest.mark.parametrize("seed", range(200))
def test_through_moves_doors_and_readings_every_mark_is_where_a_march_in_small_steps_finds_it(seed):
    past = Past(seed)
    climate = past.as_the_core_has_it()
    factors = {where: math.log(f) for where, f in enumerate(past.factor)}
    found = taught(climate.clock(PRODUCT), Film(T0, 100.0), [], lambda _, space: (factors[space], 0.25), climate.stands)
    apart = past.step_by_step()
    reached = 0
    for name, band in found.items():
        if math.isfinite(apart[name]):
            assert (band.likely - T0).total_seconds() == pytest.approx(apart[name], rel=0.01, abs=2 * STEP_S), name
            reached += 1
    assert reached


@pytest.mark.parametrize("spacing_s", [600, 3600, 3 * 3600])
@pytest.mark.parametrize("lag_h", [0.0, 0.25, 2.5])
def test_a_part_carried_from_8_to_30_degrees_at_58_past_has_its_time_whatever_the_spacing(spacing_s, lag_h):
    """Flash of 26 minutes at 20 C; the exact integral, second by second, beside it."""
    data = DryingData(20.0, 50.0, 100.0, (Milestone("flash", Mode.SOLVENT, 26),))
    move = START + 58 * 60
    grid = np.arange(START - 6 * 3600, START + 12 * 3600, spacing_s)

    def stay(temp, begin, end):
        at = np.unique(np.concatenate([[begin], grid[(grid > begin) & (grid < end)], [end]]))
        return Series(at, np.full(len(at), temp), np.full(len(at), 50.0))

    air = airs_joined([stay(8.0, grid[0], move - JUST_BEFORE_S), stay(30.0, move, grid[-1])])
    stands = (Stand(-math.inf, None, "gentle"), Stand(move, None, "gentle"))
    climate = PartClimate(surface_seen(air, lag_h), T0, "gentle", lag_h, T0, stands)
    made, t = 0.0, 0
    while made < 26 * 60:
        since = t - 58 * 60
        surface = 8.0 if since < 0 else 30.0 if lag_h == 0 else 30 - 22 * math.exp(-since / 3600 / lag_h)
        made += math.exp(-38_000 / 8.314 * (1 / (surface + 273.15) - 1 / 293.15))
        t += 1
    flash = climate.clock(data).band("flash", Film(T0, 100.0)).likely
    assert (flash - T0).total_seconds() == pytest.approx(t, rel=0.002)


@pytest.mark.parametrize("moved_min", [10, 25, 100])
def test_the_learned_factor_and_the_moving_air_belong_to_the_stretch_in_which_the_film_was_there(moved_min):
    """Twenty minutes of flash: slow in still air at home, at half the time where it is carried to."""
    data = DryingData(20.0, 50.0, 100.0, (Milestone("flash", Mode.SOLVENT, 20),))
    move = START + 60 * moved_min
    stands = (Stand(-math.inf, 1, "still"), Stand(move, 2, "booth"))
    air = Series(START + 3600.0 * np.arange(-3, 24), np.full(27, 20.0), np.full(27, 50.0))
    climate = PartClimate(air, T0, "booth", 0.0, T0, stands)
    known = {1: (math.log(1.2), 0.1), 2: (math.log(0.5), 0.1)}
    flash = taught(climate.clock(data), Film(T0, 100.0), [], lambda _, space: known[space], stands)["flash"].likely
    at_home = 20 * 1.2 / 0.75  # min
    left = 20 * (1 - moved_min / at_home)
    wanted = at_home if moved_min > at_home else moved_min + left * 0.5 / 1.25
    assert (flash - T0) / timedelta(minutes=1) == pytest.approx(wanted, rel=0.01)
    assert instant(move).minute == (T0 + timedelta(minutes=moved_min)).minute


def test_a_surface_that_was_measured_goes_on_from_there():
    """A casting of 8 degrees by the model, measured at 14 in air of 20: after one lag it is 6 x 1/e under the air."""
    at = START + 3600.0 * np.arange(-2, 30)
    air = Series(at, np.full(32, 20.0), np.full(32, 50.0))
    read = START + 1800.0
    seen = surface_seen(air, 2.5, read=[(read, 14.0)])
    after = seen.sampled(np.array([read - 1, read, read + 2.5 * 3600, read + 5 * 3600]))
    assert after.surface_temp_c == pytest.approx([20, 14, 20 - 6 / math.e, 20 - 6 / math.e**2], abs=0.02)
