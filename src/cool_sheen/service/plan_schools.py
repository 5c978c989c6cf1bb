"""Another school on the parts of a plan: the other side of a question on which practitioners disagree."""

from cool_sheen.core.advice.findings import look_over, worst
from cool_sheen.core.advice.schools import Draft, School, sides_of
from cool_sheen.core.coatings.compatibility import GRAVITY, Verdict
from cool_sheen.core.coatings.systems import System
from cool_sheen.formats.catalogue import compatibility
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.survey import bed_of
from cool_sheen.service.unit import Unit


def other_system(unit: Unit, found: PartNow, school: School, side: str) -> System | None:
    """Return the system of a part by a side of a school; None where that changes nothing, or nothing but worse.

    A side that has the zones prepared otherwise, or that the sheets of the part refuse, is none for a plan.
    """
    work = Draft(found.system, found.zones, found.products)
    after = next((after for one, after in sides_of(school, work) if one.key == side), None)
    if after is None or after.system == found.system or after.zones != found.zones:
        return None
    is_worse = GRAVITY[_verdict(unit, found, after.system)] > GRAVITY[_verdict(unit, found, found.system)]
    return None if is_worse else after.system


def _verdict(unit: Unit, found: PartNow, system: System) -> Verdict:
    bed = bed_of(unit, found.zones, found.history, system)
    return worst(look_over(system, found.products, bed, compatibility()))
