"""The run sheet of a day: what is done when, by whom, and what to have ready for it."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from functools import partial
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Caution
from cool_sheen.core.errors import CoreError
from cool_sheen.core.mixing.ratios import batch
from cool_sheen.core.mixing.recipes import Choice, mix_of
from cool_sheen.core.units import amount
from cool_sheen.core.work.steps import CoatStep, HeatStep, SandStep, Step
from cool_sheen.formats.calendar_file import Item, Ring
from cool_sheen.service.gun import cards
from cool_sheen.service.kept_plans import Kept, LineSaid
from cool_sheen.service.log_words import gun_words
from cool_sheen.service.part_now import PartNow, live_parts
from cool_sheen.service.shelf_now import shelf_now
from cool_sheen.service.unit import Unit

_A_QUARTER = timedelta(minutes=15)
_LITTLE_ML = 1.0


@dataclass(frozen=True, slots=True)
class SheetLine:
    """One line of a run sheet."""

    line: LineSaid
    part: str
    zones: str
    ready: tuple[str, ...]
    done: bool


@dataclass(frozen=True, slots=True)
class RunSheet:
    """A day's lines, and the cautions of what is done and used."""

    lines: list[SheetLine]
    cautions: list[Caution]


def run_sheet(unit: Unit, plan: Kept, day: date | None, done: frozenset[int] = frozenset()) -> RunSheet:
    """Return the run sheet of a day by a kept plan; of all of it, where no day is given."""
    live = {p.part.uuid: p for p in live_parts(unit)}
    mine = [line for line in plan.said.lines if line.hands_min and _is_on(unit, line, day)]
    names = {p.part: p.name for p in plan.said.parts}
    out, kinds, products = [], [], []
    for line in mine:
        found, step = live.get(line.part or UUID(int=0)), step_of(line, live)
        zones = found.situation.names(frozenset(line.zones)) if found and line.zones else ""
        name = names.get(line.part, "") if line.part else _for_whom(plan.said.lines, line, names)
        out.append(SheetLine(line, name, zones, tuple(_ready(unit, plan.said.lines, line, step, live)), line.n in done))
        kinds.append(line.kind)
        if (product := _product(line, live, plan.said.lines)) is not None:
            products.append(product)
    return RunSheet(out, unit.catalogue.cautions_for(kinds, products))


def _is_on(unit: Unit, line: LineSaid, day: date | None) -> bool:
    return day is None or line.start.astimezone(unit.zone).date() == day


def step_of(line: LineSaid, live: Mapping[UUID, PartNow]) -> Step | None:
    """Return the step that a line is about; None for what was put in, and what the shop does around it."""
    found = live.get(line.part) if line.part else None
    return next((s for s in found.owed.steps if s.id == line.step), None) if found else None


def _coats_of(lines: Sequence[LineSaid], mix: LineSaid) -> list[LineSaid]:
    return [line for line in lines if line.kind == "coat" and line.batch == mix.batch is not None]


def _for_whom(lines: Sequence[LineSaid], line: LineSaid, names: Mapping[UUID, str]) -> str:
    """The parts that a mix is for."""
    coats = _coats_of(lines, line) if line.kind == "mix" else []
    return ", ".join(dict.fromkeys(names[c.part] for c in coats if c.part and c.part in names))


def _product(line: LineSaid, live: Mapping[UUID, PartNow], lines: Sequence[LineSaid]) -> Product | None:
    coat = next(iter(_coats_of(lines, line)), None) if line.kind == "mix" else line if line.kind == "coat" else None
    step = step_of(coat, live) if coat else None
    found = live.get(coat.part) if coat and coat.part else None
    return found.products[step.layer.product] if found and isinstance(step, CoatStep) else None


