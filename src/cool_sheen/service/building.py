"""The builder's bench: one system, on a part or on the shelf, changed one step at a time, and looked over each time."""

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from uuid import NAMESPACE_OID, UUID, uuid5

from cool_sheen.core.advice.consequence import (
    Consequence,
    MethodCost,
    Setting,
    consequence,
    methods_compared,
    riskier,
)
from cool_sheen.core.advice.findings import Bed, Finding, look_over
from cool_sheen.core.advice.remedies import Choices, take
from cool_sheen.core.advice.schools import Draft, School, Side, sides_of
from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.compatibility import Way
from cool_sheen.core.coatings.families import GROUNDS
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.film.build import Build
from cool_sheen.core.film.planned import planned_build
from cool_sheen.core.log.entries import OverridePayload
from cool_sheen.core.log.history import History, Stay
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.formats.catalogue import compatibility
from cool_sheen.service.climate import part_climate
from cool_sheen.service.histories import history_of
from cool_sheen.service.jobs import find_part, spaces_by_id, zone_facts
from cool_sheen.service.journal import Press, write_on_part
from cool_sheen.service.part_now import PartNow
from cool_sheen.service.shelf import check_names, key_of, save, take_back
from cool_sheen.service.shelf_now import WholeShelf, shelf_now
from cool_sheen.service.survey import bed_of, still_abraded
from cool_sheen.service.unit import Missing, Refused, Unit
from cool_sheen.service.working_day import working_day
from cool_sheen.store.models import Part, ShelfSheet

Edit = Callable[[System], System]
_MOST_EARLIER = 30
_SAMPLE_M2 = 2.0


@dataclass(frozen=True)
class Site:
    """What a system is laid on: a part as surveyed, or a sample ground for a system of the shelf."""

    zones: tuple[ZoneFacts, ...]
    history: History
    setting: Setting
    part: Part | None = None
    sample: str = ""


@dataclass(frozen=True)
class Design:
    """A system on its site, looked over: all that the builder shows."""

    system: System
    site: Site
    shelf: WholeShelf
    products: dict[str, Product]
    bed: Bed
    findings: list[Finding]
    figures: Consequence
    films: dict[str, Build]
    can_undo: bool


def site_of_part(unit: Unit, part: Part) -> Site:
    """Return a part as the builder sees it: bare of coats, in its own space, from now on."""
    history = history_of(unit, part)
    mass = unit.catalogue.substrates[part.substrate].mass
    climate = part_climate(unit, history, mass)
    zones = tuple(history.as_logged(zone_facts(unit, part)))
    return Site(zones, history, Setting(zones, climate, working_day(unit), unit.now, {}), part)


def site_of_sample(unit: Unit, ground: str) -> Site:
    """Return a sample for a system of the shelf: two square metres with an edge, in the first space."""
    family, _, state = ground.partition(":")
    if family not in GROUNDS:
        family, state = "bare_steel", ""
    old = "none" if family != "unknown" and not state else "unknown"
    spaces = spaces_by_id(unit)
    if not spaces:
        raise Refused("Make a space first: the drying times need a climate.")
    space = next(iter(spaces.values()))
    zones = tuple(
        ZoneFacts(
            uuid5(NAMESPACE_OID, kind),
            words,
            share * _SAMPLE_M2,
            kind,
            ground=family,  # type: ignore[arg-type]
            old_finish=old,
        )
        for kind, words, share in (("face", "Faces", 0.9), ("edge", "Edges", 0.1))
    )
    history = History(builds={zone.uuid: Build() for zone in zones})
    history.stays = [Stay(unit.now, space.uuid)]
    climate = part_climate(unit, history, "sheet_metal")
    return Site(zones, history, Setting(zones, climate, working_day(unit), unit.now, {}), None, family)


def look_at(unit: Unit, system: System, site: Site, can_undo: bool = False) -> Design:
    """Lay a system on its bed: findings, figures, film."""
    shelf = shelf_now(unit)
    products = _products(unit, site.part, shelf)
    setting = replace(site.setting, products=products)
    bed = bed_of(unit, site.zones, site.history, system)
    findings = look_over(system, products, bed, compatibility())
    films = {zone.name: planned_build(system, products, zone) for zone in site.zones}
    figures = consequence(system, setting, findings)
    site = replace(site, setting=setting)
    return Design(system, site, shelf, products, bed, findings, figures, films, can_undo)


def findings_of(unit: Unit, found: PartNow) -> list[Finding]:
    """Look the stack of a part over, with the sheets that it was planned with."""
    bed = bed_of(unit, found.zones, found.history, found.system)
    return look_over(found.system, found.products, bed, compatibility())


