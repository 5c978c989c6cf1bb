"""A set-up worked out: gun, nozzle, product and air, for the part at hand and the air of today."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.drying.clock import Film
from cool_sheen.core.errors import CoreError
from cool_sheen.core.gun.air import Duty, Water, duty, water
from cool_sheen.core.gun.cards import Card
from cool_sheen.core.gun.fitting import Finding, fitted, opening_for, paint_flow
from cool_sheen.core.gun.guns import PLACE_WORDS, AirSupply, Fault, GunType, Place, State
from cool_sheen.core.gun.handling import Hold, Lay, Stroke, hold_for
from cool_sheen.core.gun.pressures import Pressures, pressures
from cool_sheen.core.gun.verdicts import CoatTime, coat_time, judge_air, judge_pauses, judge_start
from cool_sheen.core.log.history import History, Stay
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.takeoff.amounts import CoatPaint
from cool_sheen.core.units import Bar, Celsius, Micron, Millilitres, Percent, Seconds
from cool_sheen.core.work.labour import transfer_efficiency
from cool_sheen.service.climate import part_climate
from cool_sheen.service.gun import cards
from cool_sheen.service.gun.rack import OnRack, air_of, chosen, rack, ships
from cool_sheen.service.jobs import spaces_by_id
from cool_sheen.service.mixing.plan import Waiting, waiting
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Refused, Unit
from cool_sheen.store.models import Space

_HALF_FULL = 0.5
_MASS = "sheet_metal"  # wet film goes by the air within minutes: any surface will do for it


@dataclass(frozen=True, slots=True)
class Asked:
    """What was chosen and typed; what is left out is taken from part, gun and product.

    Attributes:
        opening_mm: Nozzle or tip. [mm]
        bar: What a gauge showed. [bar]
        place, state: Where and when.
        flow_ml_per_min: As it was measured into a cup. [ml/min]
        grit: Key of the grit that goes through the gun; empty for none.
    """

    gun: str = ""
    product: str = ""
    part: UUID | None = None
    space: UUID | None = None
    opening_mm: float | None = None
    bar: Bar | None = None
    place: Place | None = None
    state: State | None = None
    flow_ml_per_min: float | None = None
    grit: str = ""
    lay: Lay | None = None  # by the zones at hand, where nobody has said
    stroke: Stroke = "across"


@dataclass(frozen=True, slots=True)
class Spraying:
    """The coat at hand: of which part, how much of it, and how long it stays wet.

    Attributes:
        wet_um: Film. [um]
        transfer: Share that lands. [1]
        flash_s: Until the film flashes in the air of now, at the early end of its band; None: not within days. [s]
    """

    product: Product
    waiting: Waiting | None
    coat: CoatPaint | None
    wet_um: Micron
    transfer: float
    ml: Millilitres | None
    flash_s: Seconds | None
    air_temp_c: Celsius
    rh_pct: Percent


@dataclass(frozen=True)
class Choices:
    """What can be chosen."""

    guns: list[OnRack]
    queue: list[Waiting]
    spaces: dict[UUID, Space]
    products: list[Product]
    grits: list[Supply]


@dataclass(frozen=True)
class Fit:
    """Nozzle or tip: what is asked for, what is in the gun, what comes out of it.

    Attributes:
        wanted: Least and most. [mm]
        opening_mm: What is in it; nought where the tool has none. [mm]
        flow_ml_per_min: As it was measured, else an estimate; None where nothing is known. [ml/min]
    """

    grain_mm: float
    wanted: tuple[float, float]
    opening_mm: float
    flow_ml_per_min: float | None
    findings: list[Finding]


@dataclass(frozen=True)
class Feed:
    """The air or the pump behind a gun.

    Attributes:
        bar: What was read, or what the kind of gun starts from. [bar]
        found: At all places; None where one gauge says all, or what was read cannot be.
        wrong: What cannot be, by field.
    """

    air: AirSupply | None
    bar: Bar | None
    place: Place
    state: State
    found: Pressures | None
    findings: list[Finding]
    duty: Duty | None
    time: CoatTime | None
    pauses: Finding | None
    water: list[tuple[Space, Water]]
    wrong: Mapping[str, str] = field(default_factory=dict)

    def half_full_min(self, found: Water) -> float | None:
        """Minutes of spraying until the bowl of the water trap is half full; None where nothing falls out. [min]"""
        if self.air is None or found.falls_g_per_h <= 0:
            return None
        return 60 * _HALF_FULL * self.air.bowl_ml / found.falls_g_per_h


@dataclass(frozen=True)
class SetUp:
    """All that the page says."""

    asked: Asked
    choices: Choices
    one: OnRack
    space: Space
    at: Spraying
    fit: Fit
    feed: Feed
    lies: Lay
    hold: Hold
    technique: list[str]
    cards: list[Card]
    set_by: Card | None

    @property
    def gun(self) -> GunType:
        """The gun."""
        return self.one.gun


def choices_of(unit: Unit) -> Choices:
    """Return what can be chosen at the gun bench."""
    shelf = shelf_now(unit)
    by_name = sorted(shelf.products.values(), key=lambda p: p.name)
    grits = [s for s in shelf.supplies.values() if s.kind == "grit"]
    return Choices(rack(unit), waiting(unit), spaces_by_id(unit), by_name, grits)


def set_up(unit: Unit, asked: Asked) -> SetUp:
    """Work a set-up out. Raises Refused: there is no space yet."""
    there = choices_of(unit)
    first = there.queue[0].found.part.uuid if there.queue and not (asked.product or asked.part) else asked.part
    mine = next((w for w in there.queue if w.found.part.uuid == first), None)
    product = product_of(there, asked.product, mine)
    coat = mine.coats[0] if mine and mine.product.key == product.key else None
    one = chosen(there.guns, asked.gun, coat.method if coat else product.methods[0])
    space = space_of(there.spaces, asked.space, mine)
    at = spraying(unit, product, mine if coat else None, space, one.gun.method)
    fit = _fit(one.gun, product, asked, _grain(next((g for g in there.grits if g.key == asked.grit), None)))
    lies = asked.lay or _lies(mine if coat else None, coat)
    says = [t.says for t in ships().techniques if t.fits(one.gun.method, product.family, product.role)]
    return SetUp(
        asked,
        there,
        one,
        space,
        at,
        fit,
        _feed(unit, one.gun, asked, at, fit, there.spaces),
        lies,
        hold_for(one.gun, lies, asked.stroke),
        [line for lines in says for line in lines],
        cards.offer(unit, product.key, one.key, at.air_temp_c),
        cards.set_by(unit, product.key, unit.now),
    )


def _lies(mine: Waiting | None, coat: CoatPaint | None) -> Lay:
    """How the face at hand lies: an underside where all of its zones are undersides, else upright."""
    if mine is None or coat is None:
        return "upright"
    kinds = {z.uuid: z.kind for z in mine.found.zones}
    return "underside" if {kinds.get(z.zone) for z in coat.zones} == {"underside"} else "upright"


def product_of(there: Choices, key: str, mine: Waiting | None) -> Product:
    """Return the product that was chosen; else the part's next one, what waits first, or the first on the shelf."""
    chosen_one = next((p for p in there.products if p.key == key), None)
    if chosen_one is not None:
        return chosen_one
    return mine.product if mine else there.queue[0].product if there.queue else there.products[0]


