"""The tables. The log is the truth; zones, spaces and systems are what its entries point at."""

from datetime import datetime
from decimal import Decimal
from typing import Any, ClassVar
from uuid import UUID, uuid4

from sqlalchemy import JSON, CheckConstraint, ForeignKey, Index, String, text
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from cool_sheen.store.types import Money, UtcDateTime


def _alone() -> dict[str, Any]:
    return {"painters": 1, "helper": False, "guns": 1}


def _usual_equipment() -> dict[str, Any]:
    return {"hvlp": [600.0, 25.0], "conventional": [600.0, 25.0], "airless": [None, 250.0]}


class Base(DeclarativeBase):
    """All tables, and how Python types become columns."""

    type_annotation_map: ClassVar = {
        datetime: UtcDateTime,
        Decimal: Money,
        dict[str, Any]: JSON,
        list[dict[str, Any]]: JSON,
        list[Any]: JSON,
    }


class Shop(Base):
    """The one shop of this database, and how it likes its figures."""

    __tablename__ = "shop"
    __table_args__ = (CheckConstraint("id = 1", name="one_shop"),)
    id: Mapped[int] = mapped_column(primary_key=True, default=1)
    uuid: Mapped[UUID] = mapped_column(default=uuid4)  # by which other shops know whose spaces and weather they hold
    name: Mapped[str]
    time_zone: Mapped[str]
    units: Mapped[str]
    weather_seed: Mapped[int]
    is_demo: Mapped[bool] = mapped_column(default=False)
    place: Mapped[str] = mapped_column(default="")  # in words
    latitude: Mapped[float | None] = mapped_column(default=None)
    longitude: Mapped[float | None] = mapped_column(default=None)
    currency: Mapped[str] = mapped_column(default="€")
    labour_rate: Mapped[Decimal] = mapped_column(default=Decimal("42.00"))  # for an hour, hands-on
    week: Mapped[list[Any]] = mapped_column(default=lambda: [["08:00", "18:00"]] * 7)  # Monday first; None: shut
    days_off: Mapped[list[Any]] = mapped_column(default=list)  # first day, last day, why
    equipment: Mapped[dict[str, Any]] = mapped_column(default=_usual_equipment)  # method -> what it holds, and loses
    fresh_can: Mapped[bool] = mapped_column(default=True)  # each session begins with a fresh can
    alarm: Mapped[str] = mapped_column(default="chime")
    keys: Mapped[bool] = mapped_column(default=True)
    crew: Mapped[dict[str, Any]] = mapped_column(default=_alone)
    air: Mapped[dict[str, Any] | None] = mapped_column(default=None)  # compressor, hose, treatment; None: not said


class ShopElsewhere(Base):
    """Another shop, from which a project was brought in: where its weather was."""

    __tablename__ = "shop_elsewhere"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    name: Mapped[str]
    latitude: Mapped[float | None]
    longitude: Mapped[float | None]


class WeatherElsewhere(Base):
    """The weather outside of another shop, as that shop knew it: linear between its points."""

    __tablename__ = "weather_elsewhere"
    shop_uuid: Mapped[UUID] = mapped_column(ForeignKey("shop_elsewhere.uuid"), primary_key=True)
    at: Mapped[datetime] = mapped_column(primary_key=True)
    air_temp_c: Mapped[float]
    rh_pct: Mapped[float]
    wind_m_per_s: Mapped[float]
    gust_m_per_s: Mapped[float]
    rain_mm_per_h: Mapped[float]
    cloud_pct: Mapped[float]


class Space(Base):
    """Where parts stand."""

    __tablename__ = "space"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    name: Mapped[str]
    kind: Mapped[str]
    heater_min_c: Mapped[float | None]
    dehumidifier_max_rh_pct: Mapped[float | None]
    air_movement: Mapped[str]
    has_sensor: Mapped[bool] = mapped_column(default=False)
    lag_h: Mapped[float | None] = mapped_column(default=None)  # its kind's, when it has none of its own
    floor_damped: Mapped[bool] = mapped_column(default=False)
    extraction: Mapped[bool] = mapped_column(default=False)
    shade: Mapped[bool] = mapped_column(default=False)
    wind_break: Mapped[bool] = mapped_column(default=False)
    holds: Mapped[int | None] = mapped_column(default=None)  # wet parts at a time; any number when None
    # A space of another shop, in which parts that were brought in stood; None: this shop's own.
    elsewhere_uuid: Mapped[UUID | None] = mapped_column(ForeignKey("shop_elsewhere.uuid"), default=None)
    name_there: Mapped[str] = mapped_column(default="")  # as that shop calls it


