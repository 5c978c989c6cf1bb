"""Projects, parts, spaces: making them, and reading how they stand."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, time
from typing import Any
from uuid import UUID, uuid4

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session, selectinload

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.log.entries import Entry, MovePayload, Target
from cool_sheen.core.log.fold import PartState
from cool_sheen.core.planning.film_clock import CoatClock, Factor, FactorOf, coat_clocks
from cool_sheen.core.planning.next_action import Action, Outlook, decide
from cool_sheen.core.planning.part_climate import PartClimate
from cool_sheen.core.planning.sequence import Sequence as Plan
from cool_sheen.core.planning.sequence import WorkingDay, plan_rest
from cool_sheen.core.planning.steps import Progress, Step, following_product, progress, steps_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.service.climate import Weather, part_climate
from cool_sheen.service.desk import Desk, Missing, Refused, zone_of
from cool_sheen.service.learning import Lessons, lessons
from cool_sheen.service.states import state_of
from cool_sheen.service.stock import stock
from cool_sheen.store import log
from cool_sheen.store.models import Face, Part, Project, Shop, Space, Zone


class NewPart(BaseModel):
    """What is asked of a new part."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    substrate: str
    area_m2: float = Field(gt=0, le=10_000, allow_inf_nan=False)
    space: UUID
    system: str


@dataclass(frozen=True, eq=False)
class Standing:
    """A part as it stands now: the row, the log folded, the clocks, and what is to be done."""

    part: Part
    system: System
    products: Mapping[str, Product]
    state: PartState
    climate: PartClimate
    clocks: list[CoatClock]
    steps: list[Progress]
    action: Action
    look: Outlook
    space: Space
    zones: tuple[ZoneFacts, ...]
    version: tuple[object, ...]  # as long as it is the same, so is all but what moves with the weather

    @property
    def layers_done(self) -> dict[str, int]:
        """Counted coats by layer."""
        return {layer.id: self.state.counts[layer.id] for layer in self.system.layers}


def spaces_by_id(opened: Session) -> dict[UUID, Space]:
    """Return all spaces."""
    return {s.uuid: s for s in opened.scalars(select(Space).order_by(Space.name))}


def add_project(desk: Desk, opened: Session, name: str) -> Project:
    """Make a project. Raises Refused when it has no name."""
    if not name.strip():
        raise Refused("A project needs a name.", {"project_name": "Enter a name, such as “Toolroom lathe”."})
    if len(name.strip()) > 80:
        raise Refused("That name is too long.", {"project_name": "Enter 80 characters at most."})
    project = Project(uuid=uuid4(), name=name.strip(), created_at=desk.now())
    opened.add(project)
    opened.flush()
    return project


def add_part(desk: Desk, opened: Session, project: Project, new: NewPart, at: datetime | None = None) -> Part:
    """Make a part with one face and one zone, copy the system to it, and log where it stands.

    Raises: Refused: substrate, space or system is not known.
    """
    notes = {}
    if new.substrate not in desk.catalogue.substrates:
        notes["substrate"] = "Choose what the part is made of."
    shelf = stock(desk, opened)
    if new.system not in shelf.systems:
        notes["system"] = "Choose a system from the list."
    if opened.get(Space, new.space) is None:
        notes["space"] = "Choose the space that the part stands in."
    if notes:
        raise Refused("Something is missing.", notes)
    system = shelf.systems[new.system]
    part = Part(
        uuid=uuid4(),
        project_uuid=project.uuid,
        name=new.name.strip(),
        substrate=new.substrate,
        area_m2=new.area_m2,
        created_at=at or desk.now(),
        system=system.model_dump(mode="json"),
        revisions={key: desk.keep(opened, shelf.products[key]) for key in sorted(system.products())},
    )
    face = Face(uuid=uuid4(), part_uuid=part.uuid, name="whole")
    old = "unknown" if desk.catalogue.substrates[new.substrate].family == "unknown" else "none"
    zone = Zone(
        uuid=uuid4(), part_uuid=part.uuid, face_uuid=face.uuid, name="whole", area_m2=new.area_m2, old_finish=old,
        shape={"kind": "typed", "typed_m2": new.area_m2}, substrate=new.substrate,
    )  # fmt: skip
    for row in (part, face, zone):  # in the order of their keys
        opened.add(row)
        opened.flush()
    entry = Entry(
        uuid=uuid4(),
        payload=MovePayload(space=new.space),
        occurred_at=at or desk.now(),
        targets=(Target(project=project.uuid, part=part.uuid, zone=zone.uuid),),
        person="shop",
        device="web",
    )
    log.append(opened, entry, desk.now())
    return part


def all_projects(opened: Session) -> list[Project]:
    """Return all projects with their parts, newest first."""
    query = select(Project).options(selectinload(Project.parts)).order_by(Project.created_at.desc())
    return list(opened.scalars(query))


def find_part(opened: Session, uuid: UUID) -> Part:
    """Return a part with its project and zones. Raises Missing."""
    query = select(Part).where(Part.uuid == uuid)
    part = opened.scalar(query.options(selectinload(Part.project)))
    if part is None:
        raise Missing("part")
    return part


def zone_facts(desk: Desk, part: Part) -> list[ZoneFacts]:
    """Return what the survey says of the zones of a part."""
    faces = {face.uuid: face for face in part.faces}
    substrates = desk.catalogue.substrates
    return [
        ZoneFacts(
            uuid=z.uuid, name=z.name, area_m2=z.area_m2, kind=z.kind, setting=faces[z.face_uuid].setting,
            ground=substrates[z.substrate or part.substrate].family, bare_since=z.bare_since, strip=z.strip,
            keep_texture=z.keep_texture, old_finish=z.old_finish, old_state=z.old_state,  # type: ignore[arg-type]
            shape=(z.shape or {}).get("kind", "typed"), word_of_another=z.word_of_another,
            method=faces[z.face_uuid].method,  # type: ignore[arg-type]
        )
        for z in part.live_zones
    ]  # fmt: skip


