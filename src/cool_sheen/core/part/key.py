"""What keys a film: sanded when it could take it, and wiped since; and what does not."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from cool_sheen.core.climate.series import REACH
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.drying.clock import Film
from cool_sheen.core.drying.milestones import DryingData, Milestone, Mode
from cool_sheen.core.drying.phases import Phase
from cool_sheen.core.log.history import Work
from cool_sheen.core.part.climate import PartClimate
from cool_sheen.core.part.film_clock import CoatClock, mark_of
from cool_sheen.core.units import Minutes
from cool_sheen.core.work.steps import ABRADES, WIPES

WIPE_LASTS = timedelta(hours=12)  # a night: what was wiped before it wants its wipe again
# Minutes in which the water of wet sanding leaves at 20 C and 50 %: a dense film, and one that soaks it up. Shop rules.
WATER_LEAVES_MIN: Minutes = 30.0
WATER_LEAVES_SOAKED_MIN: Minutes = 240.0
_SOAKS_FAMILIES, _SOAKS_ROLES = ("polyester_2k", "filler_polyester", "filler_epoxy"), ("surfacer", "filler")


@dataclass(frozen=True, slots=True)
class Key:
    """What was done to the film on top. ``too_early`` is when it was abraded and could not take it: no key."""

    sanded: datetime | None = None
    wiped: datetime | None = None
    damp_until: datetime | None = None
    too_early: tuple[datetime, ...] = ()

    @property
    def since(self) -> datetime | None:
        """From when on the film is keyed: sanded, and wiped after it."""
        return self.wiped if self.sanded else None

    def wants_wipe(self, at: datetime) -> bool:
        """Whether a coat at an instant wants a wipe first: never wiped, or over a night ago."""
        return self.sanded is not None and (self.wiped is None or at - self.wiped > WIPE_LASTS)


NO_KEY = Key()


def key_of(top: CoatClock, works: Sequence[Work], climate: PartClimate) -> Key:
    """Say what the work since the last coat made of the film on top.

    Args:
        top: The last coat of a zone.
        works: What was done to the zone since, in order.
        climate: What the zone sees.

    Returns: Its key. Sanding counts from the milestone ``sand`` on, and not while a film is locked; a film that is
        never sanded gets no key. Wet sanding leaves water, which has to go before the wipe.
    Source: docs/trade.md, Phases.
    """
    key = NO_KEY
    for work in works:
        if work.kind in ABRADES:
            if sandable(top, work.at, work.kind):
                key = abraded(key, work.at, damp_until(top.product, work.at, climate) if work.wet else None)
            else:
                key = Key(key.sanded, key.wiped, key.damp_until, (*key.too_early, work.at))
        elif work.kind in WIPES and key.sanded is not None:
            key = wiped(key, work.at)
    return key


def abraded(key: Key, at: datetime, damp: datetime | None = None) -> Key:
    """The key after sanding: dusty again, until it is wiped."""
    return Key(
        at, None, max(damp, key.damp_until) if damp and key.damp_until else damp or key.damp_until, key.too_early
    )


def wiped(key: Key, at: datetime) -> Key:
    """The key after a wipe."""
    return Key(key.sanded, at, key.damp_until, key.too_early)


def sandable(top: CoatClock, at: datetime, kind: str = "sand") -> bool:
    """Whether sandpaper, or a pad, keys a film at an instant: past ``sand``, not locked, and no film without a key."""
    phase = top.phase_at(at).phase
    mark = mark_of(top.product, "sand") if top.rule.sand is None else top.rule.sand
    band = top.bands[mark] if mark else None
    tested = (
        band is not None and band.early == band.late
    )  # dry enough to sand is past its flash, whatever the clock says
    if kind not in top.keyed_by or phase is Phase.LOCKED or (phase is Phase.WET and not tested):
        return False
    return band is None or (band.likely is not None and band.likely <= at)


def damp_until(product: Product, at: datetime, climate: PartClimate) -> datetime:
    """When the water of wet sanding has left a film.

    Source: docs/trade.md, Phases: the water mode of the clock at the shop's own times.
    """
    soaks = product.family in _SOAKS_FAMILIES or product.role in _SOAKS_ROLES
    data = _SOAKED if soaks else _RINSED
    band = climate.clock(data).band("flash", Film(at, data.ref_wet_film_um))
    return (band.likely if band else None) or at + REACH  # where it never leaves, nothing goes on


def _water(minutes: Minutes) -> DryingData:
    return DryingData(20.0, 50.0, 1.0, (Milestone("flash", Mode.WATER, minutes),))


_RINSED, _SOAKED = _water(WATER_LEAVES_MIN), _water(WATER_LEAVES_SOAKED_MIN)
