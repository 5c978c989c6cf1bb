"""Whether a plan of a shop could be followed: the log is written as it says, and every step is held against the log.

Nothing here asks the planner or the part's account: films come from the folded log, gates from their climate.
"""

from collections.abc import Mapping, Sequence
from datetime import datetime, timedelta
from itertools import accumulate, pairwise
from typing import Any
from uuid import UUID, uuid4

from tests.unit.paper import PaperPart

from cool_sheen.core.climate.series import seconds
from cool_sheen.core.drying.clock import FilmBelow
from cool_sheen.core.log.entries import CoatPayload, Entry, Recorded, SandPayload, StepPayload, Target
from cool_sheen.core.log.said import blended
from cool_sheen.core.part.film_clock import mark_of
from cool_sheen.core.part.gate import CoatGate, GoingOn
from cool_sheen.core.part.key import WIPE_LASTS
from cool_sheen.core.part.placed import Planned
from cool_sheen.core.scheduling.booking import Booked
from cool_sheen.core.scheduling.crew import HELPS, Shop
from cool_sheen.core.work.walk import Stand

A_SECOND = timedelta(seconds=1)
SPRAYED = ("hvlp", "conventional", "airless")


def breaches(lines: Sequence[Booked], parts: Mapping[UUID, PaperPart], shop: Shop) -> list[str]:
    """Everything that a plan breaks, in words; nothing when it could be followed."""
    found = [*_hands(lines, shop), *_tools(lines, parts, shop), *_pots(lines, parts), *_rooms(lines, parts, shop)]
    for key, paper in parts.items():
        found += _part(sorted((b for b in lines if b.part == key), key=lambda b: b.start), paper, shop)
    return found


# --- what parts share -------------------------------------------------------------------------------------
def _hands(lines: Sequence[Booked], shop: Shop) -> list[str]:
    out = []
    for name in {b.worker for b in lines}:
        mine = sorted((b for b in lines if b.worker == name and b.hands), key=lambda b: b.start)
        if name == "Helper":
            out += [f"the helper does {b.label}" for b in mine if b.kind not in HELPS]
        out += [
            f"{name} is at {b.label} and at {a.label} at {b.start}"
            for a, b in pairwise(mine)
            if b.start < a.start + a.hands
        ]
        out += [f"{b.label} at {b.start} is out of hours" for b in mine if not _is_open(shop, b.start, b.hands)]
        out += [
            f"{b.label} at {b.start}: nobody works then"
            for b in mine
            for shut in shop.blocked
            if b.start < shut.to and shut.since < b.start + b.hands
        ]
    if len({b.worker for b in lines if b.hands} - {"Helper"}) > shop.crew.painters:
        out.append("more hands than there are")
    out += [f"{b.label} stands before its pin" for b in lines if b.planned and b.start < _pin(shop, b)]
    return [*out, *(f"{b.label} begins before now" for b in lines if b.start < shop.now and b.kind != "wait")]


def _pin(shop: Shop, line: Booked) -> datetime:
    named = (line.part, line.planned.step.id if line.planned else "")
    return shop.pins.get(named, shop.now) if line.part else shop.now


def _is_open(shop: Shop, start: datetime, labour: timedelta) -> bool:
    local = start.astimezone(shop.hours.zone)
    hours = shop.hours.on(local.date())
    end = (start + labour).astimezone(shop.hours.zone)
    return (
        hours is not None and hours.opens <= local.time() and end.date() == local.date() and end.time() <= hours.closes
    )


def _product(line: Booked, parts: Mapping[UUID, PaperPart]) -> Any:
    return parts[line.part].products[line.planned.step.layer.product] if line.kind == "coat" else None


def _tools(lines: Sequence[Booked], parts: Mapping[UUID, PaperPart], shop: Shop) -> list[str]:
    """One product in a tool at a time, and a clean-out before the next; so many guns, and no more."""
    out = []
    for tool in {b.tool for b in lines if b.tool}:
        coats = sorted((b for b in lines if b.tool == tool and b.kind == "coat"), key=lambda b: b.start)
        cleans = sorted((b for b in lines if b.tool == tool and b.kind == "clean_gun"), key=lambda b: b.start)
        out += [
            f"{tool} is never cleaned after {coat.label}"
            for coat in coats
            if not any(c.product == coat.product and c.start >= coat.end for c in cleans)
        ]
        if shop.crew.guns == 1 or tool != "gun":
            for a, b in pairwise(coats):
                between = [c for c in cleans if a.end <= c.start and c.end <= b.start and c.product == a.product]
                if a.product != b.product and not between:
                    out.append(f"{tool} goes from {a.label} to {b.label} uncleaned")
                if b.start < a.end:
                    out.append(f"{tool} is at {a.label} and at {b.label}")
        else:
            edges = [e for b in coats for e in ((b.start, 1), (b.end, -1))]
            most = max(accumulate(step for _, step in sorted(edges)), default=0)
            out += ["more coats at once than guns"] if most > shop.crew.guns else []
    return out


