"""A whole stack looked over: every layer over what is below it, films and counts, layers that must not be missing."""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise
from uuid import UUID

from cool_sheen.core.coatings.compatibility import GRAVITY, Below, Over, RuleTable, Verdict, Way
from cool_sheen.core.coatings.families import BELOW_WORDS, FAMILY_WORDS, STATE_WORDS, State
from cool_sheen.core.coatings.order import spoiled
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Layer, System
from cool_sheen.core.film.build import dry_film
from cool_sheen.core.film.hiding import HIDES_ROLES, coats_missing, film_of, hiding_film, is_pale, is_strong, lies_below
from cool_sheen.core.film.planned import sanding_of
from cool_sheen.core.survey.demands import Demand
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
class Asked:
    """What the survey found on some zones, and what that demands; ``by`` is the test that found it."""

    demand: Demand
    zones: tuple[ZoneFacts, ...]
    by: str = ""


@dataclass(frozen=True, slots=True)
class Bed:
    """What a stack is laid on: grounds, what the survey demands, and the colours of old finishes by zone."""

    grounds: Sequence[Ground] = ()
    asked: Sequence[Asked] = ()
    old_colours: Mapping[UUID, str] = field(default_factory=dict)


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
    of_ground: bool = False  # it is about what was found on the part: it is said until it is seen to

    @property
    def standing(self) -> Verdict:
        """The verdict that counts: what was overridden in words is taken with care."""
        return "care" if self.overridden and self.verdict == "no" else self.verdict


def look_over(system: System, products: Mapping[str, Product], bed: Bed, table: RuleTable) -> list[Finding]:
    """Find out what is wrong with a stack, layer by layer from below.

    Args:
        system: The stack.
        products: The sheets of its products, by key.
        bed: What the survey found; nothing of it when nothing was surveyed.
        table: The compatibility table.

    Returns: One finding for each pair of neighbours, good ones too, and one for each figure or layer that is amiss.
    """
    reasons = {(o.rule, o.place): o.reason for o in system.overrides}
    found = [
        *_demanded(system, products, bed.asked, table),
        *_pairs(system, products, bed.grounds, table),
        *_structure(system, products, table),
        *_hiding(system, products, bed, table),
        *_order(system, table),
    ]
    return [_with_reason(f, reasons) for f in found]


def worst(findings: Sequence[Finding]) -> Verdict:
    """Return the gravest verdict that stands; good when there is none."""
    return max((f.standing for f in findings), key=GRAVITY.__getitem__, default="good")


def _with_reason(finding: Finding, reasons: Mapping[tuple[str, str], str]) -> Finding:
    reason = reasons.get((finding.rule, finding.place), "")
    if not reason:
        return finding
    return replace(finding, overridden=reason)


def _demanded(
    system: System, products: Mapping[str, Product], asked: Sequence[Asked], table: RuleTable
) -> Iterator[Finding]:
    """What was found on a zone demands its layer or key until the system has it there."""
    for one in asked:
        demand, chains = one.demand, {zone.uuid: _chain(system, zone) for zone in one.zones}
        zones = [z for z in one.zones if demand.asks(z, chains[z.uuid])]
        zones = [z for z in zones if not demand.met(system, chains[z.uuid], products)]
        if not zones:
            continue
        lowest = chains[zones[0].uuid][0]
        names = ", ".join(z.name for z in zones)
        yield Finding(
            demand.verdict,
            lowest.id,
            f"{lowest.id} for {demand.key}",
            f"{demand.title}: {names}",
            f"{demand.reason} Found by: {one.by}." if one.by else demand.reason,
            demand.key,
            demand.source,
            tuple(table.ways[way] for way in demand.ways),
            of_ground=True,
        )


def _hiding(system: System, products: Mapping[str, Product], bed: Bed, table: RuleTable) -> Iterator[Finding]:
    """A pale colour over a strong one wants the film that hides."""
    seen: set[str] = set()
    for ground in _by_chain(system, bed.grounds):
        for zone in ground.zones or (None,):
            chain = _chain(system, zone)
            old = bed.old_colours.get(zone.uuid, "") if zone else ""
            for place, layer in enumerate(chain):
                found = _hides(layer, lies_below(chain, place, products, old), zone, products, table)
                if found and found.place not in seen:
                    seen.add(found.place)
                    yield found


