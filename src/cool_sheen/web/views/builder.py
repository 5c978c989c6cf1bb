"""What the builder shows: the stack from the top, its findings, its figures, and where they come from."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import partial

from cool_sheen.core.advice.consequence import Consequence
from cool_sheen.core.advice.findings import Finding
from cool_sheen.core.coatings.compatibility import GRAVITY
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import COAT_WORDS, Layer, System, Task, where_words
from cool_sheen.core.errors import CoreError
from cool_sheen.core.film.build import coats_needed
from cool_sheen.core.film.planned import (
    COLOUR_CHANGE,
    PIGMENT_STRENGTH,
    coats_to_hide,
    sanding_of,
)
from cool_sheen.core.units import amount
from cool_sheen.core.work.steps import task_label
from cool_sheen.service.building import Design
from cool_sheen.web.views import section

VERDICT_WORDS: dict[str, str] = {"good": "good", "care": "with care", "no": "no"}


@dataclass(frozen=True, slots=True)
class Card:
    """One layer of the stack, in words."""

    layer: Layer
    product: Product
    place: int
    coats: str
    after: str
    verdict: str
    survive: tuple[int, str]
    hide: tuple[int, str] | None


@dataclass(frozen=True, slots=True)
class Figure:
    """One figure of the consequence, and its inputs."""

    label: str
    value: str
    why: str
    bad: bool = False


def cards(design: Design, units: str, change: str, strength: str) -> list[Card]:
    """Return the layers from the top down; ``change`` and ``strength`` ask how many coats it takes to hide."""
    out = []
    for place, layer in enumerate(design.system.layers):
        product = design.products[layer.product]
        mine = [f.standing for f in design.findings if f.layer_id == layer.id]
        verdict = max(mine, key=GRAVITY.__getitem__, default="good")
        out.append(
            Card(
                layer,
                product,
                place,
                coats_words(layer, units),
                _after(layer),
                verdict,
                _survive(layer, product, units),
                _hide(layer, product, units, (change, strength)),
            )
        )
    return out[::-1]


def coats_words(layer: Layer, units: str) -> str:
    """Write the coats of a layer, such as ``stripe coat 80 µm edges, 2 × 110 µm``."""
    out: list[tuple[str, int]] = []
    for coat in layer.coats:
        where = "" if coat.where == "all" else f", {where_words(coat.where)}"
        kind = "" if coat.kind == "full" else f"{COAT_WORDS[coat.kind]} "
        counts = "" if coat.counts is None else " (counts)" if coat.counts else " (does not count)"
        text = f"{kind}{amount(coat.wet_film_um, 'film', units)}{where}{counts}"
        if out and out[-1][0] == text:
            out[-1] = (text, out[-1][1] + 1)
        else:
            out.append((text, 1))
    return "; ".join(text if n == 1 else f"{n} × {text}" for text, n in out)


def _after(layer: Layer) -> str:
    parts = []
    if layer.between:
        parts.append(f"between coats: {_in_short(layer.between)}")
    if layer.broadcast:
        parts.append("grit into the wet film")
    if layer.then:
        parts.append(_in_short(layer.then))
    if layer.rounds_most:
        parts.append(f"rounds until the inspection finds nothing, {layer.rounds_most} at most")
    return "; ".join(parts) or "nothing before the next layer"


def _in_short(tasks: Sequence[Task]) -> str:
    """Write tasks in one line, grits together: ``sand P320, P500; wipe down; tack off``."""
    out: list[str] = []
    for before, task in zip((None, *tasks), tasks, strict=False):
        if task.kind == "sand" and before and before.kind == "sand" and before.wet == task.wet:
            out[-1] = f"{out[-1]}, {task.grit}"
        else:
            words = task_label(task)
            out.append(f"{words[0].lower()}{words[1:]}{' wet' if task.wet else ''}")
    return "; ".join(out)


def _survive(layer: Layer, product: Product, units: str) -> tuple[int, str]:
    """How many coats so that the reserve is left after sanding; the usual full coat is what is counted in."""
    film = next((c.wet_film_um for c in layer.coats if c.counted), layer.wet_film_um)
    sanding = sanding_of(layer)
    try:
        dry, coats = coats_needed(film, product.volume_solids_pct, sanding, layer.reserve_um)
    except CoreError as error:
        return 1, str(error)
    f = partial(amount, dimension="film", units=units)
    return max(1, coats), f"{f(layer.reserve_um)} reserve + {f(sanding)} sanding, {f(dry)} dry a coat"


def _hide(layer: Layer, product: Product, units: str, asked: tuple[str, str]) -> tuple[int, str] | None:
    if layer.role not in ("colour", "single_stage", "stain"):
        return None
    change, strength = asked[0] or "strong", asked[1]
    hiding = PIGMENT_STRENGTH[strength][1] if strength in PIGMENT_STRENGTH else product.hiding_um
    if hiding is None or change not in COLOUR_CHANGE:
        return None
    film = next((c.wet_film_um for c in layer.coats if c.counted), layer.wet_film_um)
    wanted, coats = coats_to_hide(film, product.volume_solids_pct, hiding, change)
    f = partial(amount, dimension="film", units=units)
    return coats, f"{f(wanted)} dry for {COLOUR_CHANGE[change][0]}; {f(hiding)} hides black on white"


def hours(value: float) -> str:
    """Write hours: ``2 h 20``, or ``45 min``."""
    minutes = round(value * 60)
    return f"{minutes} min" if minutes < 90 else f"{minutes // 60} h {minutes % 60:02d}"


def figures(c: Consequence, units: str) -> list[Figure]:
    """Return the consequence as figures that can be asked why."""
    tight = "no window closes"
    if c.tightest_h is not None and c.tightest is not None:
        tight = f"{c.tightest.step.label}, planned late against a closing by its early edge"
    reserve = "–" if c.reserve_over_um is None else amount(c.reserve_over_um, "film", units)
    return [
        Figure("hands on", hours(c.hands_on_h), f"{len(c.steps)} steps, each by its kind and the area it is done to"),
        Figure(
            "until done",
            "stuck" if c.stuck else _days(c.days),
            c.stuck or "laid along this space's forecast from now, in working hours, with a safety margin",
            bool(c.stuck),
        ),
        Figure(
            "ready mix",
            f"{amount(c.litres * 1000, 'volume', units)}",
            f"{c.coats} coats: area × wet film / transfer efficiency of each zone's method and shape",
        ),
        Figure("film left", amount(c.film_um, "film", units), "dry film of all coats less sanding, thinnest zone"),
        Figure(
            "tightest window",
            "–" if c.tightest_h is None else hours(c.tightest_h),
            tight,
            c.tightest_h is not None and c.tightest_h < 0.5,
        ),
        Figure(
            "over the reserve",
            reserve,
            "what sanding leaves beyond the reserve, thinnest zone",
            c.reserve_over_um is not None and c.reserve_over_um < 0,
        ),
        Figure(
            "under a run",
            f"{c.run_margin_pct:.0f} %",
            "thickest coat against the film that runs on its sheet",
            c.run_margin_pct < 0,
        ),
        Figure("windows missed", str(c.keyings), "times the plan has to key because a window closes first"),
    ]


def _days(value: float) -> str:
    return f"{value * 24:.0f} h" if value < 2 else f"{value:.1f} days"


def stack_section(design: Design, units: str) -> section.Section:
    """Return the film that the system will leave: one column for each group of zones with the same film."""
    groups: dict[tuple[tuple[str, float], ...], list[str]] = {}
    for name, build in design.films.items():
        groups.setdefault(tuple((la.layer_id, la.left_um) for la in build.layers), []).append(name)
    builds = {_joined(names): design.films[names[0]] for names in groups.values()}
    planned = {name: build.total_um for name, build in builds.items()}
    canvas = section.Canvas(380, 330, 44, marks=True, units=units)
    return section.draw(builds, design.system, design.products, canvas, planned)


def _joined(names: Sequence[str]) -> str:
    return names[0] if len(names) == 1 else f"{names[0]} + {len(names) - 1}"


def sorted_findings(findings: Sequence[Finding]) -> list[Finding]:
    """The gravest first."""
    return sorted(findings, key=lambda f: -GRAVITY[f.standing] - (f.verdict == "no"))


def kinds_of(system: System) -> list[str]:
    """Return the kinds of all steps of a system but its coats, each once."""
    kinds: list[str] = [step.kind for step in system.prepare]
    kinds += [step.kind for step in system.finish]
    kinds += [task.kind for layer in system.used for task in (*layer.between, *layer.then)]
    kinds += [kind for layer in system.used if layer.broadcast for kind in ("broadcast", "sweep")]
    return list(dict.fromkeys(kinds))
