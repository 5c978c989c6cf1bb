"""What a project's document is made of: strict rows, with their bounds."""

from decimal import Decimal
from typing import Annotated, Any, Literal, TypeVar
from uuid import UUID

from pydantic import AwareDatetime, Field, StringConstraints, model_validator

from cool_sheen.core.coatings.families import State
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Key, Method, Positive, Share, Strict, Temperature
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.log.entries import SCHEMA_VERSION, Entry, read_payload
from cool_sheen.core.log.said import Grown, ShortText
from cool_sheen.core.survey.shapes import Shape
from cool_sheen.core.survey.zones import Strip, ZoneKind

Hash = Annotated[str, StringConstraints(pattern=r"^[0-9a-f]{64}$")]
Line = Annotated[str, StringConstraints(max_length=120)]
Name = Annotated[str, StringConstraints(min_length=1, max_length=80)]
Hours = Annotated[float, Field(ge=0, le=1e5, allow_inf_nan=False)]
Money = Annotated[Decimal, Field(ge=0, le=Decimal("1e9"), allow_inf_nan=False)]
Wind = Annotated[float, Field(ge=0, le=120, allow_inf_nan=False)]
Rain = Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)]
Kind = Literal["booth", "insulated_shop", "garage", "open_shed", "outdoors"]
Air = Literal["still", "gentle", "booth"]
T = TypeVar("T")
Rows = Annotated[tuple[T, ...], Field(max_length=200_000, fail_fast=True)]
Few = Annotated[tuple[T, ...], Field(max_length=5_000, fail_fast=True)]


class WeatherSaid(Strict):
    """The weather outside at an instant, as a shop knew it: linear between two of them. [°C, %, m/s, mm/h, %]"""

    at: AwareDatetime
    air_temp_c: Temperature
    rh_pct: Share
    wind_m_per_s: Wind
    gust_m_per_s: Annotated[float, Field(ge=0, le=300, allow_inf_nan=False)]
    rain_mm_per_h: Rain
    cloud_pct: Share


class ShopSaid(Strict):
    """A shop in whose spaces the parts stood, and its weather while they did."""

    uuid: UUID
    name: ShortText
    latitude: Annotated[float, Field(ge=-90, le=90)] | None
    longitude: Annotated[float, Field(ge=-180, le=180)] | None
    weather: Rows[WeatherSaid]


class Described(Strict):
    """What of a space the air in it hangs on."""

    kind: Kind
    heater_min_c: Annotated[float, Field(ge=-40, le=60)] | None
    dehumidifier_max_rh_pct: Annotated[float, Field(gt=0, le=100)] | None
    air_movement: Air
    lag_h: Annotated[float, Field(ge=0, le=240)] | None
    shade: bool
    wind_break: bool


class SpaceThen(Described):
    """A space as it was from an instant on."""

    since: AwareDatetime


class SpaceSaid(Described):
    """A space in which a part stood, and how it was before."""

    uuid: UUID
    shop: UUID
    name: Annotated[str, StringConstraints(min_length=1, max_length=60)]
    floor_damped: bool
    extraction: bool
    holds: Annotated[int, Field(ge=1, le=200)] | None
    as_it_was: Few[SpaceThen]


class ReadSaid(Strict):
    """One reading of a logger. [°C, %, °C, m/s, m/s, mm/h, %]"""

    at: AwareDatetime
    air_temp_c: Temperature
    rh_pct: Share
    surface_temp_c: Temperature | None = None
    wind_m_per_s: Wind | None = None
    gust_m_per_s: Wind | None = None
    rain_mm_per_h: Rain | None = None
    cloud_pct: Share | None = None


class RecordSaid(Strict):
    """A record of a space that was brought in, as far as the project's parts were at work."""

    uuid: UUID
    space: UUID
    file_name: ShortText
    content_hash: Hash
    recorded_at: AwareDatetime
    points: Rows[ReadSaid]


class FaceSaid(Strict):
    """The zones that are coated in one setting-up."""

    uuid: UUID
    name: ShortText
    setting: Annotated[int, Field(ge=1, le=99)]
    support: ShortText
    method: Method


class ZoneSaid(Strict):
    """The smallest area with one history."""

    uuid: UUID
    face: UUID
    split_from: UUID | None
    name: ShortText
    area_m2: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
    position: Annotated[int, Field(ge=0, le=100_000)]
    was_split: bool
    kind: ZoneKind
    shape: Shape | None
    substrate: Key | None
    bare_since: AwareDatetime | None
    strip: Strip
    keep_texture: bool
    old_finish: ShortText
    old_state: State
    word_of_another: bool
    turn: Annotated[int, Field(ge=0, le=100_000)] | None
    shuts: bool


class PhotoSaid(Strict):
    """A photo; the picture itself stands under its hash among the files."""

    uuid: UUID
    zones: Few[UUID]
    stage: ShortText
    words: Annotated[str, StringConstraints(max_length=2000)]
    taken_at: AwareDatetime
    recorded_at: AwareDatetime
    person: ShortText
    content_hash: Hash
    width: Annotated[int, Field(ge=1, le=20_000)]
    height: Annotated[int, Field(ge=1, le=20_000)]