def _hides(
    layer: Layer, below: tuple[str, str], zone: ZoneFacts | None, products: Mapping[str, Product], table: RuleTable
) -> Finding | None:
    product, (name, colour) = products[layer.product], below
    wanted = hiding_film(product)
    pale_over_strong = colour and is_strong(colour) and is_pale(product.swatch)
    if layer.role not in HIDES_ROLES or not pale_over_strong:
        return None
    coats = [c for c in layer.coats if zone is None or zone.takes(c.where)]
    film, more = film_of(coats, product), coats_missing(coats, product)
    if film >= wanted - 1e-9:
        return None
    return Finding(
        "care",
        layer.id,
        f"{layer.id} over {name}",
        f"{layer.name} over {name}: it will show through",
        f"{film:.0f} µm dry; a pale colour over a dark or strong one wants {wanted:.0f} µm to hide"
        f"{'' if product.hiding_um else ', where its sheet does not say'}: {more} more "
        f"{'coat' if more == 1 else 'coats'}, or a pale primer below.",
        "hides-short",
        "trade practice: coats to hide",
        (table.ways["hide"], table.ways["prime"]),
        of_ground=name == "the old finish",
    )


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
    if below.broadcast:
        return "open"  # no key: the plain coat over it is a fresh coat of itself
    if below.sanding or below.does("degloss"):
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
    stale = answer.rule == "bare-gone-off" and bool(ground.why)
    reason = f"{answer.reason} It was {ground.why}." if stale else answer.reason
    return Finding(
        answer.verdict, layer.id, place, title, reason, answer.rule, answer.source, answer.ways, of_ground=stale
    )


def _on_layer(layer: Layer, under: Layer, products: Mapping[str, Product], table: RuleTable) -> Finding:
    product, over = products[under.product], products[layer.product]
    below = Below(product.family, state_between(under, product, over), under.role)
    answer = table.judge(below, Over(over.family, layer.role))
    families = f"{FAMILY_WORDS[over.family]} on {FAMILY_WORDS[product.family]}"
    title = f"{layer.name} over {under.name}: {families}, {STATE_WORDS[below.state]}"
    place = f"{layer.id} on {under.id} {below.state}"
    reason = answer.reason
    how = ["sand"] if under.sanding else ["degloss"] if under.does("degloss") else []
    if below.state == "keyed" and not set(how) <= set(product.keyed_by):
        reason = f"{reason} {product.name} is never sanded: its flakes show every scratch."
        no: Verdict = "no"
        ways = (table.ways["leave-sanding"], table.ways["fresh-coat"])
        return Finding(no, layer.id, place, title, reason, "metallic-never-sanded", "trade practice: metallic", ways)
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
        if following is None:
            yield from _heat(system, layer, product, table)
        yield from _grit(layer, layers[place + 1 :], table)
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


def _heat(system: System, layer: Layer, product: Product, table: RuleTable) -> Iterator[Finding]:
    """What sets by staged heat wants every stage of its sheet."""
    wanted, planned = len(product.heat_stages), sum(task.kind == "bake" for task in (*layer.then, *system.finish))
    if planned < wanted:
        yield Finding(
            "no",
            layer.id,
            f"{layer.id} unheated",
            f"{layer.name}: {planned} of {wanted} heat stages",
            f"By its sheet {product.name} sets in {wanted} stages of rising heat; the gentle first is never skipped.",
            "heat-stages",
            "product sheet",
            (table.ways["heat-stages"],),
        )


def _order(system: System, table: RuleTable) -> Iterator[Finding]:
    """Tasks that stand the wrong way round."""
    for found in spoiled(system, table.order):
        lowest, rule = system.used[0].id, found.rule
        of = found.spot.layer_id or (system.used[-1].id if found.spot.stage == "finish" else lowest)
        ways = (table.ways["order"],)
        yield Finding("no", of, found.place, found.title, rule.reason, rule.key, rule.source, ways)


def _grit(layer: Layer, above: Sequence[Layer], table: RuleTable) -> Iterator[Finding]:
    """Loose grit is swept off when it is dry; what lies in the film is never sanded, nor what lies over it."""
    for sanded in (layer, *above) if layer.broadcast else ():
        if sanded.sanding or sanded.does("degloss"):
            itself = sanded is layer
            cut = "Sandpaper tears the grit out of the film" if itself else "Sandpaper cuts the grit off at its tips"
            yield Finding(
                "no" if itself else "care",
                sanded.id,
                f"{sanded.id} grit sanded",
                f"{sanded.name} is sanded with grit {'in' if itself else 'below'} it",
                f"{cut}, and what is left gives neither hold nor grip: sweep the loose grit off, and coat over it.",
                "grit-never-sanded",
                "trade practice: coats that must come last",
                (table.ways["leave-sanding"],),
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