class SpaceAsItWas(Base):
    """How a space was from an instant on: what is changed about it changes nothing that was."""

    __tablename__ = "space_as_it_was"
    id: Mapped[int] = mapped_column(primary_key=True)
    space_uuid: Mapped[UUID] = mapped_column(ForeignKey("space.uuid"), index=True)
    since: Mapped[datetime]
    kind: Mapped[str]
    heater_min_c: Mapped[float | None]
    dehumidifier_max_rh_pct: Mapped[float | None]
    air_movement: Mapped[str]
    lag_h: Mapped[float | None]
    shade: Mapped[bool]
    wind_break: Mapped[bool]


class Project(Base):
    """A job: the parts that belong together."""

    __tablename__ = "project"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    name: Mapped[str]
    created_at: Mapped[datetime]
    price: Mapped[Decimal | None] = mapped_column(default=None)
    hire_cost: Mapped[Decimal | None] = mapped_column(default=None)
    hire_hours_saved: Mapped[float | None] = mapped_column(default=None)
    goodwill_hours: Mapped[float | None] = mapped_column(default=None)
    customer: Mapped[str] = mapped_column(default="")
    contact: Mapped[str] = mapped_column(default="")  # how they are reached
    forgotten_at: Mapped[datetime | None] = mapped_column(default=None)  # name, contact, note and photos were erased
    colour: Mapped[str] = mapped_column(default="")  # as the customer calls it
    due_at: Mapped[datetime | None] = mapped_column(default=None)  # usable by then
    note: Mapped[str] = mapped_column(default="")
    away: Mapped[str] = mapped_column(default="")  # archived, deleted
    away_at: Mapped[datetime | None] = mapped_column(default=None)
    brought: Mapped[dict[str, Any] | None] = mapped_column(default=None)  # from another shop: which, when, up to when
    parts: Mapped[list["Part"]] = relationship(back_populates="project", order_by="Part.created_at")


class Part(Base):
    """A thing that is refinished, with the system that was copied to it."""

    __tablename__ = "part"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    project_uuid: Mapped[UUID] = mapped_column(ForeignKey("project.uuid"), index=True)
    name: Mapped[str]
    substrate: Mapped[str]
    area_m2: Mapped[float]
    created_at: Mapped[datetime]
    after_uuid: Mapped[UUID | None] = mapped_column(default=None)  # the part that comes first
    lands_pct: Mapped[float | None] = mapped_column(default=None)  # its own share of the paint that lands on it
    away: Mapped[str] = mapped_column(default="")  # aside, archived, deleted
    away_at: Mapped[datetime | None] = mapped_column(default=None)
    kind: Mapped[str] = mapped_column(default="")  # what kind of thing it is, in the shop's own word
    changes: Mapped[int] = mapped_column(default=0)  # counts what is changed on it, its zones and its faces
    # Deferred: a page that knows a part's plan by its changes does not read them.
    system: Mapped[dict[str, Any]] = mapped_column(deferred=True)
    revisions: Mapped[dict[str, Any]] = mapped_column(deferred=True)  # product key -> content hash
    earlier_systems: Mapped[list[dict[str, Any]]] = mapped_column(default=list, deferred=True)  # to take a change back
    project: Mapped[Project] = relationship(back_populates="parts")
    zones: Mapped[list["Zone"]] = relationship(order_by="Zone.position, Zone.name")
    faces: Mapped[list["Face"]] = relationship(order_by="Face.setting, Face.name")
    __table_args__ = (  # few come after another, and few are away: what is looked up at every press reads these alone
        Index("ix_part_after", "after_uuid", sqlite_where=text("after_uuid IS NOT NULL")),
        Index("ix_part_away", "away", sqlite_where=text("away != ''")),
    )

    @property
    def live_zones(self) -> list["Zone"]:
        """The zones of now: those that were not split into others."""
        return [zone for zone in self.zones if not zone.was_split]


class Face(Base):
    """The zones of a part that are coated in one setting-up; faces with one number can be coated together."""

    __tablename__ = "face"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    part_uuid: Mapped[UUID] = mapped_column(ForeignKey("part.uuid"), index=True)
    name: Mapped[str]
    setting: Mapped[int] = mapped_column(default=1)
    support: Mapped[str] = mapped_column(default="")
    method: Mapped[str] = mapped_column(default="hvlp")