def _fit(gun: GunType, product: Product, asked: Asked, grain: float) -> Fit:
    wanted = opening_for(product, gun, ships().openings, grain)
    opening = asked.opening_mm or _opening(gun, wanted)
    bar = _read_at(gun, asked)[2]
    flow = asked.flow_ml_per_min or (paint_flow(gun, opening, bar if gun.feed == "pump" else None) if opening else None)
    said = fitted(gun, product, wanted, opening, grain) if gun.openings else []
    return Fit(grain, wanted, opening, flow or gun.flow_ml_per_min, said)


def _feed(unit: Unit, gun: GunType, asked: Asked, at: Spraying, fit: Fit, spaces: Mapping[UUID, Space]) -> Feed:
    air = air_of(unit.the_shop)
    place, state, bar = _read_at(gun, asked)
    found, wrong = _pressures(gun, air, bar, place, state)
    lent = _duty(gun, found, air)
    time = coat_time(at.ml, fit.flow_ml_per_min, lent) if lent and at.ml and fit.flow_ml_per_min else None
    pauses = judge_pauses(lent, time, at.flash_s) if lent else None
    fallen = _water(unit, spaces, air, found) if gun.source == "compressor" else []
    said = _presses(gun, found, air, bar, place, state)
    return Feed(air, bar, place, state, found, said, lent, time, pauses, fallen, wrong)


def space_of(spaces: Mapping[UUID, Space], asked: UUID | None, mine: Waiting | None) -> Space:
    """Return the space that was chosen; else the part's, else the first. Raises Refused: there is none."""
    if asked is not None and asked in spaces:
        return spaces[asked]
    if mine is not None:
        return mine.found.space
    if not spaces:
        raise Refused("Set a space up first.", status=409)
    return next(iter(spaces.values()))


def _grain(grit: Supply | None) -> float:
    """The largest grain of a grit. [mm]"""
    return max([grit.grain_mm or 0.0, *(part.grain_mm for part in grit.blend)]) if grit else 0.0


def _opening(gun: GunType, wanted: tuple[float, float]) -> float:
    """The nozzle that is proposed: the smallest that suits, else the nearest. [mm]"""
    if not gun.openings:
        return 0.0
    suits = [mm for mm in gun.openings if wanted[0] <= mm <= wanted[1]]
    return suits[0] if suits else min(gun.openings, key=lambda mm: abs(mm - sum(wanted) / 2))


