"""A whole stack looked over: every layer over what is below it, films and counts, layers that must not be missing."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

from cool_sheen.core.coatings.compatibility import GRAVITY, Below, Over, RuleTable, Verdict, Way
from cool_sheen.core.coatings.families import BELOW_WORDS, FAMILY_WORDS, STATE_WORDS, State
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Layer, System
from cool_sheen.core.film.build import dry_film
from cool_sheen.core.film.planned import sanding_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Micron

PRIMES = ("primer", "sealer", "barrier")  # "add a primer" is no way out for one of these


@dataclass(frozen=True, slots=True)
class Ground:
    """What some zones of a part offer to the first coat that they get; no zones stand for the whole part."""

    zones: tuple[ZoneFacts, ...]
    below: Below
    why: str = ""

    @property
    def names(self) -> str:
        """The zones by name."""
        return ", ".join(zone.name for zone in self.zones) or "the part"


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to know about a stack. ``place`` names the layer, and what it stands on, for an override."""

    verdict: Verdict
    layer_id: str
    place: str
    title: str
    reason: str
    rule: str
    source: str
    ways: tuple[Way, ...] = ()
    overridden: str = ""

    @property
    def standing(self) -> Verdict:
        """The verdict that counts: what was overridden in words is taken with care."""
        return "care" if self.overridden and self.verdict == "no" else self.verdict


def look_over(
    system: System, products: Mapping[str, Product], grounds: Sequence[Ground], table: RuleTable
) -> list[Finding]:
    """Find out what is wrong with a stack, layer by layer from below.

    Args:
        system: The stack.
        products: The sheets of its products, by key.
        grounds: What the survey found; empty when nothing was surveyed.
        table: The compatibility table.

    Returns: One finding for each pair of neighbours, good ones too, and one for each figure or layer that is amiss.
    """
    reasons = {(o.rule, o.place): o.reason for o in system.overrides}
    found = [*_pairs(system, products, grounds, table), *_structure(system, products, table)]
    return [_with_reason(f, reasons) for f in found]


def worst(findings: Sequence[Finding]) -> Verdict:
    """Return the gravest verdict that stands; good when there is none."""
    return max((f.standing for f in findings), key=GRAVITY.__getitem__, default="good")


def _with_reason(finding: Finding, reasons: Mapping[tuple[str, str], str]) -> Finding:
    reason = reasons.get((finding.rule, finding.place), "")
    if not reason:
        return finding
    return replace(finding, overridden=reason)


def _pairs(
    system: System, products: Mapping[str, Product], grounds: Sequence[Ground], table: RuleTable
) -> Iterator[Finding]:
    """Follow each zone up through the layers that it gets: a zone that a layer passes by meets the next one bare."""
    seen: set[str] = set()
    for ground in _by_chain(system, grounds):
        chain = _chain(system, ground.zones[0] if ground.zones else None)
        found = [_on_ground(layer, products[layer.product], ground, table) for layer in chain[:1]]
        found += [_on_layer(layer, under, products, table) for under, layer in pairwise(chain)]
        yield from (f for f in found if f.place not in seen)
        seen |= {f.place for f in found}


def _chain(system: System, zone: ZoneFacts | None) -> list[Layer]:
    return [la for la in system.used if zone is None or any(zone.takes(coat.where) for coat in la.coats)]


def _by_chain(system: System, grounds: Sequence[Ground]) -> list[Ground]:
    """Split grounds where their zones get different layers."""
    out: list[Ground] = []
    for ground in grounds or (Ground((), Below("unknown", "unknown")),):
        groups: dict[tuple[str, ...], list[ZoneFacts]] = {}
        for zone in ground.zones:
            groups.setdefault(tuple(la.id for la in _chain(system, zone)), []).append(zone)
        out += [Ground(tuple(zones), ground.below, ground.why) for zones in groups.values()] or [ground]
    return out


def state_between(below: Layer, product: Product, over: Product) -> State:
    """The state in which a layer meets the next one, as the system has it: the plan keeps to the window."""
    if below.sanding or "degloss" in below.then:
        return "keyed"
    rule = product.rule_for(over)
    closes = (rule.closes and rule.closes != rule.opens) or rule.redissolves
    return "cured" if below.then and not closes else "open"


