"""Entries about a film that was looked over: readings, marks, what is accepted, what went wrong, its mending."""

from typing import Annotated, ClassVar, Literal, Self
from uuid import UUID

from pydantic import Field, model_validator

from cool_sheen.core.coatings.sheet_fields import Strict
from cool_sheen.core.log.said import Amount, Grown, ShortText


class FilmReadingPayload(Grown):
    """Film gauge readings, wet or dry: ``places`` says where each was taken, ``coat`` whose film it was while wet."""

    _GROWN: ClassVar[tuple[str, ...]] = ("places", "coat")

    kind: Literal["film_reading"] = "film_reading"
    state: Literal["wet", "dry"]
    readings_um: Annotated[tuple[Amount, ...], Field(min_length=1, max_length=1000)]
    places: Annotated[tuple[ShortText, ...], Field(max_length=1000)] = ()
    coat: UUID | None = None


MarkWhat = Literal["thin", "defect", "hose", "fibres", "support", "other"]


MARK_WORDS: dict[str, str] = {
    "thin": "thin place", "defect": "defect", "hose": "touched by hose or hand", "fibres": "loose fibres",
    "support": "mark of a support", "other": "something else",
}  # fmt: skip
BECAUSE_WORDS: dict[str, str] = {
    "distance": "it does not show from where it is seen", "coats_to_come": "coats to come cover it",
    "time": "there is no time for it", "other": "for a reason of its own",
}  # fmt: skip


class MarkPayload(Grown):
    """A place that was marked at a look over a zone: what is there, and where, in words and on the zone's outline.

    ``defect`` is a key of the defect table; ``x`` and ``y`` are shares of the outline, from its upper left corner: that
    of ``photo``, where it was put on one.
    """

    _GROWN: ClassVar[tuple[str, ...]] = ("photo",)

    kind: Literal["mark"] = "mark"
    what: MarkWhat
    defect: ShortText = ""
    where: ShortText = ""
    x: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] | None = None
    y: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] | None = None
    photo: UUID | None = None


class AcceptPayload(Strict):
    """Marks, or readings, that stay as they are: the entry's reason says why, in words.

    ``seen_from_m`` is from how far it will be looked at, where that is the reason. [m]
    """

    kind: Literal["accept"] = "accept"
    marks: Annotated[tuple[UUID, ...], Field(min_length=1, max_length=100)]
    because: Literal["distance", "coats_to_come", "time", "other"] = "other"
    seen_from_m: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)] | None = None


class MendStep(Strict):
    """One step of a branch. A wait has minutes, a sanding its grit, a coat its layer, a step of one's own its words."""

    does: Literal["wait", "sand", "feather", "coat", "wipe", "degrease", "fill", "polish", "inspect", "own"]
    minutes: Annotated[float, Field(gt=0, le=60_480, allow_inf_nan=False)] | None = None
    grit: Annotated[str, Field(pattern=r"^[PC]\d{2,4}$")] | None = None
    wet: bool = False
    layer_id: ShortText = ""
    wet_film_um: Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)] | None = None
    words: ShortText = ""

    @model_validator(mode="after")
    def _whole(self) -> Self:
        wants = {
            "wait": self.minutes,
            "sand": self.grit,
            "feather": self.grit,
            "coat": self.layer_id,
            "own": self.words,
        }
        if not wants.get(self.does, True):
            raise ValueError(f"a step that says {self.does} says how long, with what, or what is done")
        return self


class MishapPayload(Strict):
    """Something went wrong on some zones: the steps that mend it there alone; ``marks`` are those that it mends."""

    kind: Literal["mishap"] = "mishap"
    defect: ShortText = ""
    words: ShortText = ""
    steps: Annotated[tuple[MendStep, ...], Field(min_length=1, max_length=20)]
    marks: Annotated[tuple[UUID, ...], Field(max_length=100)] = ()


class JudgementPayload(Strict):
    """One's own word on whether enough of a layer stands for the sanding to come; if not, it gets another coat."""

    kind: Literal["judgement"] = "judgement"
    layer_id: ShortText
    grit: Annotated[str, Field(pattern=r"^[PC]\d{2,4}$")]
    enough: bool
    by_ledger: bool | None = None  # what the ledger said when it was asked
