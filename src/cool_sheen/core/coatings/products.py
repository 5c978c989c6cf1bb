"""A product's data as the shop keeps them: everything that the calculators need, checked when it is read."""

import hashlib
import itertools
from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property
from typing import Annotated, Any, Literal, Self

from pydantic import Field, StringConstraints, model_validator

from cool_sheen.core.climate.gates import Limits
from cool_sheen.core.coatings.families import Family, Role
from cool_sheen.core.coatings.sheet_fields import Basis as ShareOf
from cool_sheen.core.coatings.sheet_fields import (
    GritName,
    Key,
    Method,
    Positive,
    Share,
    Strict,
    Temperature,
    Text,
    TouchHow,
    parted,
)
from cool_sheen.core.coatings.systems import CoatKind
from cool_sheen.core.complaints import FieldError
from cool_sheen.core.drying.label import with_build_loads
from cool_sheen.core.drying.milestones import WORDS, Basis, DryingData, Milestone, Mode, usual_basis
from cool_sheen.core.drying.phases import RecoatRule
from cool_sheen.core.units import Micron

# Roles and families that are never the last layer, whatever their sheets say.
NEVER_LAST: dict[str, str] = {
    "surfacer": "it wants a clear or a topcoat", "sealer": "it wants a clear or a topcoat",
    "primer": "it wants a clear or a topcoat", "filler": "it wants a primer and a topcoat",
    "basecoat_solvent": "it is matt and soft until it is cleared",
    "basecoat_water": "it is matt and soft until it is cleared",
}  # fmt: skip


_HARD = ("sand", "turn", "handle", "assemble", "polish", "full_cure")  # none of it before a film has flashed off
Thinning = Annotated[float, Field(ge=0, le=900, allow_inf_nan=False)]


CLOSES = "recoat_closes"


class MilestoneData(Strict):
    """One milestone on a product sheet: minutes at the reference climate and film."""

    name: Key
    mode: Mode
    ref_minutes: Positive
    activation_kj_per_mol: Annotated[float, Field(ge=0, le=500, allow_inf_nan=False)] | None = None
    counts_for: Basis | None = None  # what the time is for; the usual one of its kind where the label does not say
    after: CoatKind | None = None  # the kind of coat just put on, where its time is another
    film_um: Positive | None = None  # the film that the time is for, where it is not the reference


class WindowData(Strict):
    """A recoat rule and what must follow for it to hold: ``itself``, a family, or ``any``.

    One that closes with the mark that opens it never takes a coat as it is: only when it was sanded.
    """

    follows: Literal["any", "itself"] | Family = "any"
    opens: Key
    closes: Key | None = None
    lifts_until: Key | None = None
    sand: Key | None = None
    redissolves: bool = False

    def rule(self) -> RecoatRule:
        """Return the rule without its condition. What closes it and what it lifts until are marks of their own."""
        return RecoatRule(self.opens, self.closing, self.safe_again, self.sand, self.redissolves)

    @property
    def only_sanded(self) -> bool:
        """Whether a film never takes a coat as it is."""
        return self.closes is not None and self.closes == self.opens

    @property
    def closing(self) -> str | None:
        """The name of the limit that closes it: that of a mark which is also reached by drying stands apart from it."""
        if self.closes is None or self.closes == CLOSES or self.only_sanded:
            return self.closes
        return f"{CLOSES}_{self.closes}"

    @property
    def safe_again(self) -> str | None:
        """The name of the mark from which a coat lifts it no more: on a thin build no sooner than the label says."""
        return f"lifts_until_{self.lifts_until}" if self.lifts_until else None


