"""The marks on a film's way from wet to cured, and what people call them."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Any

from cool_sheen.core.once import cached_property
from cool_sheen.core.units import Celsius, Micron, Minutes, Percent


class Mode(StrEnum):
    """What drives a film from one mark to the next."""

    SOLVENT = "solvent"
    WATER = "water"
    REACTIVE = "reactive"
    OXIDATIVE = "oxidative"
    MOISTURE = "moisture"
    HEAT = "heat"


# In the usual order; a product may have them in another. The words finish "it is ..." or "ready to ...".
WORDS: dict[str, str] = {
    "flash": "flashed off",
    "dust_free": "dust free",
    "tack_free": "tack free",
    "dew_safe": "dew safe",
    "tape_over": "ready to tape over",
    "unmask": "ready to unmask",
    "turn": "ready to turn",
    "recoat_closes": "past its recoat window",
    "sand": "dry enough to sand",
    "handle": "ready to handle",
    "assemble": "ready to assemble",
    "polish": "ready to polish",
    "full_cure": "fully cured",
}

SURFACE_MARKS = frozenset({"flash", "dust_free", "tack_free"})  # they go by the film of the coat itself


class Basis(StrEnum):
    """What a label's time is for."""

    COAT = "coat"  # one coat of the reference film on something dry
    BUILD = "build"  # the last of the coats that the label recommends, laid as the label lays them
    LAST = "last"  # the last coat, however many lie below it


_DAY_MIN: Minutes = 1440.0
_OF_THE_LAST_COAT = frozenset({"polish"})


def usual_basis(name: str, ref_minutes: Minutes, *, opens: bool, redissolves: bool) -> Basis:
    """What a label's time is for where the label does not say it.

    Args:
        name: The milestone.
        ref_minutes: Its time. [min]
        opens: Whether the next coat may go on from it: the label states it between coats.
        redissolves: Whether a new coat melts into the film below.

    Source: docs/trade.md, Clock: what a label's time means.
    """
    if opens or name in SURFACE_MARKS:
        return Basis.COAT
    if name in _OF_THE_LAST_COAT or (redissolves and ref_minutes >= _DAY_MIN):
        return Basis.LAST
    return Basis.BUILD


DEFAULT_ACTIVATION: dict[Mode, float] = {Mode.SOLVENT: 38, Mode.REACTIVE: 52, Mode.OXIDATIVE: 46, Mode.MOISTURE: 40}
AIR_FACTOR: dict[str, float] = {"still": 0.75, "gentle": 1.0, "booth": 1.25}
HARDENER_FACTOR: dict[str, float] = {"fast": 0.6, "standard": 1.0, "slow": 1.5}
REDUCER_FACTOR: dict[str, float] = {"fast": 0.75, "medium": 1.0, "slow": 1.35, "extra_slow": 1.7}
_SPEED_GOVERNS: dict[Mode, str] = {Mode.REACTIVE: "hardener", Mode.SOLVENT: "reducer"}


@dataclass(frozen=True, slots=True)
class Milestone:
    """One mark of a product: when it is reached at the reference climate and film."""

    name: str
    mode: Mode
    ref_minutes: Minutes
    activation_kj_per_mol: float | None = None
    ref_film_um: Micron | None = None  # the load that the time is for, where it is not the sheet's reference film
    basis: Basis = Basis.COAT
    exponent: float | None = None  # of the film, where the sheet has its own
    least_share: float = 0.5  # of the time of a build, however few of its coats are on
    is_limit: bool = False  # a latest time of the label: no film, no spread, and only warmth moves it


@dataclass(frozen=True)
class DryingData:
    """What the clock needs to know of a product."""

    ref_temp_c: Celsius
    ref_rh_pct: Percent
    ref_wet_film_um: Micron
    milestones: tuple[Milestone, ...]
    stall_temp_c: Celsius | None = None
    min_film_forming_temp_c: Celsius | None = None
    by_kind: tuple[tuple[str, Milestone], ...] = ()  # times after a coat of a kind, such as a mist

    @cached_property
    def _hashed(self) -> int:
        return hash((self.ref_temp_c, self.ref_rh_pct, self.ref_wet_film_um, self.milestones, self.by_kind))

    def __hash__(self) -> int:
        return self._hashed  # every clock is asked for by it

    @classmethod
    def of(cls, sheet: Any) -> "DryingData":
        """Take what the clock needs from a request."""
        return cls(
            ref_temp_c=sheet.ref_temp_c,
            ref_rh_pct=sheet.ref_rh_pct,
            ref_wet_film_um=sheet.ref_wet_film_um,
            milestones=tuple(
                Milestone(m.name, m.mode, m.ref_minutes, m.activation_kj_per_mol) for m in sheet.milestones
            ),
            stall_temp_c=sheet.stall_temp_c,
            min_film_forming_temp_c=sheet.min_film_forming_temp_c,
        )

    def named(self, name: str | None) -> Milestone | None:
        """Return a milestone by its name, or None."""
        return next((m for m in self.milestones if m.name == name), None)

    def after(self, coat_kind: str, milestone: Milestone) -> Milestone:
        """Return what the sheet says of a milestone after a coat of a kind: its own time, where it has one."""
        mine = (m for kind, m in self.by_kind if kind == coat_kind and m.name == milestone.name)
        return next(mine, milestone)


def film_exponent(name: str, mode: Mode) -> float:
    """Power of the film in a milestone's time. [1]

    Source: docs/trade.md, Clock: diffusion through the film (1.5), reaction in it (0.5), evaporation from it (1).
    """
    if name in SURFACE_MARKS:
        return 1.0
    return 1.5 if mode in (Mode.SOLVENT, Mode.WATER) else 0.5


def speed_factor(mode: Mode, hardener_speed: str = "standard", reducer_speed: str = "medium") -> float:
    """Factor on the times of a mode: the hardener governs the reactive ones, the reducer the solvent ones. [1]

    Source: docs/trade.md, Clock.
    """
    governed_by = _SPEED_GOVERNS.get(mode)
    if governed_by == "hardener":
        return HARDENER_FACTOR[hardener_speed]
    return REDUCER_FACTOR[reducer_speed] if governed_by == "reducer" else 1.0