def _read_at(gun: GunType, asked: Asked) -> tuple[Place, State, Bar | None]:
    """Where a pressure was read, and what it was: as was typed, else as the kind of gun is started."""
    if gun.start is None:
        return "inlet", "pulled", None
    place, state = asked.place or gun.start.place, asked.state or gun.start.state
    if asked.bar is not None:
        return place, state, asked.bar
    return gun.start.place, gun.start.state, gun.start.usual


def _pressures(
    gun: GunType, air: AirSupply | None, bar: Bar | None, place: Place, state: State
) -> tuple[Pressures | None, dict[str, str]]:
    if gun.start is None or bar is None:
        return None, {}
    if gun.source != "compressor":
        if (place, state) == (gun.start.place, gun.start.state):
            return None, {}
        where = PLACE_WORDS[gun.start.place]
        return None, {"place": f"This gun has one gauge that counts: {where}, with the trigger pulled."}
    try:
        return pressures(gun, air, bar, place, state), {}
    except CoreError as error:
        return None, {error.field: str(error)}


def _presses(
    gun: GunType, found: Pressures | None, air: AirSupply | None, bar: Bar | None, place: Place, state: State
) -> list[Finding]:
    if gun.start is None or bar is None:
        return []
    if found is None:
        same = (place, state) == (gun.start.place, gun.start.state)
        return [judge_start(gun, bar)] if same and gun.source != "compressor" else []
    there = found.at(gun.start.place, gun.start.state)
    return ([judge_start(gun, there)] if there is not None else []) + judge_air(gun, found, air)


def _duty(gun: GunType, found: Pressures | None, air: AirSupply | None) -> Duty | None:
    if found is None or air is None or gun.source != "compressor":
        return None
    taken = found.demand_l_per_min["pulled"]
    floor = max(air.cut_in_bar, found.compressor_bar)  # below it the pressure at the gun sags
    if floor >= air.cut_out_bar:
        return None
    return duty(air.tank_l, floor, air.cut_out_bar, air.fad_l_per_min, taken)


def _water(
    unit: Unit, spaces: Mapping[UUID, Space], air: AirSupply | None, found: Pressures | None
) -> list[tuple[Space, Water]]:
    """What falls out of the air of each space, while the gun sprays."""
    if air is None or found is None:
        return []
    out = []
    taken = min(found.demand_l_per_min["pulled"], air.fad_l_per_min)
    for space in spaces.values():
        temp, rh = air_in(unit, space)
        line = (air.cut_in_bar + air.cut_out_bar) / 2
        out.append((space, water(temp, rh, temp + air.line_over_k, line, taken)))
    return out


def air_in(unit: Unit, space: Space) -> tuple[Celsius, Percent]:
    """The air of a space now. [°C, %]"""
    at = climate_in(unit, space).at(unit.now)
    return float(at.air_temp_c[0]), float(at.rh_pct[0])


def climate_in(unit: Unit, space: Space) -> PartClimate:
    """What anything sees that stands in a space from now on."""
    return part_climate(unit, History(stays=[Stay(unit.now, space.uuid)]), _MASS)


def spraying(unit: Unit, product: Product, mine: Waiting | None, space: Space, method: str) -> Spraying:
    """Return the coat at hand in the air of now; of the sheet's own film where no part waits for it."""
    coat = mine.coats[0] if mine else None
    zones = coat.zones if coat else ()
    wet = coat.step.coat.wet_film_um if coat else product.ref_wet_film_um
    area = sum(z.area_m2 for z in zones)
    transfer = sum(z.transfer * z.area_m2 for z in zones) / area if area else transfer_efficiency(method)
    climate = climate_in(unit, space)
    at = climate.at(unit.now)
    return Spraying(
        product, mine, coat, wet, transfer, coat.ml if coat else None, flash_s(unit, climate, product, wet),
        float(at.air_temp_c[0]), float(at.rh_pct[0]),
    )  # fmt: skip


def flash_s(unit: Unit, climate: PartClimate, product: Product, wet_um: Micron) -> Seconds | None:
    """How long a film that is laid now takes a stroke beside it in: until it flashes, at the early end. [s]"""
    clock = climate.clock(product.drying)
    name = next((n for n in ("flash", "dust_free", "tack_free") if product.drying.named(n)), None)
    band = clock.band(name, Film(unit.now, wet_um)) if name else None
    return None if band is None or band.early is None else (band.early - unit.now).total_seconds()


def faults_of(gun: GunType) -> Sequence[Fault]:
    """Return how a kind of gun can misbehave."""
    return [fault for fault in ships().faults if gun.source in fault.sources and gun.sprays]
