"""Every family over every other, and every way out of what is found."""

from cool_sheen.core.advice.findings import Bed, Ground, look_over, worst
from cool_sheen.core.advice.remedies import Choices, take
from cool_sheen.core.advice.schools import Draft, sides_of
from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.compatibility import every_pair
from cool_sheen.core.coatings.families import ROLES
from cool_sheen.core.coatings.systems import Coat, Layer, System
from cool_sheen.core.errors import CoreError
from cool_sheen.core.survey.below import what_is_below
from cool_sheen.formats.catalogue import compatibility
from tests.told.jobs import SHIPPED
from tests.told.telling import Page
from tests.unit.paper import zone

TABLE = compatibility()


def advice() -> str:
    """Verdicts, findings over old finishes, ways out, edits."""
    page = Page()
    page.head("what goes over what")
    verdicts: dict[tuple[str, str], list[str]] = {}
    for below, over in every_pair((None, *ROLES[::4])):
        answer = TABLE.judge(below, over)
        verdicts.setdefault((f"{below.family} {below.state}", answer.verdict), []).append(over.family)
    for (below, verdict), families in verdicts.items():
        page.say(below, verdict, f"{len(families)}: {', '.join(sorted(set(families)))}")
    for key, system in SHIPPED.systems.items():
        page.head(key)
        _over_old(page, system)
        _sides(page, system)
        _films(page, system)
        _edited(page, system)
    return page.text()


OLD = (
    ("enamel_1k", "cured"),
    ("lacquer", "failing"),
    ("epoxy_2k", "weathered"),
    ("unknown", "unknown"),
    ("shellac", "open"),
)


def _sides(page: Page, system: System) -> None:
    """Every side of every question, over grounds of several kinds: what it changes in layers and zones."""
    steel, timber = zone("steel"), zone("timber", ground="bare_timber", setting=2)
    failing = zone("failing", old_finish="lacquer", old_state="failing")
    sound = zone("sound", old_finish="enamel_1k", old_state="cured")
    parts = {
        "steel and old": (steel, failing, sound),
        "timber": (timber,),
        "two faces": (steel, timber),
        "old": (sound,),
    }
    was = {layer.id: layer for layer in system.layers}
    told: set[str] = set()
    for words, zones in parts.items():
        for school in SHIPPED.schools:
            for side, after in sides_of(school, Draft(system, zones, SHIPPED.products)):
                layers = [_layer(la) for la in after.system.layers if la != was.get(la.id)]
                strips = [z.strip for z in after.zones if z.strip != "nothing"]
                before = [(p.kind, p.grit) for p in system.prepare]
                prepared = [p.kind for p in after.system.prepare if (p.kind, p.grit) not in before]
                says = " ".join([school.key, side.key, after.system.turning, *prepared, *strips, *layers])
                page.say("side", words, says if says not in told else f"{school.key} {side.key} as above")
                told.add(says)


def _layer(layer: Layer) -> str:
    coats = [
        f"{c.kind[0]}{c.wet_film_um:g}{'' if c.where == 'all' else ' ' + c.where}{'' if c.counted else ' not counted'}"
        for c in layer.coats
    ]
    sanding = [f"{rung.grit} {rung.removal_um:g}" for rung in layer.sanding]
    between = " ".join(task.grit or task.kind for task in layer.between) or "nothing"
    then = (task.kind for task in layer.then if task.kind != "sand")
    more = (between, layer.reducer_speed, *then, "left out" if layer.left_out else "")
    return f"[{layer.id}: {', '.join([*coats, *sanding, *more])}]"


def _over_old(page: Page, system: System) -> None:
    for old, state in OLD:
        there = zone("old", old_finish=old, old_state=state)
        rim = zone("rim", kind="edge", old_finish="none")
        grounds = [Ground((z,), what_is_below(z, []).below) for z in (there, rim)]
        findings = look_over(system, SHIPPED.products, Bed(grounds), TABLE)
        page.say(old, state, worst(findings), [(f.place, f.verdict, f.rule) for f in findings if f.verdict != "good"])
        for finding in findings:
            for way in finding.ways:
                try:
                    after = take(way.change, finding, Choices(system, SHIPPED.products, grounds, TABLE))
                    page.say("   ", finding.place, way.change, _stack(after))
                except CoreError as error:
                    page.say("   ", finding.place, way.change, str(error))


def _stack(system: System) -> str:
    layers = [
        f"{la.id}={la.product}x{len(la.coats)}{'/' + '-'.join(s.grit for s in la.sanding) if la.sanding else ''}"
        for la in system.layers
    ]
    return " ".join([*(f"{p.kind}{p.grit or ''}" for p in system.prepare), "|", *layers])


def _films(page: Page, system: System) -> None:
    """Coats on the edge of what a sheet takes, and over it; what is left after sanding; layers that stand alone."""
    first = system.layers[0]
    sheet = SHIPPED.products[first.product]
    least, most, runs = sheet.wet_film_min_um, sheet.wet_film_max_um, sheet.runs_over_um
    films = (least, least - 1, most, most + 1, max(runs, most) + 1)
    laid = edit.set_coats(system, first.id, [Coat(wet_film_um=um) for um in films])
    special = edit.set_coats(
        system, first.id, [Coat(kind=k, wet_film_um=least / 2) for k in ("mist", "stripe", "drop", "full")]
    )
    alone = system.model_copy(update={"layers": (first,)})
    gritty = system.model_copy(
        update={"layers": (first.model_copy(update={"broadcast": "grit-fine"}), *system.layers[1:])}
    )
    build = [first.model_copy(update={"reserve_um": um}) for um in (10.0, 1000.0)]
    stacks = {"films": laid, "special": special, "alone": alone, "gritty": gritty,
              **{f"reserve {la.reserve_um:g}": system.model_copy(update={"layers": (la, *system.layers[1:])}) for la in build}}  # fmt: skip
    for words, stack in stacks.items():
        for f in look_over(stack, SHIPPED.products, Bed(), TABLE):
            if (
                f.verdict != "good" and f.layer_id == first.id and f.place.split(" ")[1] != "on"
            ) or "on top" in f.place:
                page.say("film", words, f.verdict, f.place, f.title, f.reason)


def _edited(page: Page, system: System) -> None:
    first, last = system.layers[0], system.layers[-1]
    clear = SHIPPED.products["clear-two-pack"]
    changes = {
        "new": lambda: edit.add_layer(system, edit.new_layer(system, clear), 1),
        "away": lambda: edit.remove_layer(system, last.id),
        "moved": lambda: edit.move_layer(system, last.id, 0),
        "swapped": lambda: edit.swap_product(system, first.id, SHIPPED.products["high-build-surfacer"]),
        "coats": lambda: edit.set_coats(system, first.id, [Coat(wet_film_um=60)] * 5),
        "sanded": lambda: edit.set_sanding(system, first.id, [("P320", 7.77), ("P500", 3)], wet=True),
        "prepared": lambda: edit.with_prepare(edit.without_prepare(system, "mask"), "fill"),
        "reasoned": lambda: edit.overridden(system, "x", "y", "no"),
        "well reasoned": lambda: edit.overridden(system, "x", "y", "why"),
        "of no layer": lambda: edit.remove_layer(system, "nowhere"),
        "without film": lambda: edit.set_coats(system, first.id, []),
    }
    for name, change in changes.items():
        try:
            page.say("   ", name, _stack(change()))
        except CoreError as error:
            page.say("   ", name, str(error))
    page.say("films", [c.wet_film_um for la in edit.swap_product(system, first.id, clear).layers for c in la.coats])