def _products(unit: Unit, part: Part | None, shelf: WholeShelf) -> dict[str, Product]:
    """The shelf's sheets, but those that a part was planned with."""
    mine = {key: unit.revision(name) for key, name in part.revisions.items()} if part else {}
    return {**shelf.products, **mine}


def built_on_part(unit: Unit, uuid: UUID) -> Design:
    """Return the builder of a part's system. Raises Missing."""
    part = find_part(unit, uuid)
    system = System.model_validate(part.system)
    return look_at(unit, system, site_of_part(unit, part), bool(part.earlier_systems))


def built_on_shelf(unit: Unit, key: str, ground: str) -> Design:
    """Return the builder of a system of the shelf, on a sample ground. Raises Missing."""
    system = shelf_now(unit).systems.get(key)
    if system is None:
        raise Missing("system")
    row = unit.session.get(ShelfSheet, ("system", key))
    return look_at(unit, system, site_of_sample(unit, ground), bool(row and row.earlier))


def change_part(unit: Unit, uuid: UUID, change: Edit) -> None:
    """Change the system of a part, and keep how it was. Raises Refused, CoreError, Missing."""
    part = find_part(unit, uuid)
    before = System.model_validate(part.system)
    after = change(before)
    if after == before:
        return
    shelf = shelf_now(unit)
    check_names(unit, shelf, after)
    gone = {la.id for la in before.layers} - {la.id for la in after.layers}
    history = history_of(unit, part)
    if worked := [c.payload.layer_id for c in history.coats if c.payload.layer_id in gone]:
        name = before.layer(worked[0]).name
        raise Refused(f"{name} has coats on it in the log: it can be left out from here, not taken away.")
    part.earlier_systems = [*part.earlier_systems, part.system][-_MOST_EARLIER:]
    _put(unit, part, after, shelf)


def _put(unit: Unit, part: Part, system: System, shelf: WholeShelf) -> None:
    part.system = json.loads(system.model_dump_json())
    fresh = {k: unit.keep(shelf.products[k]) for k in system.products() if k not in part.revisions}
    part.revisions = part.revisions | fresh
    unit.session.flush()


def undo_part(unit: Unit, uuid: UUID) -> None:
    """Put the system of a part back to how it was before the last change. Raises Refused, Missing."""
    part = find_part(unit, uuid)
    if not part.earlier_systems:
        raise Refused("There is no change to take back.", status=409)
    *rest, before = part.earlier_systems
    part.earlier_systems = rest
    _put(unit, part, System.model_validate(before), shelf_now(unit))


def new_system(unit: Unit, name: str, product: str, like: str, notes: dict[str, str]) -> str:
    """Make a system of the shop's own: like another one, or blank, with one layer.

    Args:
        unit: The unit of work.
        name: What it is called.
        product: The key of the first layer's product; for a blank one.
        like: The key of a system to start from; empty for a blank one.
        notes: What was wrong so far, by field.

    Returns: Its key.
    Raises: Refused: with notes at the fields.
    """
    shelf, notes = shelf_now(unit), dict(notes)
    if like and like not in shelf.systems:
        notes["from"] = "Choose a system of the list."
    if not like and product not in shelf.products:
        notes["product"] = "Choose the product of its first layer, or a system to start from."
    if notes:
        raise Refused("The system was not made.", notes)
    key = _fresh_key(name, shelf)
    made = edit.renamed(shelf.systems[like], key, name) if like else edit.blank(key, name, shelf.products[product])
    save(unit, "system", made, new=True)
    return key


def kept_for_the_shop(unit: Unit, design: Design, name: str) -> str:
    """Put a part's system on the shelf under a name of its own, for other parts. Returns its key.

    What is for one zone of the part by its name is for zones of its kind there. Raises Refused.
    """
    if not name:
        raise Refused("The system was not kept.", {"keep_name": "Enter a name for the shop's system."})
    key = _fresh_key(name, shelf_now(unit))
    kinds = {f"zone:{z.name}": z.kind for z in design.site.zones}
    save(unit, "system", edit.renamed(edit.with_wheres(design.system, kinds), key, name), new=True)
    return key


def _fresh_key(name: str, shelf: WholeShelf) -> str:
    short = key_of(name)
    return next(key for n in range(1, 1000) if (key := short if n == 1 else f"{short}-{n}") not in shelf.systems)


def change_shelf(unit: Unit, key: str, change: Edit) -> None:
    """Change a system of the shelf; one that ships becomes the shop's own. Raises Refused, CoreError, Missing."""
    before = shelf_now(unit).systems.get(key)
    if before is None:
        raise Missing("system")
    after = change(before)
    if after != before:
        save(unit, "system", after)