class PartSaid(Strict):
    """A part with its system, its faces and its zones; ``revisions`` names its product data by their hash."""

    uuid: UUID
    name: Name
    substrate: Key
    area_m2: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)]
    created_at: AwareDatetime
    after: UUID | None
    lands_pct: Annotated[float, Field(ge=5, le=100)] | None
    away: Literal["", "aside", "archived"]
    away_at: AwareDatetime | None
    kind: Annotated[str, StringConstraints(max_length=40)]
    system: System
    earlier_systems: Annotated[tuple[System, ...], Field(max_length=100)]
    revisions: dict[Key, Hash]
    faces: Few[FaceSaid]
    zones: Few[ZoneSaid]
    photos: Few[PhotoSaid]


class ProjectSaid(Strict):
    """What is said of the project itself."""

    uuid: UUID
    name: Name
    created_at: AwareDatetime
    currency: Annotated[str, StringConstraints(max_length=10)]  # in which price and hire are
    price: Money | None
    hire_cost: Money | None
    hire_hours_saved: Hours | None
    goodwill_hours: Hours | None
    customer: Line
    contact: Line
    forgotten_at: AwareDatetime | None
    colour: Line
    due_at: AwareDatetime | None
    note: Annotated[str, StringConstraints(max_length=2000)]
    away: Literal["", "archived"]
    away_at: AwareDatetime | None


class RevisionSaid(Strict):
    """Product data as they once were."""

    content_hash: Hash
    recorded_at: AwareDatetime
    product: Product

    @model_validator(mode="after")
    def _is_what_it_is_called(self) -> "RevisionSaid":
        if self.product.content_hash != self.content_hash:
            raise ValueError("the hash is not that of these product data")
        return self


class EntrySaid(Strict):
    """An entry of the log with what the store added to it; ``content_hash`` is that of what its client once said."""

    schema_version: Annotated[int, Field(ge=1)]
    recorded_at: AwareDatetime
    content_hash: Hash
    entry: Entry

    @model_validator(mode="before")
    @classmethod
    def _brought_up(cls, data: Any) -> Any:
        """Bring an entry of an older version up to this one's."""
        if not isinstance(data, dict):
            return data
        version, entry = data.get("schema_version"), data.get("entry")
        if isinstance(version, int) and isinstance(entry, dict) and isinstance(entry.get("payload"), dict):
            if version > SCHEMA_VERSION:
                raise ValueError(f"this entry has version {version}, newer than this program's {SCHEMA_VERSION}")
            if 1 <= version < SCHEMA_VERSION:
                payload = read_payload(entry["payload"], version).model_dump(mode="json")
                return {**data, "schema_version": SCHEMA_VERSION, "entry": {**entry, "payload": payload}}
        return data


class TestSaid(Strict):
    """What a touch test says of a coat. [min at the sheet's reference]"""

    __test__ = False  # no test of ours

    predicted: Positive
    not_ready: Annotated[float, Field(ge=0, le=1e7, allow_inf_nan=False)] | None
    ready: Annotated[float, Field(ge=0, le=1e7, allow_inf_nan=False)] | None
    prompted: bool = False


class TouchSaid(Grown):
    """A touch as it was found."""

    _GROWN = ("minutes", "air_temp_c")

    uuid: UUID
    at: AwareDatetime
    milestone: ShortText
    ready: bool
    how: ShortText
    minutes: Annotated[float, Field(ge=-1e7, le=1e7, allow_inf_nan=False)] | None = None
    air_temp_c: Temperature | None = None


class LessonSaid(Strict):
    """What the touch tests of a coat taught of a sheet in a space: the clocks go by it.

    ``part`` is one of the project's, or nothing: a coat of another project, in the same shop.
    """

    coat: UUID
    part: UUID | None
    mode: Mode
    product: Key
    drying: Hash
    space: UUID | None
    mist: bool
    coated_at: AwareDatetime | None
    at: AwareDatetime
    tests: Annotated[tuple[TestSaid, ...], Field(max_length=500)]
    touches: Annotated[tuple[TouchSaid, ...], Field(max_length=500)]


class FileSaid(Strict):
    """A picture: JPEG in base 64, under the SHA-256 of its bytes."""

    content_hash: Hash
    jpeg: str


class ProjectDocument(Strict):
    """A file of one project, with all that the state of its parts rests on."""

    format: Literal["cool-sheen-project"] = "cool-sheen-project"
    version: Literal[1] = 1
    made_at: AwareDatetime
    until: AwareDatetime
    project: ProjectSaid
    shops: Annotated[tuple[ShopSaid, ...], Field(max_length=50)]
    spaces: Few[SpaceSaid]
    records: Few[RecordSaid]
    revisions: Few[RevisionSaid]
    supplies: Few[Supply]
    parts: Few[PartSaid]
    entries: Rows[EntrySaid]
    lessons: Rows[LessonSaid]
    files: Few[FileSaid]

    def same_as(self, other: "ProjectDocument") -> bool:
        """Whether two documents say the same, whenever they were made."""
        return self.model_copy(update={"made_at": other.made_at}) == other