class LimitData(Strict):
    """The climate that a product asks for while it is open."""

    air_min_c: Temperature
    air_max_c: Temperature
    rh_max_pct: Share
    rh_min_pct: Share = 0
    surface_min_c: Temperature | None = None
    surface_max_c: Temperature | None = None
    dew_margin_k: Annotated[float, Field(ge=0, le=20)] = 3.0

    @model_validator(mode="after")
    def _ascending(self) -> Self:
        for of, least, most in (
            ("air temperature", self.air_min_c, self.air_max_c),
            ("humidity", self.rh_min_pct, self.rh_max_pct),
            ("surface temperature", self.surface_min_c, self.surface_max_c),
        ):
            if least is not None and most is not None and least >= most:
                raise ValueError(f"the least {of}, {least:g}, must be under the most, {most:g}")
        return self

    def limits(self) -> Limits:
        """Return the gate's limits; a surface without its own goes by the air's."""
        return Limits(
            air_c=(self.air_min_c, self.air_max_c),
            surface_c=(
                self.air_min_c if self.surface_min_c is None else self.surface_min_c,
                self.air_max_c if self.surface_max_c is None else self.surface_max_c,
            ),
            rh_pct=(self.rh_min_pct, self.rh_max_pct),
            dew_margin_k=self.dew_margin_k,
        )


class MixPart(Strict):
    """One component of the mix."""

    name: Text
    parts: Positive
    density_g_per_ml: Positive


class ReducerData(Strict):
    """How far a product may be thinned, and what the percentage is of."""

    name: Text
    max_pct: Thinning
    of: ShareOf
    usual_pct: Thinning = 0
    density_g_per_ml: Positive | None = None  # of one that only this sheet knows

    @model_validator(mode="after")
    def _leaves_paint(self) -> Self:
        if self.of == "ready" and max(self.max_pct, self.usual_pct) >= 100:
            raise ValueError("a share of the ready mix stays under 100 %, or nothing is left for the paint")
        return self


class MixData(Strict):
    """How the ready mix is made."""

    measure: Literal["volume", "weight"] = "volume"
    parts: Annotated[tuple[MixPart, ...], Field(min_length=1)]
    reducer: ReducerData | None = None
    induction_minutes: Annotated[float, Field(ge=0, le=240)] = 0
    pot_life_minutes: Positive | None = None
    strainer_um: Positive | None = None
    tolerance_pct: Annotated[float, Field(gt=0, le=20)] = 5.0

    @property
    def ratio(self) -> str:
        """The ratio as painters write it, such as ``4 : 1``."""
        return " : ".join(f"{part.parts:g}" for part in self.parts)


class HeatStage(Strict):
    """One hold of a staged heat: the metal's temperature, how long it stays there, and what to see to before it counts.

    ``prompts`` are parted by semicolons: each is ticked when the stage is logged.
    """

    metal_temp_c: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)]
    hold_minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)]
    winter_hold_minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)] | None = None
    prompts: Text | None = None

    def hold(self, *, winter: bool) -> float:
        """How long it is held in a season. [min]"""
        return self.winter_hold_minutes if winter and self.winter_hold_minutes else self.hold_minutes

    @property
    def to_tick(self) -> tuple[str, ...]:
        """What is ticked when it is logged."""
        return parted(self.prompts)


class AerosolData(Strict):
    """A coating that comes in a can."""

    can_ml: Positive
    usable_fraction: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 0.8


