"""Notes that come back: when the same product, kind of part, substrate, space or air returns, at the step they help."""

from dataclasses import dataclass
from datetime import datetime
from typing import Annotated, ClassVar, Literal
from uuid import UUID

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Share
from cool_sheen.core.log.said import Grown, ShortText
from cool_sheen.core.units import Celsius, Kelvin, Percent

SUCH_AIR_K: Kelvin = 3.0  # air that is that close is such air
SUCH_AIR_PCT: Percent = 15.0
Moment = Literal["any", "prepare", "sand", "mix", "coat", "inspect", "heat", "finish"]
MOMENT_WORDS: dict[str, str] = {
    "any": "at every step", "prepare": "while preparing", "sand": "when sanding", "mix": "when mixing",
    "coat": "when coating", "inspect": "when inspecting", "heat": "when heating", "finish": "when finishing",
}  # fmt: skip
# At which moment each step is; a mix is made for the coat that is next.
_MOMENTS: dict[str, tuple[str, ...]] = {
    "prepare": ("wash", "degrease", "strip", "fill", "wipe", "mask", "tack", "test_patch", "degloss"),
    "sand": ("sand", "degloss"),
    "mix": ("mix", "coat"),
    "coat": ("coat", "touch_test", "turn", "broadcast"),
    "inspect": ("inspect",),
    "heat": ("bake",),
    "finish": ("unmask", "polish", "decals", "assemble", "sweep"),
}


class NextTimePayload(Grown):
    """A note for the next time. What is given has to be the same again; all of it, where several are given.

    Attributes:
        text: The note.
        moment: At which work it helps.
        product: The key of a product.
        part_kind: The shop's own word for the kind of part.
        substrate: What the part is made of.
        space: Where it stood.
        air_temp_c: The air then, where such air has to return. [C]
        rh_pct: Its humidity. [%]
    """

    _GROWN: ClassVar[tuple[str, ...]] = ()

    kind: Literal["next_time"] = "next_time"
    text: Annotated[str, Field(min_length=1, max_length=400)]
    moment: Moment = "any"
    product: ShortText = ""
    part_kind: ShortText = ""
    substrate: ShortText = ""
    space: UUID | None = None
    air_temp_c: Annotated[float, Field(ge=-100, le=200)] | None = None
    rh_pct: Share | None = None


@dataclass(frozen=True, slots=True)
class Here:
    """What a part is, where it stands, and what is next on it.

    Attributes:
        does: The kind of the step that is next; ``mix`` at the mixing bench.
        product: The key of the product that is on top, or goes on; empty where none does.
        part_kind: The shop's own word for it.
        substrate: What it is made of.
        space: Where it stands; None where that does not matter.
        air_temp_c: The air there. [C]
        rh_pct: Its humidity. [%]
    """

    does: str
    product: str = ""
    part_kind: str = ""
    substrate: str = ""
    space: UUID | None = None
    air_temp_c: Celsius | None = None
    rh_pct: Percent | None = None


@dataclass(frozen=True, slots=True)
class NextTime:
    """A note that stands: what it says, and of which part and when it was written."""

    uuid: UUID
    at: datetime
    said: NextTimePayload
    part: UUID | None = None
    person: str = ""


def returns(said: NextTimePayload, here: Here) -> bool:
    """Whether a note comes back here and now: it helps with this step, and all that has to be the same is.

    Source: docs/trade.md, Next time.
    """
    if said.moment != "any" and here.does not in _MOMENTS[said.moment]:
        return False
    wanted = (
        (said.product, here.product),
        (said.part_kind.casefold(), here.part_kind.casefold()),
        (said.substrate, here.substrate),
        (said.space, here.space),
    )
    return all(not then or then == now for then, now in wanted) and _such_air(said, here)


def _such_air(said: NextTimePayload, here: Here) -> bool:
    near = (
        (said.air_temp_c, here.air_temp_c, SUCH_AIR_K),
        (said.rh_pct, here.rh_pct, SUCH_AIR_PCT),
    )
    return all(then is None or (now is not None and abs(then - now) <= most) for then, now, most in near)
