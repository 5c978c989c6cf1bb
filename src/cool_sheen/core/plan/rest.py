"""The rest of a part's work laid along time: everything that the account places, from the first to the last."""

from dataclasses import dataclass, field
from datetime import datetime

from cool_sheen.core.part.placed import Planned, Stuck, Wait
from cool_sheen.core.part.placing import place_all
from cool_sheen.core.part.situation import Situation


@dataclass(frozen=True, slots=True)
class Rest:
    """The steps that could be placed; ``stuck`` says why the rest could not, and ``held`` what held them."""

    steps: list[Planned] = field(default_factory=list)
    stuck: str = ""
    held: Wait = Wait.NOTHING

    @property
    def ends(self) -> datetime | None:
        """When the last step ends; None when not all could be placed."""
        return max(p.end for p in self.steps) if self.steps and not self.stuck else None

    @property
    def keyings(self) -> int:
        """How many windows would close before their coat: keys and fresh coats that were put in."""
        return sum(p.opens_again for p in self.steps)


def rest_of(situation: Situation) -> Rest:
    """Lay out everything that is owed to a part.

    Args:
        situation: The part as it stands at this moment.

    Returns: Steps with start and end, up to the one that has no time.
    """
    steps: list[Planned] = []
    try:
        for planned in place_all(situation):
            steps.append(planned)
    except Stuck as stuck:
        return Rest(steps, str(stuck), stuck.wait)
    return Rest(steps)
