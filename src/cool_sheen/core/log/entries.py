"""What may be written into the log. An entry is never changed: it can only be voided by a later one."""

import hashlib
import json
from datetime import datetime
from typing import Annotated, Any, ClassVar, Literal, Self
from uuid import UUID

from pydantic import (
    AwareDatetime,
    Field,
    TypeAdapter,
    model_validator,
)

from cool_sheen.core.climate.sky import MOST_RAIN_MM_PER_H, MOST_WIND_M_PER_S
from cool_sheen.core.coatings.sheet_fields import Share, Strict, TouchHow
from cool_sheen.core.coatings.systems import CoatKind, StepKind
from cool_sheen.core.log.cups import BatchEndPayload, BatchPayload, PourPayload, ViscosityPayload
from cool_sheen.core.log.looked import AcceptPayload, FilmReadingPayload, JudgementPayload, MarkPayload, MishapPayload
from cool_sheen.core.log.next_time import NextTimePayload
from cool_sheen.core.log.said import Amount, Blended, Grown, LongText, ShortText
from cool_sheen.core.log.spent import HoursPayload
from cool_sheen.core.survey.below import StripDepth

SeenTo = Annotated[tuple[ShortText, ...], Field(max_length=12)]  # what was asked to be seen to with a step


class Promise(Grown):
    """What the screen said when the button was pressed, and the air by which it said so. [°C, %]"""

    _GROWN: ClassVar[tuple[str, ...]] = ("air_temp_c", "rh_pct")

    phase: ShortText = ""
    opens: AwareDatetime | None = None
    closes: AwareDatetime | None = None
    air_temp_c: Annotated[float, Field(ge=-100, le=200, allow_inf_nan=False)] | None = None
    rh_pct: Share | None = None


class CoatPayload(Blended):
    """One coat has ended now: a stripe coat, a mist coat and a full one alike. A pass is not a coat."""

    kind: Literal["coat"] = "coat"
    layer_id: ShortText
    coat_kind: CoatKind = "full"
    counts: bool = True
    started_at: AwareDatetime | None = None
    coating: ShortText
    hardener: ShortText | None = None
    reducer: ShortText | None = None
    batch: UUID | None = None
    volume_solids_pct: Share
    wet_film_um: Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)]
    wet_film_measured_um: Annotated[float, Field(gt=0, le=20_000, allow_inf_nan=False)] | None = None
    method: Literal["hvlp", "conventional", "airless", "aerosol", "brush", "roller"] = "hvlp"
    air_movement: Literal["still", "gentle", "booth"] = "gentle"
    space: UUID | None = None
    gun: dict[ShortText, ShortText] | None = None
    litres: Amount | None = None
    promised: Promise | None = None
    ticked: SeenTo = ()
    unticked: SeenTo = ()
    paused_min: Amount | None = None  # between start and end, when it was worked piece by piece

    _GROWN: ClassVar[tuple[str, ...]] = (*Blended._GROWN, "ticked", "unticked", "paused_min")

    @property
    def film_um(self) -> float:
        """The wet film that was measured, else the one that was planned. [um]"""
        return self.wet_film_measured_um or self.wet_film_um


SandMethod = Literal["hand", "block", "long_board", "orbital", "orbital_soft", "pad"]
SAND_METHOD_WORDS: dict[str, str] = {
    "block": "block", "long_board": "long board", "hand": "by hand", "orbital": "orbital",
    "orbital_soft": "orbital with a soft pad", "pad": "pad",
}  # fmt: skip
SAND_TICKS = ("rinsed", "no drag left", "guide coat gone")  # the stop signs of a rung


class SandPayload(Grown):
    """One grit over a zone. ``break_through`` says where it went through, ``shows`` the layer that shows there.

    ``ticked`` is what was seen to before the next rung: rinsed, no drag left, guide coat gone.
    """

    _GROWN: ClassVar[tuple[str, ...]] = ("shows", "ticked", "unticked")

    kind: Literal["sand"] = "sand"
    layer_id: ShortText | None = None
    grit: Annotated[str, Field(pattern=r"^[PC]\d{2,4}$")]
    wet: bool = False
    method: SandMethod = "block"
    minutes: Amount | None = None
    removal_um: Amount = 0
    measured: bool = False
    break_through: ShortText | None = None
    shows: ShortText = ""
    ticked: SeenTo = ()
    unticked: SeenTo = ()


class StepPayload(Grown):
    """A step that leaves no more behind than that it was done, and what was ticked with it."""

    kind: StepKind
    minutes: Amount | None = None
    metal_temp_c: Annotated[float, Field(ge=-50, le=1200, allow_inf_nan=False)] | None = None
    note: LongText | None = None
    ticked: SeenTo = ()
    unticked: SeenTo = ()
    stripped: StripDepth = ""  # how deep, where the step is a strip; empty: as the survey says of each zone
    not_passed: bool = False  # it was looked at, and did not pass: the step stays owed

    _GROWN: ClassVar[tuple[str, ...]] = ("ticked", "unticked", "stripped", "not_passed")