def _pots(lines: Sequence[Booked], parts: Mapping[UUID, PaperPart]) -> list[str]:
    """Each coat comes out of a pot that was mixed for its product, stood its time, and had not gelled."""
    out = []
    mixes = {b.batch: b for b in lines if b.kind == "mix"}
    for coat in (b for b in lines if b.kind == "coat"):
        product, paper = _product(coat, parts), parts[coat.part]
        if not coat.tool or product.key in paper.pots:
            continue
        mix = mixes.get(coat.batch)
        if mix is None or mix.product != product.key:
            out.append(f"{coat.label} comes out of no pot")
            continue
        if coat.start < mix.end + timedelta(minutes=product.mix.induction_minutes):
            out.append(f"{coat.label} comes before its mix has stood")
        life = product.mix.pot_life_minutes
        if life:
            used = [_aged(product, paper, coat, since) for since in (mix.end, coat.start)]
            if used[0] > 1.02 and used[1] < 0.95:  # a coat that takes longer than any pot lasts is another matter
                out.append(f"{coat.label} comes out of a pot that has gelled at {coat.end}")
    return out


def _aged(product: Any, paper: PaperPart, coat: Booked, since: datetime) -> float:
    """The share of a pot's life that is used up when a coat ends."""
    minutes = (coat.end - since).total_seconds() / 60
    middles = [since + timedelta(minutes=minutes * (n + 0.5) / 20) for n in range(20)]
    life = product.mix.pot_life_minutes * coat.planned.blend.reactive_factor
    return sum(minutes / 20 / life * 2 ** ((paper.climate.air_at(at) - product.ref_temp_c) / 10) for at in middles)


def _rooms(lines: Sequence[Booked], parts: Mapping[UUID, PaperPart], shop: Shop) -> list[str]:
    """No more wet parts in a room than it holds."""
    out = []
    for room, most in shop.holds.items():
        wet = []
        for key, paper in parts.items():
            if paper.space != room:
                continue
            written = paper.copy()
            for line in sorted((b for b in lines if b.part == key), key=lambda b: b.start):
                done = _write(written, line)
                if line.kind != "coat" or done is None:
                    continue
                film = written.look_at(line.end).film_of(next(iter(line.planned.step.zones)))
                mark = next((m for m in ("dust_free", "tack_free") if m in film.top.bands), None)
                if mark and film.top.bands[mark].late:
                    wet.append((line.start, film.top.bands[mark].late, key))
        for start, _, _ in wet:
            there = {k for s, e, k in wet if s <= start and start + A_SECOND < e}
            if len(there) > most:
                out.append(f"{len(there)} wet parts in a room for {most} at {start}")
    return out


# --- one part, by its log --------------------------------------------------------------------------------
def _part(lines: list[Booked], paper: PaperPart, shop: Shop) -> list[str]:
    out, written = [], paper.copy()
    out += [
        f"{b.label} begins before {a.label} is done"
        for a, b in pairwise(lines)
        if b.start < a.end - A_SECOND and "wait" not in (a.kind, b.kind)
    ]
    for line in lines:
        if line.planned is None or line.kind == "wait":
            continue
        situation = written.look_at(line.start)
        if line.kind == "coat":
            out += _coat(line, line.planned, written, situation, shop)
        out += _waits(line.planned, situation, shop)
        _write(written, line)
    left = written.look_at(lines[-1].end + timedelta(days=40)).owed.left() if lines else []
    out += [f"{row.step.label} is never done" for row in left]
    return out


