"""What a zone offers to its first coat: tests read from the top down, and what was stripped is out of them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal

from cool_sheen.core.coatings.compatibility import Below
from cool_sheen.core.coatings.families import BELOW_WORDS, STATE_WORDS, BelowFamily, State
from cool_sheen.core.survey.zones import ZoneFacts, gone_off
from cool_sheen.core.units import Hours

# How deep a strip went: as the survey says of the zone, a number of films, to sound film, to the substrate.
StripDepth = Literal["", "1", "2", "3", "4", "sound", "substrate"]
# The softest first: what strong solvents lift decides what may go on; nobody's guess is softer than any.
SOFTEST_FIRST: tuple[BelowFamily, ...] = (
    "unknown", "lacquer", "dope", "shellac", "casein_paint", "acrylic_water", "basecoat_solvent", "basecoat_water",
    "stain_solid", "primer_1k", "enamel_1k", "acid_etch", "membrane", "filler_polyester", "polyester_2k", "gel_coat",
    "filler_epoxy", "urethane_2k", "epoxy_2k", "high_heat",
)  # fmt: skip
WORST_FIRST: tuple[State, ...] = ("failing", "unknown", "locked", "weathered", "open", "cured", "keyed", "bare")
_SOFTENS = frozenset(SOFTEST_FIRST[1 : SOFTEST_FIRST.index("membrane")])  # by strong solvents
_LETS_GO: tuple[State, ...] = ("failing", "weathered", "unknown")
DEPTH_WORDS = ("on top", "one film down", "two films down", "three films down", "four films down")


@dataclass(frozen=True, slots=True)
class Evidence:
    """What a survey test or an own check said of a zone: ``depth`` films down, from the top as it was then.

    ``key`` is the test's, for what it asks for: the latest word of a test at a depth counts.
    """

    test: str
    at: datetime
    family: BelowFamily | None = None
    state: State | None = None
    depth: int = 0
    key: str = ""
    demands: tuple[str, ...] = ()
    swatch: str = ""
    came_up: bool = False  # what lay over it was stripped: nobody has spoken of it as the film on top


@dataclass(frozen=True, slots=True)
class Strip:
    """A zone was stripped."""

    at: datetime
    depth: StripDepth


@dataclass(frozen=True, slots=True)
class Found:
    """What is below, and from what that follows."""

    below: Below
    why: str

    @property
    def words(self) -> str:
        """It in words, such as ``one-pack enamel, weathered``."""
        family = BELOW_WORDS[self.below.family]
        return family if self.below.state == "bare" else f"{family}, {STATE_WORDS[self.below.state]}"


@dataclass(slots=True)
class _Film:
    """One film below, as its tests say: the latest word on its family and on its state."""

    family: BelowFamily | None = None
    state: State | None = None
    test: str = ""
    came_up: bool = False


def that_stay(evidence: Iterable[Evidence], strips: Iterable[Strip]) -> list[Evidence]:
    """Read tests as of now: what was stripped since is out of them, and what lay below it has come up.

    Args:
        evidence: Test results of a zone, in order of time.
        strips: What was stripped off it, in order of time.

    Returns: The tests of the films that are still there, each with its depth from the top as it is now.
    Source: docs/trade.md, Survey.
    """
    kept = list(evidence)
    for strip in strips:
        before = [e for e in kept if e.at <= strip.at]
        gone = _films_off(before, strip.depth)
        up = [replace(e, depth=e.depth - gone, came_up=e.came_up or gone > 0) for e in before if e.depth >= gone]
        kept = [*up, *(e for e in kept if e.at > strip.at)]
    return kept


def as_stripped(zone: ZoneFacts, strips: Iterable[Strip]) -> ZoneFacts:
    """Return what is to be said of a zone after it was stripped.

    Args:
        zone: What the survey says.
        strips: What was stripped off it, in order of time.
    """
    for strip in strips:
        if strip.depth == "substrate" or (not strip.depth and zone.strip == "substrate"):
            since = max(strip.at, zone.bare_since or strip.at)
            zone = replace(zone, strip="substrate", bare_since=since)
        elif strip.depth == "sound":
            zone = replace(zone, strip="sound")
        elif strip.depth:  # nobody has spoken of the film that came up
            zone = replace(zone, old_finish="unknown", old_state="unknown", word_of_another=False)
    return zone


def _films_off(before: Sequence[Evidence], depth: StripDepth) -> int:
    """How many of the films that were tested a strip took off."""
    if depth.isdigit():
        return int(depth)
    if depth == "substrate":
        return 1 + max((e.depth for e in before), default=0)
    if depth == "sound":
        return _stripped_to_sound(_films(before))
    return 0


def _to_sound(films: dict[int, _Film]) -> int:
    """How many films lie above the first that is sound all the way down, by the tests; 0 without one below."""
    return _above_the_good([depth for depth, film in films.items() if film.state in _LETS_GO], films)


def _stripped_to_sound(films: dict[int, _Film]) -> int:
    """How many films a strip to sound film took: what solvents soften goes, too, over a film that they leave alone."""
    softens = [depth for depth, film in films.items() if film.family in _SOFTENS or film.state in _LETS_GO]
    return _above_the_good(softens, films) or _to_sound(films)


def _above_the_good(bad: Sequence[int], films: dict[int, _Film]) -> int:
    return 1 + max(bad) if bad and max(films) > max(bad) else 0


def _films(evidence: Iterable[Evidence]) -> dict[int, _Film]:
    """What is known of each film, by its depth: a later word beats an earlier one."""
    films: dict[int, _Film] = {}
    for one in evidence:
        if one.family or one.state:
            film = films.setdefault(one.depth, _Film())
            film.family, film.state = one.family or film.family, one.state or film.state
            deep = f", {DEPTH_WORDS[min(one.depth, 4)]}" if one.depth else ""
            film.came_up = one.came_up
            film.test = f"by the {one.test.replace('_', ' ')}{deep}"
    return films


def what_is_below(
    zone: ZoneFacts, evidence: Sequence[Evidence], *, keyed: bool = False, bare_h: Hours | None = None
) -> Found:
    """Say what a zone offers to the first coat.

    Args:
        zone: What the survey says.
        evidence: Tests of the films that are there, in order of time.
        keyed: Whether the preparation abrades what is there.
        bare_h: How long bare metal has stood since it was abraded. [h]

    Returns: Family and state. A test beats a word, a later test an earlier one; of several films the softest decides
        the family and the worst the state. Somebody else's word alone is ``unknown``: it stays a claim until the
        refinisher's own check. Bare metal that stood too long is ``weathered``.
    Source: docs/trade.md, Survey.
    """
    if zone.bare:
        if gone_off(zone.ground, bare_h):
            return Found(Below(zone.ground, "weathered"), f"bare for {_hours(bare_h or 0)} without being abraded again")
        return Found(Below(zone.ground, "bare"), "the substrate shows")
    films = _films(evidence)
    gone = _to_sound(films) if zone.strip == "sound" else 0
    films = {depth - gone: film for depth, film in films.items() if depth >= gone}
    top = films.setdefault(0, _Film())
    told = _told(zone, uncovered=gone > 0 or top.came_up)
    top.family, top.state, top.test = top.family or told.family, top.state or told.state, top.test or told.test
    softest = min(films.values(), key=lambda f: SOFTEST_FIRST.index(f.family) if f.family else len(SOFTEST_FIRST))
    worst = min(films.values(), key=lambda f: WORST_FIRST.index(f.state) if f.state else len(WORST_FIRST))
    family, state = softest.family or "unknown", worst.state or "unknown"
    why = "; ".join(dict.fromkeys((softest.test, worst.test) if state in _LETS_GO else (softest.test,)))
    if zone.strip == "sound" and state in _LETS_GO and family != "unknown":
        state, why = "cured", f"stripped to sound film; {why}"
    if state in ("cured", "open") and (keyed or zone.strip == "keyed"):
        state, why = "keyed", f"keyed in the preparation; {why}"
    elif state in ("cured", "open") and _is_matt(evidence):
        state, why = "keyed", f"matt by its gloss test, so it gives hold; {why}"
    return Found(Below(family, state), why)


def _is_matt(evidence: Sequence[Evidence]) -> bool:
    """Whether the film on top was found matt: the latest gloss test of it asks for no key."""
    gloss = [one for one in evidence if one.key == "gloss" and one.depth == 0]
    return bool(gloss) and not gloss[-1].demands


def _told(zone: ZoneFacts, *, uncovered: bool) -> _Film:
    """The film on top by what was said of it; one that came up from below was never spoken of."""
    if uncovered:
        return _Film(None, None, "")
    if zone.word_of_another:
        return _Film("unknown", "unknown", "somebody else's word, not checked yet")
    return _Film(zone.old_finish, zone.old_state, "as the survey says")  # type: ignore[arg-type]  # checked on the way in


def _hours(hours: Hours) -> str:
    return f"{hours:.0f} h" if hours < 48 else f"{hours / 24:.0f} days"


def asked_by(evidence: Sequence[Evidence]) -> dict[str, str]:
    """Return what tests ask for: keys of demands, each with the test that asks; the latest word at each depth counts.

    Args:
        evidence: Tests of the films that are there, in order of time.
    """
    latest = {(one.key or one.test, one.depth): one for one in evidence}
    return {demand: one.test for one in latest.values() for demand in one.demands}


def colour_below(zone: ZoneFacts, evidence: Sequence[Evidence]) -> str:
    """Return the colour of the old finish on top, as it was seen; nothing on bare ground or where nobody said."""
    seen = [one.swatch for one in evidence if one.swatch and one.depth == 0]
    return seen[-1] if seen and not zone.bare else ""
