"""What a label's times are for: the load of the label's own coats, so that each time comes out when it is followed."""

import math
from collections.abc import Set
from dataclasses import replace
from datetime import UTC, datetime
from functools import lru_cache

from cool_sheen.core.drying.clock import Film, needed_s
from cool_sheen.core.drying.milestones import Basis, DryingData, Milestone, Mode
from cool_sheen.core.units import Micron, Minutes

_DAY_MIN: Minutes = 1440.0
_HALVINGS = 60
_ROUNDS = 20
_Place = tuple[str, str]  # a time of a label: the kind of coat that it is after, and its mark
_ANY_DAY = datetime(2000, 1, 1, tzinfo=UTC)


def with_build_loads(data: DryingData, opens: str, coats: int, coats_a_day: int | None = None) -> DryingData:
    """Return the times of a label, those of a build with the load that they are for: that of the label's own coats.

    Args:
        data: The label's times. A time of a build that names a film is that of a build of such coats.
        opens: The milestone from which the label lets its next coat on.
        coats: How many coats the label lays. [at least 1]
        coats_a_day: How many of them a day; None for any number.

    Source: docs/trade.md, Clock: what a label's time means.
    """
    of_film: dict[Micron, set[_Place]] = {}
    for place, mark in _places(data):
        if mark.basis is Basis.BUILD and not mark.is_limit:
            of_film.setdefault(mark.ref_film_um or data.ref_wet_film_um, set()).add(place)
    for _ in range(_ROUNDS if len(of_film) > 1 else 1):  # the waits of one build hang on the times of another
        before = data
        for film, same in of_film.items():
            data = _with_load(data, same, _build_load(data, frozenset(same), film, opens, coats, coats_a_day))
        if data == before:
            break
    return data


def _places(data: DryingData) -> list[tuple[_Place, Milestone]]:
    usual = [(("", mark.name), mark) for mark in data.milestones]
    return usual + [((kind, mark.name), mark) for kind, mark in data.by_kind]


@lru_cache(2048)
def _build_load(
    data: DryingData, same: Set[_Place], film_um: Micron, opens: str, coats: int, coats_a_day: int | None
) -> Micron:
    """The load of the last of a build's coats: it hangs on itself, and the fixed point is found by halving."""
    low, high = film_um, coats * film_um
    for _ in range(_HALVINGS if coats > 1 else 0):
        middle = (low + high) / 2
        if _laid(_with_load(data, same, middle), film_um, opens, coats, coats_a_day) > middle:
            low = middle
        else:
            high = middle
    return (low + high) / 2 if coats > 1 else film_um


def _with_load(data: DryingData, same: Set[_Place], load_um: Micron) -> DryingData:
    def loaded(kind: str, mark: Milestone) -> Milestone:
        return replace(mark, ref_film_um=load_um) if (kind, mark.name) in same else mark

    by_kind = tuple((kind, loaded(kind, mark)) for kind, mark in data.by_kind)
    return replace(data, milestones=tuple(loaded("", mark) for mark in data.milestones), by_kind=by_kind)


def _laid(data: DryingData, film_um: Micron, opens: str, coats: int, coats_a_day: int | None) -> Micron:
    """The load of the last of a label's coats, laid at the reference climate as early as the label lets them."""
    film, at = Film(_ANY_DAY, film_um), 0.0
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
