"""Will it stick, will it lift: one answer, from a table of rules, for everything on everything."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from cool_sheen.core.coatings.families import FAMILIES, GROUNDS, STATES, BelowFamily, Family, Role, State
from cool_sheen.core.coatings.order import OrderRule
from cool_sheen.core.coatings.sheet_fields import Key, Strict, Text
from cool_sheen.core.errors import Inconsistent

Verdict = Literal["good", "care", "no"]
GRAVITY: dict[str, int] = {"good": 0, "care": 1, "no": 2}
Sentence = Annotated[str, Field(min_length=1, max_length=400)]


class Way(Strict):
    """A way out. ``change`` names what one press does to the system; nothing when it is only advice."""

    key: Key
    words: Text
    change: Literal[
        "seal", "prime", "stain_block", "strip", "key", "test", "topcoat", "cover", "abrade", "degrease", "fill_grain",
        "hide", "leave_sanding", "heat", "order", "nothing",
    ] = "nothing"  # fmt: skip


class Rule(Strict):
    """One line of the table. An empty list asks for nothing; ``same`` wants the same family below and above."""

    key: Key
    verdict: Verdict
    reason: Sentence
    source: Text
    below: tuple[str, ...] = ()
    state: tuple[State, ...] = ()
    below_role: tuple[Role, ...] = ()
    over: tuple[str, ...] = ()
    over_role: tuple[Role, ...] = ()
    same: bool = False
    ways: tuple[Key, ...] = ()

    @model_validator(mode="after")
    def _way_out(self) -> Self:
        if self.verdict != "good" and not self.ways:
            raise ValueError(f"rule {self.key} says {self.verdict} and shows no way out")
        return self


@dataclass(frozen=True, slots=True)
class Below:
    """What is there: its family and state; its role when it is a layer of the system."""

    family: BelowFamily
    state: State
    role: Role | None = None


@dataclass(frozen=True, slots=True)
class Over:
    """What goes on."""

    family: Family
    role: Role | None = None


@dataclass(frozen=True, slots=True)
class Answer:
    """The verdict on one thing over another, and the rule that it comes from."""

    verdict: Verdict
    reason: str
    rule: str
    source: str
    ways: tuple[Way, ...]

    @property
    def cited(self) -> str:
        """The reason, with its rule."""
        return f"{self.reason} [rule {self.rule}: {self.source}]"


@dataclass(frozen=True, eq=False)
class RuleTable:
    """Rules in order: the first that fits decides. The last one fits everything."""

    rules: tuple[Rule, ...]
    ways: dict[str, Way]
    order: tuple[OrderRule, ...] = ()

    def __post_init__(self) -> None:
        """Check the table whole. Raises Inconsistent with everything that is wrong in it."""
        known = {*FAMILIES, *GROUNDS}
        wrong = [f"{r.key} names {name}" for r in self.rules for name in (*r.below, *r.over) if name not in known]
        wrong += [f"{r.key} names the way {way}" for r in self.rules for way in r.ways if way not in self.ways]
        keys = [r.key for r in self.rules]
        wrong += [f"{key} stands twice" for key in sorted({k for k in keys if keys.count(k) > 1})]
        last = self.rules[-1] if self.rules else None
        if last is None or last.below or last.over or last.state or last.same or last.verdict != "care":
            wrong.append("the last rule must fit everything, with care")
        if wrong:
            raise Inconsistent("The compatibility table is not sound: " + "; ".join(wrong) + ".")

    @classmethod
    def of(cls, rules: Iterable[Rule], ways: Iterable[Way], order: Iterable[OrderRule] = ()) -> Self:
        """Make a table. Raises Inconsistent."""
        return cls(tuple(rules), {way.key: way for way in ways}, tuple(order))

    def judge(self, below: Below, over: Over) -> Answer:
        """Say whether one thing may go over another.

        Args:
            below: What is there.
            over: What goes on.

        Returns: Always an answer with its reason; what no rule decides is ``care``, with a test first.
        Source: docs/trade.md, Compatibility: the rule table; each rule says which sentence it stands for.
        """
        rule = next(r for r in self.rules if _fits(r, below, over))
        return Answer(rule.verdict, rule.reason, rule.key, rule.source, tuple(self.ways[w] for w in rule.ways))


def _fits(rule: Rule, below: Below, over: Over) -> bool:
    asked = (
        (rule.below, below.family),
        (rule.state, below.state),
        (rule.over, over.family),
        (rule.below_role, below.role),
        (rule.over_role, over.role),
    )
    return all(not wanted or found in wanted for wanted, found in asked) and (
        not rule.same or below.family == over.family
    )


def every_pair(roles: Sequence[Role | None] = (None,)) -> list[tuple[Below, Over]]:
    """Return every family in every state under every family, in each of these roles."""
    return [
        (Below(family, state), Over(over, role))  # type: ignore[arg-type]
        for family in (*FAMILIES, *GROUNDS)
        for state in STATES
        for over in FAMILIES
        for role in roles
    ]