class TouchTestPayload(Grown):
    """A film was touched: ready for this milestone, or not. ``others`` are coats that were touched with it.

    ``asked_at`` is when the screen said "go and test"; ``alone`` a test so far from it that it was asked back: it
    counts for its coat, and teaches nothing.
    """

    _GROWN: ClassVar[tuple[str, ...]] = ("others", "asked_at", "alone")

    kind: Literal["touch_test"] = "touch_test"
    coat: UUID
    milestone: ShortText
    ready: bool
    how: TouchHow = "thumb_on_tape"
    others: Annotated[tuple[UUID, ...], Field(max_length=40)] = ()
    asked_at: AwareDatetime | None = None
    alone: bool = False

    @property
    def coats(self) -> tuple[UUID, ...]:
        """Every coat that was touched."""
        return (self.coat, *self.others)


class SkipPayload(Strict):
    """Steps that are not done, in words; the entry's ``reason`` says why, its targets for which zones."""

    kind: Literal["skip"] = "skip"
    steps: Annotated[tuple[ShortText, ...], Field(min_length=1, max_length=200)]
    words: LongText


class MovePayload(Strict):
    """The part stands in another space, or at another place of it, from now on."""

    kind: Literal["move"] = "move"
    space: UUID
    place: ShortText | None = None


class VoidPayload(Strict):
    """An entry is taken back; the entry's ``voids`` says which."""

    kind: Literal["void"] = "void"


class BeginPayload(Strict):
    """Work on a piece begins, or goes on after a pause: a zone of the coat in hand."""

    kind: Literal["begin"] = "begin"
    layer_id: ShortText


class PausePayload(Strict):
    """Work on these targets rests, until it is begun again."""

    kind: Literal["pause"] = "pause"
    until: AwareDatetime | None = None


class OverridePayload(Strict):
    """Something was done against the advice; the entry's ``reason`` says why."""

    kind: Literal["override"] = "override"
    rule: ShortText
    verdict: ShortText = ""


class StampPayload(Strict):
    """A gate that cannot be undone was passed: stirred, colour checked, floor damped; of a batch, when it names one."""

    kind: Literal["stamp"] = "stamp"
    gate: ShortText
    batch: UUID | None = None
    space: UUID | None = None


class ClimateReadingPayload(Grown):
    """A typed reading of the air in a space; the surface is that of the part that the entry is about.

    Outdoors also what was seen of the sky: wind and rain, and how much of it is covered; nought is a sighting, too.
    """

    kind: Literal["climate_reading"] = "climate_reading"
    space: UUID
    air_temp_c: Annotated[float, Field(ge=-100, le=200)]
    rh_pct: Share
    surface_temp_c: Annotated[float, Field(ge=-100, le=200)] | None = None
    sky: "SkySeen | None" = None

    _GROWN: ClassVar[tuple[str, ...]] = ("sky",)


class SkySeen(Strict):
    """What somebody saw of the sky; None where nothing was said."""

    wind_m_per_s: Annotated[float, Field(ge=0, le=MOST_WIND_M_PER_S, allow_inf_nan=False)] | None = None
    rain_mm_per_h: Annotated[float, Field(ge=0, le=MOST_RAIN_MM_PER_H, allow_inf_nan=False)] | None = None
    cloud_pct: Share | None = None


class DoorPayload(Strict):
    """The doors of a space were opened, or shut: open, it follows the weather."""

    kind: Literal["door"] = "door"
    space: UUID
    open: bool


class DefectPayload(Strict):
    """Something went wrong; a key of the defect table, and how bad."""

    kind: Literal["defect"] = "defect"
    defect: ShortText
    extent: ShortText = ""
    note: LongText | None = None


class CausePayload(Strict):
    """Which cause a defect had, once it was found: keys of the defect's causes."""

    kind: Literal["cause"] = "cause"
    defect: ShortText
    cause: ShortText
    note: ShortText = ""


class SurveyTestPayload(Grown):
    """A survey test was made: a result of the test table, with its figure where one was read.

    ``films_down`` is how many films were taken off for it; ``held_h`` how long it was held, None for the double rubs.
    """

    _GROWN: ClassVar[tuple[str, ...]] = ("films_down", "held_h")

    kind: Literal["survey_test"] = "survey_test"
    test: ShortText
    result: ShortText
    reading: Annotated[float, Field(allow_inf_nan=False)] | None = None
    depth: ShortText = ""
    note: LongText | None = None
    films_down: Annotated[int, Field(ge=0, le=4)] = 0
    held_h: Annotated[float, Field(gt=0, le=96, allow_inf_nan=False)] | None = None


class ClaimPayload(Strict):
    """Somebody else says that a preparation was done: a claim, until the refinisher's own check."""

    kind: Literal["claim"] = "claim"
    says: StepKind | Literal["sand"]
    grit: Annotated[str, Field(pattern=r"^[PC]\d{2,4}$")] | None = None
    whose: Annotated[str, Field(min_length=1, max_length=80)]


