"""Untidy logbooks: three zones worked in any order, things forgotten, taken back, claimed, baked; looked at in between."""

import random
from uuid import UUID

from cool_sheen.core.drying.blend import Blend
from cool_sheen.core.drying.milestones import Mode
from cool_sheen.core.log.entries import (
    CheckPayload,
    ClaimPayload,
    Entry,
    Recorded,
    SandPayload,
    StepPayload,
    SurveyTestPayload,
    Target,
    VoidPayload,
)
from cool_sheen.core.part.placing import gates_of
from cool_sheen.core.part.situation import Pot
from cool_sheen.core.part.status import statuses
from cool_sheen.core.plan.last_start import last_starts
from cool_sheen.core.work.steps import CoatStep, SandStep
from tests.told.jobs import GROUNDS, weather
from tests.told.telling import Page
from tests.unit.paper import UTC_DAY, PaperPart, at, zone

_LINES = 34


class Logbook:
    """A part and the die that decides what is done to it next."""

    def __init__(self, key: str, seed: int) -> None:
        ground = GROUNDS.get(key, "bare_steel")
        zones = [zone(n, a, ground=ground, kind=k, setting=s) for n, a, k, s in
                 (("front", 0.9, "face", 1), ("edge", 0.2, "edge", 1), ("back", 0.7, "face", 2))]  # fmt: skip
        self.part = PaperPart(key, weather(), *zones, day=UTC_DAY)
        self.die = random.Random(seed)
        self.hours = 0.2
        self.claims: list[UUID] = []
        self.part.factor = lambda asked: (0.18 if asked.mode is Mode.REACTIVE else -0.12, 0.17)
        first = self.part.system.used[0].product
        self.part.pots = {first: Pot(Blend("fast", "slow", factor=1.3), at(30))}

    def roll(self, *choices):
        """One of some things."""
        return choices[int(self.die.random() * len(choices))]

    def where(self) -> str:
        """Some of the zones, or all of them."""
        return self.roll("", "", "front", "edge", "back", "front edge", "edge back")

    def line(self) -> None:
        """Do one thing, sensible or not, and let some time pass."""
        self.hours += self.roll(0.05, 0.2, 0.6, 1.5, 4, 11, 20)
        rest = self.part.rest(self.hours)
        step = rest.steps[0].step if rest.steps and self.die.random() < 0.62 else self.roll(*self.part.steps)
        where = (
            " ".join(z.name for z in self.part.zones if z.uuid in step.zones)
            if self.die.random() < 0.5
            else self.where()
        )
        self.roll(self.work, self.work, self.work, self.work, self.work, self.odd)(step, where)

    def work(self, step, where: str) -> None:
        """A step, under its own name or not."""
        part, named = self.part, step.id if self.die.random() < 0.6 else None
        if isinstance(step, CoatStep):
            uuid = part.coat(self.hours, step.layer.id, step.coat.kind, step.coat.wet_film_um, where,
                             counts=step.coat.counted, hardener_speed=self.roll("standard", "slow"))  # fmt: skip
            if named:
                entry = part.lines[-1].entry.model_copy(update={"planned_step": named})
                part.lines[-1] = part.lines[-1].model_copy(update={"entry": entry})
            assert uuid
        elif isinstance(step, SandStep):
            part.write(
                self.hours,
                SandPayload(grit=step.grit, removal_um=step.removal_um, wet=self.roll(True, False)),
                named,
                where,
            )
        elif step.kind == "bake":
            part.write(self.hours, StepPayload(kind="bake", minutes=35, metal_temp_c=80), step.id, where)
        else:
            part.step(self.hours, step.kind, named, where)

    def odd(self, step, where: str) -> None:
        """What else stands in a log."""
        part = self.part
        what = int(self.die.random() * 7)
        if what == 0 and part.lines:
            self.void(self.roll(*part.lines).entry.uuid)
        elif what == 1 and part.coats:
            top = max(
                (f.top for f in part.look(self.hours).films if f.top), key=lambda t: t.coat.ended_at, default=None
            )
            if top:
                part.touch(self.hours, self.roll(True, False), top.rule.opens, where)
        elif what == 2:
            part.skip(self.hours, step.id, zones=where)
        elif what == 3:
            claim = ClaimPayload(
                says=self.roll("wash", "degrease", "sand"), grit=self.roll(None, "P120"), whose="the owner"
            )
            self.claims.append(part.write(self.hours, claim, zones=where))
        elif what == 4 and self.claims:
            part.write(self.hours, CheckPayload(claim=self.roll(*self.claims), holds=self.roll(True, False)))
        elif what == 5:
            part.write(self.hours, SurveyTestPayload(test="solvent_rub", result="softens"), zones=where)
        else:
            part.step(self.hours, self.roll("wipe", "degloss", "tack", "turn"), None, where)

    def void(self, what: UUID) -> None:
        """Take an entry back."""
        when = at(self.hours)
        entry = Entry(uuid=UUID(int=len(self.part.lines) + 1), payload=VoidPayload(), occurred_at=when, voids=what,
                      targets=tuple(Target(zone=z.uuid) for z in self.part.zones))  # fmt: skip
        self.part.lines.append(Recorded(seq=len(self.part.lines) + 1, recorded_at=when, entry=entry))


