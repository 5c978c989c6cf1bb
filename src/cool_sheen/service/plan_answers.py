"""What would help a plan, and what it costs to wait: asked for, worked out in a process of its own, kept while true."""

from datetime import timedelta
from pathlib import Path
from threading import Lock
from typing import Annotated, Any
from uuid import UUID

from pydantic import AwareDatetime, BaseModel, ConfigDict, Field

from cool_sheen.service.apart import Apart, Told
from cool_sheen.service.kept_plans import Kept
from cool_sheen.service.part_now import live_mark
from cool_sheen.service.unit import Refused, Unit, Workshop

STARTS: dict[str, tuple[str, timedelta]] = {
    "0": ("begun as planned", timedelta(0)),
    "2": ("nothing is done for two hours", timedelta(hours=2)),
    "24": ("begun a day later", timedelta(days=1)),
    "48": ("two days later", timedelta(days=2)),
    "72": ("three days later", timedelta(days=3)),
    "120": ("five days later", timedelta(days=5)),
    "168": ("a week later", timedelta(days=7)),
}
SECONDS = 60.0
_WAYS = "ways"


class _Said(BaseModel):
    model_config = ConfigDict(extra="forbid")


class WaySaid(_Said):
    """A change, and what comes of the plan with it; ``begins`` says when each step of a part does."""

    key: str
    words: str
    ends: AwareDatetime | None
    sooner: timedelta | None
    keyings: int
    frees: int
    begins: dict[str, AwareDatetime]

    def begins_step(self, part: UUID | None, step: str) -> AwareDatetime | None:
        """When a step begins by it; None where it has it no more."""
        return self.begins.get(f"{part} {step}")


class WeakSaid(_Said):
    """A coat that holds in fewer worlds than others."""

    label: str
    part: UUID | None
    start: AwareDatetime
    share: Annotated[float, Field(ge=0, le=1)]


class StartSaid(_Said):
    """The plan begun at another time: what comes of it, and how likely it holds."""

    key: str
    words: str
    begins: AwareDatetime
    ends: AwareDatetime | None
    keyings: int
    chance: float
    finish: tuple[AwareDatetime, AwareDatetime, AwareDatetime] | None
    hands_on_h: float
    weakest: tuple[WeakSaid, ...] = ()


class Answer(_Said):
    """All of it."""

    ways: tuple[WaySaid, ...] = ()
    starts: tuple[StartSaid, ...] = ()


class Question:
    """What is being worked out, or was: the newest alone. ``answer`` is None until it is there."""

    def __init__(self, mark: Any) -> None:
        self.mark = mark
        self.apart: Apart | None = None
        self.done = self.of = 0  # plans that are laid out, of how many
        self.answer: Answer | None = None
        self.failed = self.stopped = self.is_over = False

    @property
    def share(self) -> float:
        """How far it is. [0 to 1]"""
        return self.done / self.of if self.of else 0.0

    def hear(self, line: Told) -> None:
        """Take note of what was told."""
        if "answer" in line:
            self.answer = Answer.model_validate(line["answer"])
        self.done, self.of = line["done"], line["of"]

    def over(self, went_well: bool) -> None:
        """Take note that nothing more will come."""
        self.stopped = self.apart is not None and self.apart.stopped
        self.failed, self.is_over = self.answer is None, True


_asking = Lock()


def question_of(unit: Unit, plan: Kept, *, again: bool = False) -> Question:
    """Return what is known of what would help a plan; it is asked for when nobody did since something changed.

    Args:
        unit: The unit of work.
        plan: The plan.
        again: Whether to ask again what could not be answered, or was stopped.
    """
    workshop, mark = unit.workshop, (plan.uuid, live_mark(unit))
    with _asking:
        there: Question | None = workshop.searches.get(_WAYS)
        if there is not None and there.mark == mark and not (there.failed and again):
            return there
        if there is not None and there.apart is not None and not there.is_over:
            there.apart.stop()
        question = workshop.searches[_WAYS] = Question(mark)
        question.apart = Apart(
            "ways", plan.asked.model_dump(mode="json"), file=Path(str(workshop.engine.url.database)), now=unit.now,
            seconds=SECONDS, hear=question.hear, over=question.over,
        )  # fmt: skip
    return question


def stop_asking(workshop: Workshop) -> None:
    """Let whatever is worked out be. Raises Refused: nothing is."""
    question = asked_now(workshop)
    if question is None or question.apart is None or question.is_over:
        raise Refused("Nothing is being worked out.", status=409)
    question.apart.stop()


def asked_now(workshop: Workshop) -> Question | None:
    """Return what is being worked out, or was; None where nobody asked."""
    found: Question | None = workshop.searches.get(_WAYS)
    return found