class Zone(Base):
    """The smallest area with one history. A zone that was split keeps its row and points nowhere new."""

    __tablename__ = "zone"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    part_uuid: Mapped[UUID] = mapped_column(ForeignKey("part.uuid"), index=True)
    face_uuid: Mapped[UUID] = mapped_column(ForeignKey("face.uuid"))
    split_from: Mapped[UUID | None] = mapped_column(ForeignKey("zone.uuid"))
    name: Mapped[str]
    area_m2: Mapped[float]
    position: Mapped[int] = mapped_column(default=0)
    was_split: Mapped[bool] = mapped_column(default=False)
    kind: Mapped[str] = mapped_column(default="face")
    shape: Mapped[dict[str, Any] | None] = mapped_column(default=None)
    substrate: Mapped[str | None] = mapped_column(default=None)  # the part's, when it has none of its own
    bare_since: Mapped[datetime | None] = mapped_column(default=None)
    strip: Mapped[str] = mapped_column(default="nothing")
    keep_texture: Mapped[bool] = mapped_column(default=False)
    old_finish: Mapped[str] = mapped_column(default="none")
    old_state: Mapped[str] = mapped_column(default="unknown")
    word_of_another: Mapped[bool] = mapped_column(default=False)
    turn: Mapped[int | None] = mapped_column(default=None)  # its place in the order of pieces; by rule when None
    shuts: Mapped[bool] = mapped_column(default=False)  # a hidden face that is shut away, or moved to reach others


class Photo(Base):
    """A photo of a part: its file lies beside the database. It is no part of the log, and can be erased."""

    __tablename__ = "photo"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    part_uuid: Mapped[UUID] = mapped_column(ForeignKey("part.uuid"), index=True)
    zones: Mapped[list[Any]] = mapped_column(default=list)  # which it shows; all when empty
    stage: Mapped[str]
    words: Mapped[str] = mapped_column(default="")
    taken_at: Mapped[datetime]
    recorded_at: Mapped[datetime]
    person: Mapped[str] = mapped_column(default="")
    content_hash: Mapped[str] = mapped_column(String(64), index=True)  # nothing once it is erased
    width: Mapped[int]
    height: Mapped[int]
    erased_at: Mapped[datetime | None] = mapped_column(default=None)


class ShelfSheet(Base):
    """A product, supply or system of this shop's own, or its own version of one that ships."""

    __tablename__ = "shelf_sheet"
    kind: Mapped[str] = mapped_column(primary_key=True)
    key: Mapped[str] = mapped_column(primary_key=True)
    data: Mapped[dict[str, Any]]
    earlier: Mapped[list[dict[str, Any]]] = mapped_column(default=list)
    updated_at: Mapped[datetime]


class ProductRevision(Base):
    """Product data as they once were; never changed, named by their content."""

    __tablename__ = "product_revision"
    content_hash: Mapped[str] = mapped_column(String(64), primary_key=True)
    key: Mapped[str] = mapped_column(index=True)
    data: Mapped[dict[str, Any]]
    recorded_at: Mapped[datetime]


class LogEntry(Base):
    """One line of the log. A trigger forbids to change or delete it."""

    __tablename__ = "log_entry"
    seq: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    uuid: Mapped[UUID] = mapped_column(unique=True)
    kind: Mapped[str] = mapped_column(index=True)
    schema_version: Mapped[int]
    payload: Mapped[dict[str, Any]]
    content_hash: Mapped[str] = mapped_column(String(64))
    occurred_at: Mapped[datetime]
    recorded_at: Mapped[datetime]
    person: Mapped[str]
    device: Mapped[str]
    planned_step: Mapped[str | None]
    reason: Mapped[str | None]
    voids: Mapped[UUID | None]
    targets: Mapped[list["LogTarget"]] = relationship(order_by="LogTarget.id")
    __table_args__ = (
        Index("ix_log_entry_kind_at", "kind", "occurred_at"),  # what happened today
        Index("ix_log_entry_at", "occurred_at"),  # what was worked on between two days
        Index("ix_log_entry_voids", "voids", sqlite_where=text("voids IS NOT NULL")),  # few take something back
        Index("ix_log_entry_batch", text("json_extract(payload, '$.batch')")),  # pours, stamps and coats of a batch
        {"sqlite_autoincrement": True},
    )


class LogTarget(Base):
    """What a line of the log is about."""

    __tablename__ = "log_target"
    id: Mapped[int] = mapped_column(primary_key=True)
    seq: Mapped[int] = mapped_column(ForeignKey("log_entry.seq"), index=True)
    project_uuid: Mapped[UUID | None] = mapped_column(ForeignKey("project.uuid"))
    part_uuid: Mapped[UUID | None] = mapped_column(ForeignKey("part.uuid"))
    zone_uuid: Mapped[UUID | None] = mapped_column(ForeignKey("zone.uuid"))
    __table_args__ = (Index("ix_log_target_part", "part_uuid", "seq"),)


