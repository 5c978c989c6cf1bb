"""What a label's times are for: the load of the label's own coats, so that each time comes out when it is followed."""

import math
from dataclasses import replace
from datetime import UTC, datetime
from functools import lru_cache

from cool_sheen.core.drying.clock import Film, needed_s
from cool_sheen.core.drying.milestones import Basis, DryingData, Milestone, Mode
from cool_sheen.core.units import Micron, Minutes

_DAY_MIN: Minutes = 1440.0
_HALVINGS = 60
_ANY_DAY = datetime(2000, 1, 1, tzinfo=UTC)


@lru_cache(2048)
def build_load(data: DryingData, opens: str, coats: int, coats_a_day: int | None = None) -> Micron:
    """The load of the last coat of a label's own build, laid at the reference climate as early as the label lets it.

    Args:
        data: The label's times, those of a build with no reference load yet.
        opens: The milestone from which the label lets its next coat on.
        coats: How many coats the label lays. [at least 1]
        coats_a_day: How many of them a day; None for any number.

    Returns: The load. [um] What coats still have to go hangs on the load itself: the fixed point, found by halving.
    Source: docs/trade.md, Clock: what a label's time means.
    """
    low, high = data.ref_wet_film_um, coats * data.ref_wet_film_um
    for _ in range(_HALVINGS if coats > 1 else 0):
        middle = (low + high) / 2
        if _laid(with_load(data, middle), opens, coats, coats_a_day) > middle:
            low = middle
        else:
            high = middle
    return (low + high) / 2 if coats > 1 else data.ref_wet_film_um


def with_load(data: DryingData, load_um: Micron) -> DryingData:
    """Return the times of a label with the load that its times of a build are for."""

    def loaded(mark: Milestone) -> Milestone:
        is_open = mark.basis is Basis.BUILD and mark.ref_film_um is None and not mark.is_limit
        return replace(mark, ref_film_um=load_um) if is_open else mark

    by_kind = tuple((kind, loaded(mark)) for kind, mark in data.by_kind)
    return replace(data, milestones=tuple(loaded(mark) for mark in data.milestones), by_kind=by_kind)


def _laid(data: DryingData, opens: str, coats: int, coats_a_day: int | None) -> Micron:
    """The load of the last of a label's coats, by what is believed of the load of its build."""
    film, at = Film(_ANY_DAY, data.ref_wet_film_um), 0.0
    for number in range(1, coats):
        wait = _needed_min(data, opens, film)
        day = _DAY_MIN * (number // coats_a_day) if coats_a_day else 0.0
        wait = max(wait, day - at)
        sand = _needed_min(data, "sand", film)
        left = max(0.0, 1 - wait / sand) if sand > 0 else 0.0
        film, at = replace(film, below_um=left * (film.wet_film_um + film.below_um)), at + wait
    return film.wet_film_um + film.below_um


def _needed_min(data: DryingData, name: str, film: Film) -> Minutes:
    """Minutes to a milestone in the reference climate; none where the sheet does not have it."""
    mark = data.named(name)
    if mark is None:
        return 0.0
    if mark.mode is Mode.HEAT:
        return math.inf if name == "sand" else mark.ref_minutes
    return needed_s(data, mark, film) / 60