def _on_ground(layer: Layer, over: Product, ground: Ground, table: RuleTable) -> Finding:
    answer = table.judge(ground.below, Over(over.family, layer.role))
    answer = replace(answer, ways=tuple(w for w in answer.ways if w.change != "prime" or layer.role not in PRIMES))
    state = "" if ground.below.state == "bare" else f", {STATE_WORDS[ground.below.state]}"
    title = f"{layer.name} on {BELOW_WORDS[ground.below.family]}{state}: {ground.names}"
    place = f"{layer.id} on {ground.below.family} {ground.below.state}"
    return Finding(answer.verdict, layer.id, place, title, answer.reason, answer.rule, answer.source, answer.ways)


def _on_layer(layer: Layer, under: Layer, products: Mapping[str, Product], table: RuleTable) -> Finding:
    product, over = products[under.product], products[layer.product]
    below = Below(product.family, state_between(under, product, over), under.role)
    answer = table.judge(below, Over(over.family, layer.role))
    families = f"{FAMILY_WORDS[over.family]} on {FAMILY_WORDS[product.family]}"
    title = f"{layer.name} over {under.name}: {families}, {STATE_WORDS[below.state]}"
    place = f"{layer.id} on {under.id} {below.state}"
    reason = answer.reason
    if product.never_sanded and below.state == "keyed":
        reason = f"{reason} {product.name} is never sanded: its flakes show every scratch."
        care: Verdict = "no"
        return Finding(
            care, layer.id, place, title, reason, "metallic-never-sanded", "trade practice: metallic", answer.ways
        )
    return Finding(answer.verdict, layer.id, place, title, reason, answer.rule, answer.source, answer.ways)


def _structure(system: System, products: Mapping[str, Product], table: RuleTable) -> Iterator[Finding]:
    layers = system.used
    for place, layer in enumerate(layers):
        product = products[layer.product]
        following = layers[place + 1] if place + 1 < len(layers) else None
        yield from _films(layer, product)
        if product.never_last and following is None:
            yield Finding(
                "no",
                layer.id,
                f"{layer.id} on top",
                f"{layer.name} is the last layer",
                f"{product.name} is no top coat: {product.never_last}.",
                "needs-a-topcoat",
                "trade practice: epoxy",
                (table.ways["topcoat"],),
            )
        if layer.broadcast and (following is None or following.coats[0].kind != "cover"):
            yield Finding(
                "no",
                layer.id,
                f"{layer.id} grit open",
                f"Grit in {layer.name} lies open",
                "Broadcast grit wants a plain cover coat: without it the grit wears out and holds dirt.",
                "cover-over-grit",
                "trade practice: coats that must come last",
                (table.ways["cover"],),
            )


def _films(layer: Layer, product: Product) -> Iterator[Finding]:
    for number, coat in enumerate(layer.coats, start=1):
        if coat.kind in ("mist", "stripe", "drop"):
            continue
        if coat.wet_film_um > product.wet_film_max_um:
            runs = (
                f" Over {product.runs_over_um:g} µm it runs on a vertical face."
                if (coat.wet_film_um > product.runs_over_um)
                else ""
            )
            yield Finding(
                "care",
                layer.id,
                f"{layer.id} coat {number} thick",
                f"{layer.name}, coat {number} is thick",
                f"{coat.wet_film_um:g} µm wet; the sheet goes to {product.wet_film_max_um:g} µm.{runs}",
                "film-over-range",
                "product sheet",
            )
        if coat.wet_film_um < product.wet_film_min_um:
            yield Finding(
                "care",
                layer.id,
                f"{layer.id} coat {number} thin",
                f"{layer.name}, coat {number} is thin",
                f"{coat.wet_film_um:g} µm wet; the sheet asks for {product.wet_film_min_um:g} µm.",
                "film-under-range",
                "product sheet",
            )
    everywhere = [c for c in layer.coats if c.counted and c.where == "all"] or [c for c in layer.coats if c.counted]
    dry = sum(dry_film(c.wet_film_um, product.volume_solids_pct) for c in everywhere)
    left = dry - sanding_of(layer)
    if layer.reserve_um and left < layer.reserve_um:
        yield Finding(
            "care",
            layer.id,
            f"{layer.id} reserve",
            f"{layer.name} is sanded under its reserve",
            f"{_left_words(left)} after sanding, of {layer.reserve_um:g} µm. One more coat, or less sanding.",
            "reserve",
            "trade practice: dry film ledger",
        )


def _left_words(um: Micron) -> str:
    return f"{um:.0f} µm are left" if um >= 1 else "Nothing is left"