class PlanRow(Base):
    """A plan of the shop that was kept: what was asked, and what came of it. One of them is followed."""

    __tablename__ = "plan"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    made_at: Mapped[datetime]
    name: Mapped[str]
    state: Mapped[str]  # followed, kept
    asked: Mapped[dict[str, Any]]
    said: Mapped[dict[str, Any]]


class TighteningRow(Base):
    """A search for a plan that is done sooner: what was asked, how far it came, and the best plan that was found."""

    __tablename__ = "tightening"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    plan_uuid: Mapped[UUID]  # than which it is to be better
    begun_at: Mapped[datetime]
    state: Mapped[str]  # at work, done, stopped, failed
    asked: Mapped[dict[str, Any]]
    told: Mapped[dict[str, Any]]
    said: Mapped[dict[str, Any] | None]


class StockMovement(Base):
    """One movement of stock: what there is of an item is the sum. A trigger forbids to change or delete it."""

    __tablename__ = "stock_movement"
    seq: Mapped[int] = mapped_column(primary_key=True, autoincrement=True)
    uuid: Mapped[UUID] = mapped_column(unique=True)
    item: Mapped[str] = mapped_column(index=True)
    kind: Mapped[str]
    ml: Mapped[float]
    at: Mapped[datetime]
    recorded_at: Mapped[datetime]
    sku: Mapped[str] = mapped_column(default="")
    paid: Mapped[Decimal | None] = mapped_column(default=None)
    batch: Mapped[UUID | None] = mapped_column(default=None)
    note: Mapped[str] = mapped_column(default="")
    __table_args__ = ({"sqlite_autoincrement": True},)


class Gun(Base):
    """A gun of the shop."""

    __tablename__ = "gun"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    data: Mapped[dict[str, Any]]
    made_at: Mapped[datetime]
    away_at: Mapped[datetime | None] = mapped_column(default=None)


class GunCard(Base):
    """A setting that worked: gun, product and temperature by which it is offered, and what it was."""

    __tablename__ = "gun_card"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    gun: Mapped[str]  # the uuid of the shop's own, or the key of a kind
    product: Mapped[str]
    temp_c: Mapped[float]
    data: Mapped[dict[str, Any]]
    made_at: Mapped[datetime]
    set_at: Mapped[datetime]  # when the gun was last set by it: coats that follow were sprayed so
    away_at: Mapped[datetime | None] = mapped_column(default=None)
    __table_args__ = (Index("ix_gun_card_product", "product", "set_at"),)


class StrokeRun(Base):
    """A drill of the stroke that was drawn, and how even it came out."""

    __tablename__ = "stroke_run"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(index=True)
    person: Mapped[str]
    drill: Mapped[str]
    data: Mapped[dict[str, Any]]


class ScriptToken(Base):
    """A token with which a script or a wall display is let in: kept by its hash alone."""

    __tablename__ = "script_token"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    name: Mapped[str]
    token_hash: Mapped[str] = mapped_column(String(64), unique=True)
    may_write: Mapped[bool]
    made_at: Mapped[datetime]
    ended_at: Mapped[datetime | None] = mapped_column(default=None)


class PackSheet(Base):
    """A size as this shop buys it: its own price, whether it is to be had, or a size of its own."""

    __tablename__ = "pack_sheet"
    sku: Mapped[str] = mapped_column(primary_key=True)
    price: Mapped[Decimal | None]
    to_be_had: Mapped[bool] = mapped_column(default=True)
    own: Mapped[dict[str, Any] | None]


class ClimateImport(Base):
    """A climate record that was brought in: a draft while it is looked at, then taken, perhaps withdrawn."""

    __tablename__ = "climate_import"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    space_uuid: Mapped[UUID] = mapped_column(ForeignKey("space.uuid"), index=True)
    kind: Mapped[str] = mapped_column(default="record")  # record, forecast, typical_year
    file_name: Mapped[str]
    options: Mapped[dict[str, Any]]
    content: Mapped[bytes | None]
    content_hash: Mapped[str] = mapped_column(String(64))
    state: Mapped[str]
    points: Mapped[int] = mapped_column(default=0)
    first_at: Mapped[datetime | None]
    last_at: Mapped[datetime | None]
    recorded_at: Mapped[datetime]