class Product(Strict):
    """One coating on the shelf. The drying times are those of the ready mix at the reference climate."""

    key: Key
    name: Text
    family: Family
    role: Role
    swatch: Annotated[str, StringConstraints(pattern=r"^#[0-9a-f]{6}$")]
    note: Text = "no note"
    source: Text
    volume_solids_pct: Annotated[float, Field(gt=0, le=100)]
    wet_film_min_um: Positive
    wet_film_max_um: Positive
    ref_temp_c: Temperature
    ref_rh_pct: Share
    ref_wet_film_um: Positive
    stall_temp_c: Temperature | None = None
    min_film_forming_temp_c: Temperature | None = None
    milestones: Annotated[tuple[MilestoneData, ...], Field(min_length=1, max_length=40)]
    windows: Annotated[tuple[WindowData, ...], Field(min_length=1, max_length=20)]
    limits: LimitData
    mix: MixData
    sag_limit_um: Positive | None = None
    hiding_um: Positive | None = None
    label_m2_per_l: Positive | None = None
    heat_stages: Annotated[tuple[HeatStage, ...], Field(max_length=12)] = ()
    aerosol: AerosolData | None = None
    methods: Annotated[tuple[Method, ...], Field(min_length=1)] = ("hvlp", "conventional")
    needs_over: Text | None = None
    key_grit: GritName = "P400"
    coats_a_day: Annotated[int, Field(ge=1, le=20)] | None = None
    build_coats: Annotated[int, Field(ge=1, le=20)] = 2  # that the sheet recommends: what "the last coat" means
    thin_under_pct: Annotated[float, Field(gt=0, le=100, allow_inf_nan=False)] = 80  # of the least film, of one reading
    film_adds_up: bool = False  # its coats are one film: a thin place is mended by the sum of them
    film_exponent: Annotated[float, Field(ge=0, le=3, allow_inf_nan=False)] | None = None  # nought: sets by itself
    nozzle_mm: tuple[Positive, Positive] | None = None
    screen_out: bool = False  # the gun's own screen would hold back what makes it what it is
    never_sanded: bool = False
    past_window: Literal["fresh", "pad"] = "fresh"  # what one that is never sanded gets when its window has closed
    ready_tests: Annotated[tuple[TouchHow, ...], Field(max_length=4)] = ()  # all of them, before the next coat
    first_coat: Text = "a first coat that looks thin is often right"
    prompts: Text | None = None  # parted by semicolons: each is ticked when a coat is logged
    cautions: tuple[Key, ...] = ()

    @model_validator(mode="after")
    def _sound(self) -> Self:
        names = [m.name for m in self.milestones]
        self._sound_by_kind()
        if unknown := [n for n in names if n not in WORDS]:
            raise ValueError(f"no such milestone: {', '.join(unknown)}")
        minutes = {m.name: m.ref_minutes for m in self.milestones if m.after is None}
        for place, window in enumerate(self.windows):
            named = (window.opens, window.closes, window.lifts_until, window.sand)
            if missing := [n for n in named if n and n not in names]:
                raise ValueError(
                    f"recoat window {place + 1} names “{'”, “'.join(WORDS.get(n, n) for n in missing)}”, which is no "
                    "milestone of this product"
                )
            if window.closes and not window.only_sanded and minutes[window.opens] >= minutes[window.closes]:
                opens, closes = minutes[window.opens], minutes[window.closes]
                at = next(n for n, m in enumerate(self.milestones) if m.name == window.closes and m.after is None)
                raise FieldError(
                    f"milestones.{at}.ref_minutes",
                    f"The next coat can go on after {opens:g} min, and its window closes after {closes:g} min: it must "
                    f"close later than it opens. Enter more than {opens:g} min.",
                )
        heat = [stage.metal_temp_c for stage in self.heat_stages]
        if any(hot <= cool for cool, hot in itertools.pairwise(heat)):
            raise ValueError("the heat stages must rise from one to the next")
        if self.sag_limit_um is not None and self.sag_limit_um < self.wet_film_min_um:
            raise ValueError("it would run under its least wet film: the limit of runs must not be under it")
        if self.wet_film_min_um > self.wet_film_max_um:
            raise ValueError("the least wet film must not be over the most")
        return self

    def _sound_by_kind(self) -> None:
        """A mark stands once, and once more for each kind of coat after which its time is another."""
        if len({(m.name, m.after) for m in self.milestones}) < len(self.milestones):
            raise ValueError("each milestone may stand once only, and once for each kind of coat")
        usual = {m.name: m.mode for m in self.milestones if m.after is None}
        for mark in self.milestones:
            if usual.get(mark.name) != mark.mode:
                raise ValueError(
                    f"“{WORDS.get(mark.name, mark.name)}” after a {mark.after} coat wants the same mark for the other "
                    "coats, driven by the same"
                )

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """Return a copy; what was worked out of this sheet is none of a changed one."""
        copied = super().model_copy(update=update, deep=deep)
        for worked_out in ("drying", "content_hash"):
            copied.__dict__.pop(worked_out, None)
        return copied

    @cached_property
    def drying(self) -> DryingData:
        """What the clock needs. Two revisions that dry alike have the same."""
        marks = [(m.after, self._mark(m)) for m in self.milestones]
        data = DryingData(
            ref_temp_c=self.ref_temp_c,
            ref_rh_pct=self.ref_rh_pct,
            ref_wet_film_um=self.ref_wet_film_um,
            milestones=(*(mark for after, mark in marks if after is None), *self._of_windows()),
            stall_temp_c=self.stall_temp_c,
            min_film_forming_temp_c=self.min_film_forming_temp_c,
            by_kind=tuple((after, mark) for after, mark in marks if after is not None),
        )
        return with_build_loads(data, self.rule_for(self).opens, self.build_coats, self.coats_a_day)

    def _mark(self, said: MilestoneData) -> Milestone:
        """A time with what it is for; one after a kind of coat is that of such a coat, whatever its film."""
        exponent = 0.0 if said.after is not None and said.film_um is None else self.film_exponent
        return Milestone(
            said.name,
            said.mode,
            said.ref_minutes,
            said.activation_kj_per_mol,
            ref_film_um=said.film_um,
            basis=self.basis_of(said),
            exponent=exponent,
            is_limit=said.name == CLOSES,
        )

    def _of_windows(self) -> list[Milestone]:
        """What windows state by a mark that a film also reaches by drying: closings, and until when it lifts."""
        marks = {m.name: m for m in self.milestones if m.after is None}
        found: dict[str, Milestone] = {}
        for window in self.windows:
            if window.closes and window.closing and window.closing != window.closes:
                found[window.closing] = replace(self._mark(marks[window.closes]), name=window.closing, is_limit=True)
            if window.lifts_until and window.safe_again:
                lifts = replace(self._mark(marks[window.lifts_until]), name=window.safe_again, basis=Basis.BUILD)
                found[window.safe_again] = replace(lifts, least_share=1.0)
        return list(found.values())

    def basis_of(self, said: MilestoneData) -> Basis:
        """What one of its times is for, as the label says it or as is usual."""
        redissolves = any(window.redissolves for window in self.windows)
        opens = said.name in {window.opens for window in self.windows if not window.only_sanded}
        return said.counts_for or usual_basis(said.name, said.ref_minutes, opens=opens, redissolves=redissolves)

    def contradictions(self) -> dict[str, str]:
        """What its times contradict each other in, by place: nothing is hard before it has flashed off."""
        usual = {m.name: m.ref_minutes for m in self.milestones if m.after is None}
        flash = usual.get("flash", 0.0)
        return {
            f"milestones.{place}.ref_minutes": f"{WORDS[m.name].capitalize()} after {m.ref_minutes:g} min is before it "
            f"has flashed off, after {flash:g} min. Enter {flash:g} min or more, or a shorter time between coats."
            for place, m in enumerate(self.milestones)
            if m.after is None and m.name in _HARD and m.ref_minutes < flash
        }

    @property
    def to_tick(self) -> tuple[str, ...]:
        """What is seen to with each coat."""
        return parted(self.prompts)

    @property
    def keyed_by(self) -> tuple[str, ...]:
        """The work that keys its film: sanding and a pad; of one that is never sanded what its sheet says."""
        if not self.never_sanded:
            return ("sand", "degloss")
        return ("degloss",) if self.past_window == "pad" else ()

    @property
    def never_last(self) -> str:
        """Why it wants something on top, in words; nothing where it may be the last."""
        return self.needs_over or NEVER_LAST.get(self.role, "") or NEVER_LAST.get(self.family, "")

    def rule_for(self, following: "Product | None") -> RecoatRule:
        """Return the recoat rule kept by what follows: itself first, then its family, then anything."""
        wanted = ["any"]
        if following is not None:
            wanted = (["itself"] if following.key == self.key else []) + [following.family, "any"]
        for name in wanted:
            for window in self.windows:
                if window.follows == name:
                    return window.rule()
        return self.windows[0].rule()

    @cached_property
    def content_hash(self) -> str:
        """SHA-256 of what the sheet says; the name of a revision. A field that is left out changes nothing."""
        return hashlib.sha256(self.model_dump_json(exclude_defaults=True).encode()).hexdigest()

    @property
    def runs_over_um(self) -> Micron:
        """The wet film that runs on a vertical face: the sheet's, else a fifth over its range. [um]"""
        return self.sag_limit_um or 1.2 * self.wet_film_max_um