def undo_shelf(unit: Unit, key: str) -> None:
    """Take the last change of a system of the shelf back. Raises Refused."""
    if not take_back(unit, "system", key):
        raise Refused("There is no change to take back.", status=409)


def finding_at(design: Design, rule: str, place: str) -> Finding:
    """Return a finding by its rule and place. Raises Refused when it is gone."""
    found = next((f for f in design.findings if (f.rule, f.place) == (rule, place)), None)
    if found is None:
        raise Refused("This finding is gone by now: look again.", status=409)
    return found


def offered(design: Design, finding: Finding) -> list[Way]:
    """Return the ways out of a finding that would change something: not those that the system has taken already."""
    planned = {step.kind for step in design.system.prepare}
    stripped = "strip" in planned and design.site.part is None  # on a part the survey says which zones are stripped
    there = {"strip": stripped, "test": "test_patch" in planned, "key": finding.place.endswith(" keyed")}
    if finding.rule == "bare-gone-off":  # what the preparation is going to abrade is not abraded twice
        there["abrade"] = bool(still_abraded(design.site.zones, design.site.history, design.system))
    open_to = [way for way in finding.ways if way.change != "nothing" and not there.get(way.change, False)]
    return [way for way in open_to if _does_something(design, finding, way)]


def _does_something(design: Design, finding: Finding, way: Way) -> bool:
    """Whether a way changes the system, and the shelf has what it takes; a strip changes the survey of a part."""
    choices = Choices(design.system, design.products, design.bed.grounds, compatibility())
    try:
        return take(way.change, finding, choices) != design.system or way.change == "strip"
    except Inconsistent:
        return False


def taken_way(design: Design, rule: str, place: str, way: str) -> Edit:
    """Return the change that a way out of a finding makes. Raises Refused, Inconsistent."""
    finding = finding_at(design, rule, place)
    chosen = next((w for w in finding.ways if w.key == way), None)
    if chosen is None:
        raise Refused("This finding has no such way out.", status=409)
    choices = Choices(design.system, design.products, design.bed.grounds, compatibility())
    after = take(chosen.change, finding, choices)
    return lambda _: after


def strip_zones(unit: Unit, design: Design, place: str) -> None:
    """When a way strips a part, its zones are to be stripped: what the survey found there stays as it is."""
    part = design.site.part
    if part is None:
        return
    about = {z.uuid for g in design.bed.grounds if place.endswith(f"{g.below.family} {g.below.state}") for z in g.zones}
    for zone in part.live_zones:
        if zone.uuid in about:
            zone.strip = "planned"
    unit.session.flush()


def override(unit: Unit, design: Design, press: UUID, finding: Finding, reason: str) -> None:
    """Keep a written reason for going against a finding: in the system, and on a part in its log."""
    if not reason.strip():
        raise Refused("The reason is missing.", {"reason": "Write why it is done all the same: it stays with the job."})
    part = design.site.part

    def change(system: System) -> System:
        return edit.overridden(system, finding.rule, finding.place, reason.strip())

    if part is None:
        change_shelf(unit, design.system.key, change)
        return
    change_part(unit, part.uuid, change)
    said = OverridePayload(rule=f"{finding.rule}: {finding.title}"[:200], verdict=finding.verdict)
    write_on_part(unit, part, said, Press(press), reason=reason.strip()[:4000])


@dataclass(frozen=True)
class SideShown:
    """One side of a school, worked out."""

    side: Side
    figures: Consequence
    risks: list[str]
    chosen: bool
    system: System


def school_sides(unit: Unit, design: Design, school: School) -> list[SideShown]:
    """Work out every side of a school on this system, by the functions that the plan uses."""
    table = compatibility()
    work = Draft(design.system, design.site.zones, design.products)
    pairs = sides_of(school, work)
    figures = []
    for _, after in pairs:
        bed = bed_of(unit, after.zones, design.site.history, after.system)
        findings = look_over(after.system, design.products, bed, table)
        figures.append(consequence(after.system, replace(design.site.setting, zones=after.zones), findings))
    risks = riskier(figures)
    return [
        SideShown(side, figure, risk, after.system == design.system, after.system)
        for (side, after), figure, risk in zip(pairs, figures, risks, strict=True)
    ]


def taken_side(unit: Unit, design: Design, school: School, side: str) -> Edit:
    """Return the change that a side of a school makes. Raises Refused."""
    shown = next((s for s in school_sides(unit, design, school) if s.side.key == side), None)
    if shown is None:
        raise Refused("This question does not arise on this system.", status=409)
    return lambda _: shown.system


def methods_of(design: Design) -> list[MethodCost]:
    """Compare the ways of applying this system here."""
    return methods_compared(design.system, design.site.setting)