class ClimatePoint(Base):
    """One reading of an import."""

    __tablename__ = "climate_point"
    import_uuid: Mapped[UUID] = mapped_column(ForeignKey("climate_import.uuid"), primary_key=True)
    at: Mapped[datetime] = mapped_column(primary_key=True)
    air_temp_c: Mapped[float]
    rh_pct: Mapped[float]
    surface_temp_c: Mapped[float | None]
    wind_m_per_s: Mapped[float | None] = mapped_column(default=None)
    gust_m_per_s: Mapped[float | None] = mapped_column(default=None)
    rain_mm_per_h: Mapped[float | None] = mapped_column(default=None)
    cloud_pct: Mapped[float | None] = mapped_column(default=None)


class PressRow(Base):
    """What one press of a button said, by its hash: sent again it is the same press, and says the same."""

    __tablename__ = "press"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    content_hash: Mapped[str] = mapped_column(String(64))
    at: Mapped[datetime] = mapped_column(index=True)


class Generation(Base):
    """How often something was changed that results depend on: what was worked out under an older number is stale."""

    __tablename__ = "generation"
    name: Mapped[str] = mapped_column(primary_key=True)
    number: Mapped[int] = mapped_column(default=0)


class PartStatus(Base):
    """How a part stands by its log: kept with every entry, dropped and rebuilt at will."""

    __tablename__ = "part_status"
    part_uuid: Mapped[UUID] = mapped_column(ForeignKey("part.uuid"), primary_key=True)
    seq: Mapped[int]  # the newest entry that is in it
    changes: Mapped[int]  # and the part's own count of changes
    space_uuid: Mapped[UUID | None]
    owed: Mapped[int]
    passed: Mapped[int]
    share: Mapped[int]  # of the steps, in per cent
    words: Mapped[str]  # how many coats of the layer in hand are on
    next_label: Mapped[str]
    system_name: Mapped[str]
    film: Mapped[dict[str, Any]]  # layer by layer, on the first zone
    counts: Mapped[dict[str, Any]]  # zone -> layer -> counted coats
    state: Mapped[str] = mapped_column(default="")  # of the film by the weather, when it was last looked at
    finished_at: Mapped[datetime | None] = mapped_column(default=None)
    __table_args__ = (Index("ix_part_status_live", "finished_at"),)


class LessonRow(Base):
    """What the touch tests of one coat say of one drying mode, doses and climate taken out."""

    __tablename__ = "lesson"
    id: Mapped[int] = mapped_column(primary_key=True)
    coat_uuid: Mapped[UUID]
    mode: Mapped[str]
    # None: taught in another shop, and brought in with a project. It is in no log here, and is kept when all else is
    # dropped.
    part_uuid: Mapped[UUID | None] = mapped_column(ForeignKey("part.uuid"), index=True)
    product: Mapped[str] = mapped_column(index=True)
    drying: Mapped[str] = mapped_column(String(64))  # what the clock reads of the sheet, by its hash
    space_uuid: Mapped[UUID | None]
    mist: Mapped[bool] = mapped_column(default=False)  # mists teach mists
    coated_at: Mapped[datetime | None] = mapped_column(default=None)
    at: Mapped[datetime]
    tests: Mapped[list[dict[str, Any]]]
    touches: Mapped[list[dict[str, Any]]]
    # An id is never used again: the newest one tells that something was taught anew.
    __table_args__ = (
        Index("ix_lesson_drying", "drying", "space_uuid"),
        Index("ix_lesson_at", "at"),  # what a late reading bears on
        {"sqlite_autoincrement": True},
    )


class BatchStatus(Base):
    """A batch by its log: what it is of, whether it runs, what is left."""

    __tablename__ = "batch_status"
    uuid: Mapped[UUID] = mapped_column(primary_key=True)
    seq: Mapped[int]
    product: Mapped[str]
    begun_at: Mapped[datetime] = mapped_column(index=True)
    ended_at: Mapped[datetime | None]
    pours: Mapped[int]
    coats: Mapped[int]
    left_ml: Mapped[float]
    goes: Mapped[str]


# Triggers belong to their tables: a migration that rebuilds one of these must lay them again, and a test looks.
TRIGGERS: dict[str, str] = {
    f"{table}_no_{verb.lower()}": (
        f"CREATE TRIGGER {table}_no_{verb.lower()} BEFORE {verb} ON {table} "
        f"BEGIN SELECT RAISE(ABORT, '{table} is append-only'); END"
    )
    for table in ("log_entry", "log_target", "product_revision", "stock_movement")
    for verb in ("UPDATE", "DELETE")
}
