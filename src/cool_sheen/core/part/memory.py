"""What a plan remembers while it is laid: the film on top of each zone, the side that is up, the coats of each day."""

from collections.abc import Iterable
from copy import copy
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Layer
from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.drying.clock import Band, film_with
from cool_sheen.core.log.history import LaidCoat, Work
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.hands import Alone, Hands
from cool_sheen.core.part.key import abraded, damp_until, wiped
from cool_sheen.core.part.situation import Pot, Situation
from cool_sheen.core.part.top import Top, Window, laid
from cool_sheen.core.work.labour import minutes_of
from cool_sheen.core.work.owed import last_done
from cool_sheen.core.work.steps import ABRADES, WIPES, CoatStep, SandStep, Step, Zones

AT_HAND = timedelta(minutes=15)  # what is begun within that is as good as begun


@dataclass(frozen=True, slots=True)
class Held:
    """A wait that the system asks for: until when, and why."""

    until: datetime
    why: str


class Memory:
    """The part as it will be at ``now``, when all that was placed so far is done."""

    def __init__(self, situation: Situation) -> None:
        self.sit = situation
        self.now = situation.now
        self.steps = situation.owed.steps
        self.ahead = {zone: situation.owed.ahead(zone) for zone in situation.owed.by_zone}
        self.tops: dict[UUID, Top | None] = {}
        self.seen: dict[UUID, PartClimate] = {}
        for film in situation.films:
            self.seen |= dict.fromkeys(film.zones, film.climate)
            self.tops |= dict.fromkeys(film.zones, Top.of(film))
        self.settings = {z.uuid: z.setting for z in situation.zones}
        self.done = last_done(situation.history, situation.zones, situation.now)
        self.waits: dict[UUID, Held] = {}
        self.up = side_up(situation, self.settings)
        self.coats = [(c.payload.coating, situation.day.day_of(c.ended_at), c.zones) for c in situation.history.coats]
        self.hashes = {p.content_hash: p.key for p in situation.products.values()}
        self.hashes |= {c.product.content_hash: c.product.key for f in situation.films for c in f.clocks}
        self.wiped_again: dict[str, int] = {}  # how often the same coat has wanted its wipe again
        self.hands: Hands = situation.hands or Alone(situation.day)

    def copy(self) -> "Memory":
        """The same memory, apart: what is remembered in the one is not in the other."""
        other = copy(self)
        other.ahead = {zone: list(places) for zone, places in self.ahead.items()}
        other.tops, other.done, other.waits = dict(self.tops), dict(self.done), dict(self.waits)
        other.coats, other.hashes = list(self.coats), dict(self.hashes)
        other.wiped_again = dict(self.wiped_again)
        return other

    def edge(self, band: Band | None, *, opening: bool = False) -> datetime | None:
        """What lies ahead is taken late when it opens and early when it closes; what is there by now, as is likely."""
        if band is None:
            return None
        if opening:
            return band.likely if self._is_present and band.likely and band.likely <= self.now else band.late
        return self.closing(band, self.now)

    def closing(self, band: Band, at: datetime) -> datetime | None:
        """When a window closes for a coat: early; what may close any time by now likely, for who begins it by and by.

        So a mix can be made for it first.
        """
        any_time = band.early is not None and band.early <= self.sit.now and at <= self.sit.now + AT_HAND
        return band.likely if any_time or at == self.sit.now else band.early

    @property
    def _is_present(self) -> bool:
        return self.now == self.sit.now

    def product(self, layer: Layer) -> Product:
        """The sheet of a layer, in the revision that the part was planned with."""
        return self.sit.products[layer.product]

    def damp_on(self, zones: Zones) -> datetime | None:
        """When the water of wet sanding has left the last of some zones; None where none is damp."""
        return max((t.key.damp_until for t in self.tops_on(zones) if t.key.damp_until), default=None)

    def held(self, step: Step) -> "Held | None":
        """What the system has a step wait for on top of the film: its own wait, and waits before it; the longest."""
        own = timedelta(minutes=step.wait_minutes)
        mine = [Held(self.done[z] + own, step.why) for z in self.in_order(step.zones)] if own else []
        waits = [held for z in self.in_order(step.zones) if (held := self.waits.get(z))]
        return max((*mine, *waits), key=lambda held: held.until, default=None)

    def wait(self, step: Step) -> datetime:
        """Remember a wait of the system: when it is over on the last of its zones."""
        length = timedelta(minutes=step.wait_minutes)
        for zone in step.zones:
            self.waits[zone] = Held(self.done[zone] + length, step.why)
            self.done[zone] += length
        return max(self.waits[zone].until for zone in step.zones)

    def work(self, step: Step, end: datetime) -> None:
        """Remember what work does to the film: a key, a wipe, another side up."""
        self.done |= dict.fromkeys(step.zones, end)
        for zone in step.zones:
            top = self.tops.get(zone)
            if top is None:
                continue
            if step.kind == "broadcast":
                self.tops[zone] = replace(top, gritty=True)
            elif step.kind in ABRADES and step.kind in top.keyed_by:
                wet = isinstance(step, SandStep) and step.wet
                damp = damp_until(top.product, end, top.climate) if wet else None
                self.tops[zone] = top.with_key(abraded(top.key, end, damp))
            elif step.kind in WIPES and top.key.sanded:
                self.tops[zone] = top.with_key(wiped(top.key, end))
        if step.kind == "turn":
            self.up = next((s for s in self.settings.values() if step.id.endswith(f"@{s}")), self.up)
        self._share(step.zones)

    def _share(self, zones: Iterable[UUID]) -> None:
        """Zones that became the same film again share it, so that it is looked at once."""
        seen: dict[tuple[object, ...], Top] = {}
        for zone in zones:
            top = self.tops.get(zone)
            if top is not None:
                self.tops[zone] = seen.setdefault((id(top.bands), top.key, top.gritty), top)

    def labour(self, step: Step) -> timedelta:
        """Hands-on time of a step."""
        return timedelta(minutes=minutes_of(step))

    def tops_on(self, zones: Zones) -> list[Top]:
        """The films on top of some zones, each once."""
        return list(dict.fromkeys(t for z in self.in_order(zones) if (t := self.tops.get(z))))

    def in_order(self, zones: Zones) -> list[UUID]:
        """Some zones in the order of the part: what is decided among equals does not hang on chance."""
        return [z.uuid for z in self.sit.zones if z.uuid in zones]

    def windows(self, zones: Zones, product: Product) -> list[tuple[Zones, Window | None]]:
        """The windows of some zones, those with one film together; None where nothing closes: bare or keyed."""
        groups: dict[int, set[UUID]] = {}
        for zone in self.in_order(zones):
            groups.setdefault(id(self.tops.get(zone)), set()).add(zone)
        out: list[tuple[Zones, Window | None]] = []
        for group in groups.values():
            top = self.tops.get(next(iter(group)))
            keyed = top is None or top.key.sanded is not None
            out.append((frozenset(group), None if top is None or keyed else top.window(product)))
        return out

    def day_is_full(self, product: Product, zones: Zones, at: datetime) -> bool:
        """Whether a zone has had the coats of this product that a day allows; those of others do not count."""
        if product.coats_a_day is None:
            return False
        day: date = self.sit.day.day_of(at)
        mine = [had for coating, when, had in self.coats if when == day and self.hashes.get(coating) == product.key]
        return any(sum(zone in had for had in mine) >= product.coats_a_day for zone in zones)

    def stale(self, zones: Zones, start: datetime) -> Zones:
        """The zones whose wipe is over a night old when a coat starts."""
        return frozenset(z for z in zones if (t := self.tops.get(z)) and t.key.wants_wipe(start))

    def mix(self, layer: Layer, at: datetime) -> Blend:
        """The mix of a coat: of the pot in use, as long as it can be used."""
        pot: Pot | None = self.sit.pots.get(layer.product)
        if pot is not None and (pot.ends is None or at < pot.ends):
            return pot.blend
        own = self.sit.hardener(self.product(layer), layer.hardener_speed)
        return Blend(layer.hardener_speed, layer.reducer_speed, hardener=own)

    def lay(self, step: CoatStep, product: Product) -> None:
        """Remember a coat that was placed."""
        blend = self.mix(step.layer, self.now)
        film = film_with(self.now, step.coat.wet_film_um, step.coat.kind, blend)
        self.done |= dict.fromkeys(step.zones, self.now)
        made: dict[tuple[int, PartClimate], Top] = {}
        for zone in step.zones:
            below = self.tops.get(zone)
            key = (id(below), self.seen[zone])
            if key not in made:
                made[key] = laid(below, product, step.layer.id, film, blend, self.seen[zone], self.sit.factor)
            self.tops[zone] = made[key]
        self.coats.append((product.content_hash, self.sit.day.day_of(self.now), step.zones))
        self.hashes[product.content_hash] = product.key


def side_up(situation: Situation, settings: dict[UUID, int]) -> int | None:
    """Which setting-up the part is in: that of its last coat, unless it was turned since; None before the first."""
    numbers = sorted(set(settings.values()))
    if len(numbers) < 2:
        return None
    turns = [w for w in situation.history.works if w.kind == "turn"]
    up: int | None = None
    happened: list[LaidCoat | Work] = [*situation.history.coats, *turns]
    for event in sorted(happened, key=lambda e: e.place):
        if isinstance(event, Work):
            named = [n for n in numbers if (event.planned_step or "").endswith(f"@{n}")]
            others = [n for n in numbers if n != up]
            up = named[0] if named else others[0] if len(others) == 1 else None
        else:
            here = {settings[z] for z in event.zones if z in settings}
            up = up if up in here else min(here, default=up)
    return up