def logbook(key: str) -> str:
    """Tell two logbooks of a system."""
    page = Page()
    for seed in (1, 2):
        book = Logbook(key, seed)
        page.names = {z.uuid: z.name for z in book.part.zones}
        page.head(f"{key}, {seed}")
        for n in range(_LINES):
            book.line()
            row = book.part.lines[-1] if book.part.lines else None
            if row:
                said = row.entry
                page.say(
                    said.occurred_at, said.payload.kind, said.planned_step or "", tuple(t.zone for t in said.targets)
                )
            if n % 5 == 4:
                _looked(page, book, book.hours + book.roll(0.01, 0.5, 3, 14))
    return page.text()


def _looked(page: Page, book: Logbook, hours: float) -> None:
    situation, action, rest = book.part.look(hours), book.part.action(hours), book.part.rest(hours)
    history, owed = situation.history, situation.owed
    page.say("  at", situation.now, action.state, action.says, action.does, action.zones, counts=action.counts_to,
             counting=action.counting, because=action.because, resumes=action.resumes, band=action.band, grit=action.grit, tested=action.tested)  # fmt: skip
    for row in statuses(situation):
        film = row.film.top.film if row.film.top else None
        page.say("    ", row.zones, row.state, until=row.until, closes=row.closes, tested=row.tested, warnings=row.warnings,
                 sanded=row.film.key.sanded, wiped=row.film.key.wiped, damp=row.film.key.damp_until,
                 below=film.below_um if film else 0.0)  # fmt: skip
    page.say(
        "     owed",
        {r.step.id: r.status for r in owed.rows if r.status != "done"},
        passed=[r.step.id for r in owed.passed_over()],
    )
    page.say("     film", {z.name: history.builds[z.uuid].total_um for z in book.part.zones}, dict(history.counts),
             breaks=[(b.layers, b.shows, b.where, b.seen) for b in history.breaks], claims=[c.holds for c in history.claims.values()], bakes=[b.bake.metal_temp_c for b in history.bakes],
             surveyed=len(history.surveyed), apart=[sorted(page.names[z] for z in zone.zones) for zone in history.apart()])  # fmt: skip
    for p in rest.steps[:5]:
        page.say(
            "     then",
            p.start,
            p.end,
            p.step.id,
            p.step.zones,
            p.reason,
            p.wait,
            waits=p.waits,
            closes=p.closes,
            spare=p.spare,
        )
    page.say("     ends", rest.ends, stuck=rest.stuck, keyings=rest.keyings)
    if hours % 3 < 1:
        page.say("     today", last_starts(situation))
    step = next((p.step for p in rest.steps if isinstance(p.step, CoatStep)), None)
    if step is not None:
        page.say(
            "     gates",
            [
                (g.shut_at(situation.now) is None, g.safe_s(situation.now.timestamp()) - situation.now.timestamp())
                for g in gates_of(situation, step, situation.now)
            ],
        )
