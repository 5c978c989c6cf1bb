"""What about a part changes with its log, its zones and its sheets alone: folded once, for whoever asks first."""

from collections.abc import Hashable
from dataclasses import dataclass

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.history import History
from cool_sheen.core.once import cached_property
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.work.owed import Owed, owed_to
from cool_sheen.core.work.steps import steps_of
from cool_sheen.service.briefs import Brief
from cool_sheen.service.learning import drying_hash
from cool_sheen.service.unit import Unit


@dataclass(frozen=True, eq=False)
class Logged:
    """A part by its log; as long as ``version`` is the same, so is all of it."""

    version: tuple[Hashable, ...]
    history: History
    system: System
    products: dict[str, Product]
    revisions: dict[str, Product]
    zones: tuple[ZoneFacts, ...]
    owed: Owed

    @cached_property
    def sheets(self) -> tuple[str, ...]:
        """Every sheet whose times matter to it, by what the clock reads of it."""
        return tuple(drying_hash(p.drying) for p in [*self.products.values(), *self.revisions.values()])

    @property
    def key(self) -> tuple[Hashable, ...]:
        """The key under which it is kept."""
        return "logged", *self.version

    @property
    def weight(self) -> int:
        """What it takes. [bytes]"""
        return 30_000 + 900 * self.history.places


def logged_of(unit: Unit, brief: Brief, history: History, seq: int) -> Logged:
    """Hold the folded log of a part against its system.

    Args:
        unit: The unit of work.
        brief: What is to be done to it.
        history: Its log, folded.
        seq: Its newest entry.
    """
    revisions = {name: unit.revision(name) for name in {c.payload.coating for c in history.coats}}
    zones = tuple(history.as_logged(brief.zones))
    owed = owed_to(steps_of(brief.system, zones, brief.products), history, zones)
    part, changes = brief.version
    return Logged((part, seq, changes), history, brief.system, brief.products, revisions, zones, owed)
