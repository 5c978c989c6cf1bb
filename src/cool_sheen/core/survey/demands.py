"""What a finding of the survey demands: a layer, a key or a cleaning, until it is there or refused in words."""

from collections.abc import Mapping, Sequence
from typing import Annotated, Literal

from pydantic import Field

from cool_sheen.core.coatings.families import Ground, Role
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Key, Strict, Text
from cool_sheen.core.coatings.systems import Layer, StepKind, System
from cool_sheen.core.survey.zones import ZoneFacts

Sentence = Annotated[str, Field(min_length=1, max_length=400)]


class Demand(Strict):
    """What must be there after a finding.

    It is met by a layer of one of ``families`` and ``roles`` on the zone, or by ``times`` steps of one of the kinds
    ``prepare``. ``of_film``: it goes when the film goes; ``grounds`` and ``under`` say where it asks at all.
    """

    key: Key
    verdict: Literal["care", "no"]
    title: Text
    reason: Sentence
    source: Text
    families: tuple[str, ...] = ()
    roles: tuple[Role, ...] = ()
    prepare: tuple[StepKind | Literal["sand"], ...] = ()
    times: Annotated[int, Field(ge=1, le=5)] = 1
    of_film: bool = True
    grounds: tuple[Ground, ...] = ()
    under: tuple[Role, ...] = ()
    ways: Annotated[tuple[Key, ...], Field(min_length=1)]

    def asks(self, zone: ZoneFacts, chain: Sequence[Layer]) -> bool:
        """Whether it asks anything of a zone that gets these layers."""
        if (self.of_film and zone.bare) or (self.grounds and zone.ground not in self.grounds):
            return False
        return bool(chain) and (not self.under or any(layer.role in self.under for layer in chain))

    def met(self, system: System, chain: Sequence[Layer], sheets: Mapping[str, Product]) -> bool:
        """Whether a system has what it asks for, on a zone that gets these layers."""
        done = sum(step.kind in self.prepare for step in system.prepare)
        if self.prepare and done >= self.times:
            return True
        if not self.families and not self.roles:
            return False
        return any(
            (not self.families or sheets[layer.product].family in self.families)
            and (not self.roles or layer.role in self.roles)
            for layer in chain
        )