def _coat(line: Booked, planned: Planned, paper: PaperPart, situation: Any, shop: Shop) -> list[str]:
    step, product, out = planned.step, paper.products[planned.step.layer.product], []
    place = next((n for n, s in enumerate(situation.owed.steps) if s.id == step.id), 0)
    for zone in step.zones:
        owed = [n for n, stand in situation.owed.by_zone[zone].items() if n < place and stand is Stand.OWED]
        out += [f"{line.label} before {situation.owed.steps[n].label}" for n in owed]
        film = situation.film_of(zone)
        out += _window(line, film, product, shop)
        below = FilmBelow(film.top.drying, film.top.film) if film.top else None
        coat = GoingOn(
            product.drying, product.limits.limits(), step.coat.wet_film_um, line.hands.total_seconds() / 60,
            coat_kind=step.coat.kind, below=below,
        ).mixed(planned.blend)  # fmt: skip
        shut = CoatGate(film.climate, coat).shut_at(line.start)
        if shut and shut.to_s - seconds(line.start) > 90:
            out.append(f"{line.label} at {line.start}: {shut.reason}")
        if product.coats_a_day:
            day = shop.hours.day_of(line.end)
            had = [
                c for c in situation.history.coats
                if zone in c.zones and c.payload.coating == product.content_hash and shop.hours.day_of(c.ended_at) == day
            ]  # fmt: skip
            if len(had) >= product.coats_a_day:
                out.append(f"{line.label}: {len(had) + 1} coats on {day}")
    return out


def _window(line: Booked, film: Any, product: Any, shop: Shop) -> list[str]:
    top = film.top
    if top is None:
        return []
    if film.key.sanded is not None:
        wiped = film.key.wiped
        fresh = wiped is not None and line.start - wiped <= WIPE_LASTS
        return [] if fresh else [f"{line.label} goes on a film that was sanded and not wiped"]
    rule = top.product.rule_for(product)
    out, now = [], line.start == shop.now
    opens, closes = top.bands[rule.opens], top.bands[rule.closes] if rule.closes else None
    opened = opens.likely if now and opens.likely and opens.likely <= shop.now else opens.late
    if opened is None or line.start < opened - A_SECOND:
        out.append(f"{line.label} at {line.start} goes on a wet film: it opens at {opened}")
    if closes is not None and not rule.redissolves:
        at_hand = line.start <= shop.now + timedelta(minutes=15)
        any_time = closes.early is not None and closes.early <= shop.now and at_hand
        shut = closes.likely if now or any_time else closes.early
        lifted = rule.lifts_until and top.bands[rule.lifts_until].late
        over = shut is not None and line.start > shut + A_SECOND
        may_lie = not rule.lifts_until or (lifted and line.start >= lifted)
        fresh = ":fresh" in line.planned.step.id or (top.product.key == product.key and not top.keyed_by)
        if over and not (fresh and may_lie):
            out.append(f"{line.label} at {line.start} goes on a film that closed at {shut}")
    return out


def _waits(planned: Planned, situation: Any, shop: Shop) -> list[str]:
    """Work that waits for a mark of the film below."""
    name = "sand" if planned.step.kind == "sand" else getattr(planned.step, "after", None)
    if name is None:
        return []
    out = []
    for zone in planned.step.zones:
        top = situation.film_of(zone).top
        mark = mark_of(top.product, name) if top else None
        if mark is None:
            continue
        band = top.bands[mark]
        ready = band.likely if planned.start == shop.now and band.likely and band.likely <= shop.now else band.late
        if ready is None or planned.start < ready - A_SECOND:
            out.append(f"{planned.step.label} at {planned.start} before {mark} at {ready}")
    return out


def _write(paper: PaperPart, line: Booked) -> UUID | None:
    """Write a line of a plan into a log, as it would be written when it is done."""
    planned = line.planned
    if planned is None or line.kind == "wait":
        return None
    step = planned.step
    if line.kind == "coat":
        product = paper.products[step.layer.product]
        said = {
            "layer_id": step.layer.id, "coat_kind": step.coat.kind, "counts": step.coat.counted and bool(step.needs),
            "coating": product.content_hash, "volume_solids_pct": product.volume_solids_pct,
            "wet_film_um": step.coat.wet_film_um, **blended(planned.blend),
        }  # fmt: skip
        payload: Any = CoatPayload.model_validate(said)
    elif line.kind == "sand":
        payload = SandPayload(grit=step.grit, removal_um=0, wet=step.wet)
    else:
        heat = {"metal_temp_c": step.metal_temp_c, "minutes": step.hold(winter=False)} if line.kind == "bake" else {}
        payload = StepPayload.model_validate({"kind": line.kind, **heat})
    own = not planned.inserted
    entry = Entry(
        uuid=uuid4(), payload=payload, occurred_at=line.end, planned_step=step.id if own else None,
        targets=tuple(Target(zone=z) for z in step.zones),
    )  # fmt: skip
    paper.lines.append(Recorded(seq=len(paper.lines) + 1, recorded_at=line.end, entry=entry))
    return entry.uuid