@dataclass(frozen=True, eq=False)
class Surroundings:
    """What all parts share: the weather, the spaces, and what the shop has learned."""

    weather: Weather
    spaces: dict[UUID, Space]
    learned: Lessons


def surroundings(desk: Desk, opened: Session, weather: Weather) -> Surroundings:
    """Look around once, for any number of parts."""
    spaces = spaces_by_id(opened)
    return Surroundings(weather, spaces, lessons(desk, opened, weather, spaces))


def stand(desk: Desk, opened: Session, part: Part, seq: int, around: Surroundings) -> Standing:
    """Work out how a part stands now."""
    weather, spaces = around.weather, around.spaces
    state = state_of(desk, opened, part, seq)
    substrate = desk.catalogue.substrates[part.substrate]
    climate = part_climate(desk, opened, state, substrate.mass, spaces, weather)
    space = spaces[state.stays[-1].space]
    still = _unmoving(desk, opened, part, _Known(seq, state, climate, weather, around.learned, space.uuid))
    look = Outlook(
        still.here, still.clocks, climate, still.products, desk.now(), still.groups, state, still.factor
    )  # fmt: skip
    action = decide(still.ahead, look)
    version = (part.uuid, seq, part.changes)
    return Standing(
        part, still.system, still.products, state, climate, still.clocks, still.steps, action, look, space,
        still.zones, version,
    )  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Unmoving:
    """What about a part changes only with its log or the weather, not with the minute."""

    system: System
    products: dict[str, Product]
    steps: list[Progress]
    ahead: Step | None
    here: PartState  # as the zones of the next step see it
    clocks: list[CoatClock]
    groups: tuple[tuple[frozenset[UUID], list[CoatClock]], ...]
    zones: tuple[ZoneFacts, ...]
    factor: FactorOf


@dataclass(frozen=True, eq=False)
class _Known:
    """What is known of a part before its clocks are worked out."""

    seq: int
    state: PartState
    climate: PartClimate
    weather: Weather
    learned: Lessons
    space: UUID


def _unmoving(desk: Desk, opened: Session, part: Part, known: _Known) -> _Unmoving:
    state, climate = known.state, known.climate

    def factor(product: str, without: UUID | None, mode: Mode) -> Factor:
        return known.learned.factor(product, known.space, mode, without)

    def make() -> _Unmoving:
        system = System.model_validate(part.system)
        products = {key: desk.revision(opened, name) for key, name in part.revisions.items()}
        revisions = {c.payload.coating: desk.revision(opened, c.payload.coating) for c in state.coats}
        facts = zone_facts(desk, part)
        steps = steps_of(system, facts)
        following = following_product(steps, state, products)
        along = progress(steps, state)
        ahead = next((p.step for p in along if p.status == "next"), None)
        here = state.seen_by(ahead.zones if ahead else frozenset())
        clocks = coat_clocks(here, climate, following, revisions, factor)
        apart = state.histories()  # one group needs no clocks of its own: it is the part
        groups = tuple(
            (g, coat_clocks(state.seen_by(g), climate, following, revisions, factor)) for g in apart if len(apart) > 1
        )
        return _Unmoving(system, products, along, ahead, here, clocks, groups, tuple(facts), factor)

    key = ("clocks", part.uuid, known.seq, known.weather.version, part.changes, known.learned.by_space.get(known.space))
    found: _Unmoving = desk.memo.get(key, make)
    return found


def stand_one(desk: Desk, opened: Session, uuid: UUID, weather: Weather) -> Standing:
    """Work out how one part stands. Raises Missing."""
    part = find_part(opened, uuid)
    seq = log.last_seqs(opened, [uuid]).get(uuid, 0)
    return stand(desk, opened, part, seq, surroundings(desk, opened, weather))


def stand_all(desk: Desk, opened: Session, weather: Weather) -> list[Standing]:
    """Work out how every part stands."""
    query = select(Part).options(selectinload(Part.project)).order_by(Part.created_at)
    seqs = log.last_seqs(opened)
    around = surroundings(desk, opened, weather)
    return [stand(desk, opened, part, seqs.get(part.uuid, 0), around) for part in opened.scalars(query)]


def working_day(shop: Shop) -> WorkingDay:
    """Return when a shop works, by its own clock."""
    return WorkingDay(time.fromisoformat(shop.opens), time.fromisoformat(shop.closes), zone_of(shop))


def rest_of(desk: Desk, opened: Session, found: Standing) -> Plan:
    """Lay the rest of a part's work out along time; kept for the minute."""
    shop = desk.shop(opened)
    assert shop is not None  # a part belongs to a shop
    left = [p.step for p in found.steps if p.status in ("next", "ahead")]
    key = ("rest", found.version, desk.now().replace(second=0, microsecond=0), found.climate)
    made: Plan = desk.memo.get(key, lambda: plan_rest(left, found.look, working_day(shop), found.part.area_m2))
    return made


def facts(found: Standing) -> dict[str, Any]:
    """Return the figures that a coat entry promises: what the screen said when the button was pressed."""
    top = found.look.top
    closes = top.bands.get(top.rule.closes) if top and top.rule.closes else None
    return {
        "phase": str(found.action.state),
        "opens": top.opens.likely if top and top.opens else None,
        "closes": closes.likely if closes else None,
    }