class CheckPayload(Strict):
    """The refinisher looked at a claim: it holds, or it does not."""

    kind: Literal["check"] = "check"
    claim: UUID
    holds: bool


class RetimePayload(Grown):
    """The time of another entry is put right: it ended then. ``batch`` is that of the entry, where it has one."""

    _GROWN: ClassVar[tuple[str, ...]] = ("batch",)

    kind: Literal["retime"] = "retime"
    entry: UUID
    ended_at: AwareDatetime
    batch: UUID | None = None


class NotePayload(Grown):
    """Words about a part, some of its zones, or a batch."""

    _GROWN: ClassVar[tuple[str, ...]] = ("batch",)

    kind: Literal["note"] = "note"
    text: Annotated[str, Field(min_length=1, max_length=4000)]
    batch: UUID | None = None


# What an entry may be put right to: work, tests, readings and words; what is about a cup is corrected at the cup.
Amendable = Annotated[
    CoatPayload
    | SandPayload
    | StepPayload
    | TouchTestPayload
    | FilmReadingPayload
    | MarkPayload
    | NotePayload
    | NextTimePayload
    | HoursPayload,
    Field(discriminator="kind"),
]


class AmendPayload(Grown):
    """Another entry is put right: from now on it says this, on these zones (as before when empty), and ended then.

    Its place in the log and its name stay: touch tests and readings of a coat stay with it. ``batch`` is that of the
    entry, where it has one; ``keeps_step`` says whether it still is the work of the plan that it was logged as.
    """

    _GROWN: ClassVar[tuple[str, ...]] = ("batch",)

    kind: Literal["amend"] = "amend"
    entry: UUID
    says: Amendable
    zones: Annotated[tuple[UUID, ...], Field(max_length=200)] = ()
    ended_at: AwareDatetime | None = None
    keeps_step: bool = True
    batch: UUID | None = None


Payload = Annotated[
    CoatPayload | SandPayload | StepPayload | TouchTestPayload | SkipPayload | MovePayload | VoidPayload
    | BeginPayload | PausePayload | OverridePayload | StampPayload | FilmReadingPayload | ClimateReadingPayload
    | DoorPayload | DefectPayload | CausePayload | MarkPayload | AcceptPayload | MishapPayload | JudgementPayload
    | SurveyTestPayload | ClaimPayload | CheckPayload | NotePayload | NextTimePayload | RetimePayload | AmendPayload
    | HoursPayload | BatchPayload | PourPayload | ViscosityPayload | BatchEndPayload,
    Field(discriminator="kind"),
]  # fmt: skip

# What is about the mix in the cup and leaves the part as it is.
MIXING = ("batch", "pour", "viscosity", "batch_end")

SCHEMA_VERSION = 1
_PAYLOAD: TypeAdapter[Any] = TypeAdapter(Payload)

# How a payload of an older version becomes one of the next: version -> function. The first version has no elders.
READ_UP: dict[int, Any] = {}


def read_payload(data: dict[str, Any], version: int) -> Any:
    """Read a stored payload, brought up step by step from its own version. Raises ValueError for a newer one."""
    if version > SCHEMA_VERSION:
        raise ValueError(f"The entry has version {version}, newer than this program's {SCHEMA_VERSION}.")
    for older in range(version, SCHEMA_VERSION):
        data = READ_UP[older](data)
    return _PAYLOAD.validate_python(data)


class Target(Strict):
    """What an entry is about; any of the three."""

    project: UUID | None = None
    part: UUID | None = None
    zone: UUID | None = None


class Entry(Strict):
    """One line of the log, as the client makes it. The same uuid again with the same content is the same entry."""

    uuid: UUID
    payload: Payload
    occurred_at: AwareDatetime
    targets: Annotated[tuple[Target, ...], Field(max_length=200)] = ()
    person: ShortText = ""
    device: ShortText = ""
    planned_step: ShortText | None = None
    reason: LongText | None = None
    voids: UUID | None = None

    @model_validator(mode="after")
    def _says_what_its_kind_must(self) -> Self:
        if (self.payload.kind == "void") != (self.voids is not None):
            raise ValueError("a void entry, and no other, says which entry it voids")
        if self.payload.kind == "skip" and not (self.reason or "").strip():
            raise ValueError("what is not done wants its reason in words")
        if self.payload.kind == "accept" and not (self.reason or "").strip():
            raise ValueError("what is accepted wants its reason in words")
        return self

    @property
    def content_hash(self) -> str:
        """SHA-256 of all that the client said."""
        text = json.dumps(self.model_dump(mode="json"), sort_keys=True, separators=(",", ":"))
        return hashlib.sha256(text.encode()).hexdigest()


class Recorded(Strict):
    """An entry with what the store added to it."""

    seq: int
    recorded_at: datetime
    entry: Entry
