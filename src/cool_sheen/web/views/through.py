"""Where a sanding went through: what may show, and what is said until it is mended."""

from dataclasses import dataclass

from cool_sheen.core.coatings.families import GROUND_WORDS
from cool_sheen.core.film.build import GROUND
from cool_sheen.core.work.broken import Unmended, unmended
from cool_sheen.service.part_now import PartNow


@dataclass(frozen=True, slots=True)
class Notice:
    """One sanding that went through and is not mended: where, and what to do there."""

    title: str
    says: str


def may_show(found: PartNow) -> list[tuple[str, str]]:
    """Return what can show where a sanding went through: the layers that are on, from the top, and the substrate."""
    on: dict[str, str] = {}
    for build in found.history.builds.values():
        on |= {layer: _name(found, layer) for layer in build.standing[1:]}
    grounds = dict.fromkeys(GROUND_WORDS[z.ground] for z in found.zones)
    return [("", "the layer below the top one"), *on.items(), (GROUND, " or ".join(grounds))]


def notices(found: PartNow) -> list[Notice]:
    """Return what went through and is not mended yet, the latest first."""
    return [_notice(found, one) for one in unmended(found.owed, found.history)]


def in_short(found: PartNow) -> str:
    """Say where a part was sanded through, as short as a lane needs it; nothing where all is mended."""
    return ", ".join(dict.fromkeys(_where(found, one) or "the film" for one in unmended(found.owed, found.history)))


def showing(found: PartNow) -> dict[str, str]:
    """Return what shows where a zone was sanded through and is not mended: the layer, by the zone's name."""
    shows: dict[str, str] = {}
    for one in reversed(unmended(found.owed, found.history)):
        shows |= {zone.name: one.broken.shows for zone in found.zones if zone.uuid in one.zones}
    return shows


def _notice(found: PartNow, one: Unmended) -> Notice:
    broken, where = one.broken, _where(found, one)
    gone = _joined([_name(found, layer) for layer in broken.layers])
    shows = _grounds(found, one) if broken.shows == GROUND else _name(found, broken.shows)
    again = ", then ".join(_name(found, layer) for layer in one.layers)
    if broken.seen:
        says = f"{broken.grit} went through {gone}: {shows} shows. {again} again there, then sand it flush."
    else:
        says = (
            f"By the figures of the film {broken.grit} went through {gone}: look whether {shows} shows. "
            f"{again} again there and sand it flush, or say under Not done why not."
        )
    return Notice(f"Sanded through{f': {where}' if where else ''}.", says)


def _where(found: PartNow, one: Unmended) -> str:
    names = [z.name for z in found.zones if z.uuid in one.zones] if len(one.zones) < len(found.zones) else []
    return ", ".join([*names, *([one.broken.where] if one.broken.where else [])])


def _grounds(found: PartNow, one: Unmended) -> str:
    return " or ".join(dict.fromkeys(GROUND_WORDS[z.ground] for z in found.zones if z.uuid in one.zones))


def _name(found: PartNow, layer_id: str) -> str:
    return next((la.name for la in found.system.layers if la.id == layer_id), "a layer that was taken out")


def _joined(names: list[str]) -> str:
    return " and ".join(names) if len(names) < 3 else f"{', '.join(names[:-1])} and {names[-1]}"