def _ready(
    unit: Unit, lines: Sequence[LineSaid], line: LineSaid, step: Step | None, live: Mapping[UUID, PartNow]
) -> list[str]:
    volume = partial(amount, dimension="volume", units=unit.the_shop.units)
    product = _product(line, live, lines)
    if line.kind == "mix":
        return _mix(unit, lines, line, product, live)
    if isinstance(step, CoatStep) and product is not None:
        return _coat(unit, line, step, product)
    if isinstance(step, SandStep):
        return [f"{step.grit}, {'wet' if step.wet else 'dry'}", *step.to_tick]
    if isinstance(step, HeatStep):
        return [*step.to_tick]
    if line.kind in ("wipe", "tack", "degrease", "degloss", "turn", "mask", "unmask"):
        return [*([_HAVE[line.kind]] if line.kind in _HAVE else []), *(step.to_tick if step else ())]
    return [f"{volume(line.ml)} of paint"] if line.ml else []


_HAVE = {
    "wipe": "clean cloths", "tack": "a tack cloth", "degrease": "degreaser, two cloths", "degloss": "a grey pad",
    "turn": "padding, clean supports", "mask": "tape and paper",
}  # fmt: skip


def _mix(
    unit: Unit, lines: Sequence[LineSaid], line: LineSaid, product: Product | None, live: Mapping[UUID, PartNow]
) -> list[str]:
    """Components for all coats that come out of the pot."""
    coats = _coats_of(lines, line)
    ready = sum(coat.ml or 0.0 for coat in coats)
    volume = partial(amount, dimension="volume", units=unit.the_shop.units)
    first = step_of(coats[0], live) if coats else None
    if product is None or ready < _LITTLE_ML or not isinstance(first, CoatStep):
        return []
    count = f"for {len(coats)} {'coat' if len(coats) == 1 else 'coats'}"
    choice = Choice(first.layer.hardener_speed, first.layer.reducer_speed, first.method)
    try:
        poured = batch(mix_of(product, shelf_now(unit).supplies, choice).recipe, ready)
    except CoreError:
        return [f"{volume(ready)} {count}"]
    return [f"{volume(ready)} {count}: {', '.join(f'{volume(p.ml)} {p.name}' for p in poured.pours)}"]


def _coat(unit: Unit, line: LineSaid, step: CoatStep, product: Product) -> list[str]:
    units = unit.the_shop.units
    said = [f"{amount(step.coat.wet_film_um, 'film', units)} wet"]
    if product.nozzle_mm and line.tool == "gun":
        said.append(f"nozzle {product.nozzle_mm[0]:g} to {product.nozzle_mm[1]:g} mm")
    card = next(iter(cards.offer(unit, product.key)), None) if line.tool == "gun" else None
    if card is not None:
        said.append(f"as last time: {gun_words(card.said.in_the_log(), units)}")
    if line.ml:
        said.append(f"{amount(line.ml, 'volume', units)} of it")
    if step.number == 1:
        said.append(product.first_coat)
    return [*said, *step.to_tick]


def items(unit: Unit, plan: Kept, done: frozenset[int]) -> list[Item]:
    """Return what is still ahead of a plan as events, with alarms for openings, closings and last safe starts."""
    out = []
    for row in run_sheet(unit, plan, None).lines:
        line = row.line
        if line.n in done:
            continue
        rings = [Ring(-_A_QUARTER, f"In a quarter of an hour: {line.label}, {row.part}")]
        if line.opens is not None:
            rings.append(Ring(min(line.opens - line.start, timedelta(0)), f"Go and test: {row.part}"))
        if line.closes is not None:
            rings.append(Ring(line.closes - line.start - _A_QUARTER, f"Its window closes: {line.label}, {row.part}"))
            rings.append(Ring(line.closes - line.start, f"Last safe start: {line.label}, {row.part}"))
        words = f"{line.label}: {row.part}" if row.part else line.label
        more = "\n".join([row.zones, *row.ready, line.because]).strip()
        end = line.start + timedelta(minutes=line.hands_min)
        key = (line.part, line.step, line.zones, line.kind, line.n if line.part is None else "")
        out.append(Item(repr(key), line.start, end, words, more, tuple(rings)))
    return out
