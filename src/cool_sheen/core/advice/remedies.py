"""Ways out as one change each: what a press on "add a sealer" or "key it" does to a system."""

from collections.abc import Callable, Iterable, Mapping

from cool_sheen.core.advice.findings import Finding, Ground
from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.compatibility import GRAVITY, Below, Over, RuleTable
from cool_sheen.core.coatings.order import set_right, spoiled
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import Layer, System, Task
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.film.grits import scratch_removal
from cool_sheen.core.film.hiding import coats_missing

# The last grit by what follows: coarser under one-pack, finer under two-pack.
_LAST_GRIT = {"epoxy_2k": "P320", "urethane_2k": "P320", "polyester_2k": "P180", "acid_etch": "P240"}
Shelf = Mapping[str, Product]


class Choices:
    """What a way needs to choose well: the system, its findings' place, the ground, the shelf, the rules."""

    def __init__(self, system: System, shelf: Shelf, grounds: Iterable[Ground], table: RuleTable) -> None:
        self.system, self.shelf, self.table = system, shelf, table
        self.grounds = list(grounds)

    def under(self, layer_id: str) -> Layer | None:
        """Return the layer below one; None at the ground."""
        ids = [layer.id for layer in self.system.used]
        place = ids.index(layer_id)
        return self.system.used[place - 1] if place else None

    def best(self, candidates: Iterable[Product], under: Layer | None, over: Product | None) -> Product:
        """Return the product that goes best between what is below and what follows. Raises Inconsistent."""
        # The order of the candidates decides between equals.
        ranked = sorted(candidates, key=lambda p: self._gravity(p, under, over))
        if not ranked or self._gravity(ranked[0], under, over)[0] == GRAVITY["no"]:
            raise Inconsistent("The shelf has no product for this place: add one, or choose another way.", "way")
        return ranked[0]

    def _gravity(self, product: Product, under: Layer | None, over: Product | None) -> tuple[int, int]:
        """The worst verdict beside its neighbours, and all of them together."""
        on = Over(product.family, product.role)
        if under is not None:
            belows = [Below(self.shelf[under.product].family, "keyed" if under.sanding else "open", under.role)]
        else:
            belows = [ground.below for ground in self.grounds]
        grades = [GRAVITY[self.table.judge(below, on).verdict] for below in belows]
        if over is not None:
            beneath = Below(product.family, "open", product.role)
            grades.append(GRAVITY[self.table.judge(beneath, Over(over.family, over.role)).verdict])
        return max(grades, default=0), sum(grades)


def take(change: str, finding: Finding, choices: Choices) -> System:
    """Change a system so that a finding goes away, or is at least faced.

    Args:
        change: What a way does: a key of the table below.
        finding: The finding that offers it.
        choices: The system and what there is to choose from.

    Raises: Inconsistent: the way changes nothing here, or the shelf has nothing that fits.
    """
    if change not in _CHANGES:
        raise Inconsistent("This way is advice: there is nothing to change in the system.", "way")
    return _CHANGES[change](finding, choices)


def _insert(choices: Choices, finding: Finding, families: tuple[str, ...], roles: tuple[str, ...]) -> System:
    under, over = choices.under(finding.layer_id), choices.shelf[choices.system.layer(finding.layer_id).product]
    fitting = [p for p in choices.shelf.values() if p.role in roles and (not families or p.family in families)]
    ordered = sorted(fitting, key=lambda p: (roles.index(p.role), p.key))
    chosen = choices.best((p for p in ordered if p.aerosol is None), under, over)
    place = [layer.id for layer in choices.system.layers].index(finding.layer_id)
    return edit.add_layer(choices.system, edit.new_layer(choices.system, chosen), place)


def _seal(finding: Finding, choices: Choices) -> System:
    return _insert(choices, finding, ("epoxy_2k",), ("sealer", "barrier", "primer"))


def _prime(finding: Finding, choices: Choices) -> System:
    return _insert(choices, finding, (), ("primer", "sealer"))


def _stain_block(finding: Finding, choices: Choices) -> System:
    return _insert(choices, finding, ("shellac",), ("primer", "sealer"))


def _strip(finding: Finding, choices: Choices) -> System:
    return edit.with_prepare(choices.system, "strip")


def _abrade(finding: Finding, choices: Choices) -> System:
    """Sand once more, after what was sanded before; then the dust has to go again."""
    family = choices.shelf[choices.system.layer(finding.layer_id).product].family
    sanded = edit.with_prepare(choices.system, "sand", _LAST_GRIT.get(family, "P220"), again=True)
    return edit.with_prepare(sanded, "wipe")


def _degrease(finding: Finding, choices: Choices) -> System:
    return edit.with_prepare(choices.system, "degrease", again=True)


def _fill_grain(finding: Finding, choices: Choices) -> System:
    """A filler on the timber, sanded back to it: only what is in the pores stays."""
    filled = _insert(choices, finding, (), ("filler",))
    place = [layer.id for layer in filled.layers].index(finding.layer_id) - 1
    filler = filled.layers[place]
    grit = choices.shelf[filler.product].key_grit
    return edit.set_sanding(filled, filler.id, [(grit, scratch_removal(grit) / 2)])


def _hide(finding: Finding, choices: Choices) -> System:
    layer = choices.system.layer(finding.layer_id)
    more = coats_missing(layer.coats, choices.shelf[layer.product])
    last = [coat for coat in layer.coats if coat.counted][-1:]
    coats = [coat.model_dump() for coat in (*layer.coats, *last * more)]
    return edit.edit_layer(choices.system, layer.id, coats=coats)


def _heat(finding: Finding, choices: Choices) -> System:
    """Every heat stage of the sheet of the last layer, before what comes after the heat."""
    sheet = choices.shelf[choices.system.layer(finding.layer_id).product]
    finish = edit.pinned(choices.system, edit.FINISH)
    first = [step for step in finish if step.kind in ("unmask", "inspect")]
    rest = [step for step in finish if step.kind not in ("unmask", "inspect", "bake")]
    stages = [
        Task(kind="bake", after="handle", metal_temp_c=s.metal_temp_c, hold_minutes=s.hold_minutes)
        for s in sheet.heat_stages
    ]
    return edit.set_finish(choices.system, [*first, *stages, *rest])


def _leave_sanding(finding: Finding, choices: Choices) -> System:
    """Leave out the sanding that a finding is about: of the layer itself, or of the one below it."""
    under = choices.under(finding.layer_id)
    layer = under if finding.rule == "metallic-never-sanded" and under else choices.system.layer(finding.layer_id)
    spot = edit.Spot("then", layer.id)
    kept = [task for task in edit.pinned(choices.system, spot) if task.kind not in ("sand", "degloss")]
    return edit.with_tasks(choices.system, spot, kept)


def _key(finding: Finding, choices: Choices) -> System:
    under = choices.under(finding.layer_id)
    if under is None:
        family = choices.shelf[choices.system.layer(finding.layer_id).product].family
        keyed = edit.with_prepare(choices.system, "sand", _LAST_GRIT.get(family, "P220"))
        return edit.with_prepare(keyed, "degrease")
    grit = choices.shelf[under.product].key_grit
    return edit.set_sanding(choices.system, under.id, [(grit, scratch_removal(grit) / 2)])


def _test(finding: Finding, choices: Choices) -> System:
    return edit.with_prepare(choices.system, "test_patch")


def _topcoat(finding: Finding, choices: Choices) -> System:
    under = choices.system.layer(finding.layer_id)
    tops = [p for p in choices.shelf.values() if p.role == "single_stage" and not p.needs_over and p.aerosol is None]
    chosen = choices.best(tops, under, None)
    return edit.add_layer(choices.system, edit.new_layer(choices.system, chosen), len(choices.system.layers))


def _cover(finding: Finding, choices: Choices) -> System:
    under = choices.system.layer(finding.layer_id)
    coat = under.coats[-1].model_copy(update={"kind": "cover", "counts": None})
    layer = edit.new_layer(choices.system, choices.shelf[under.product])
    layer = layer.model_copy(update={"name": "Cover coat over grit", "coats": (coat,)})
    place = [la.id for la in choices.system.layers].index(under.id)
    return edit.add_layer(choices.system, layer, place + 1)


def _order(finding: Finding, choices: Choices) -> System:
    found = next(f for f in spoiled(choices.system, choices.table.order) if f.place == finding.place)
    return set_right(choices.system, found)


_CHANGES: dict[str, Callable[[Finding, Choices], System]] = {
    "seal": _seal, "prime": _prime, "stain_block": _stain_block, "strip": _strip, "key": _key, "test": _test,
    "topcoat": _topcoat, "cover": _cover, "abrade": _abrade, "degrease": _degrease, "fill_grain": _fill_grain,
    "hide": _hide, "leave_sanding": _leave_sanding, "heat": _heat, "order": _order,
}  # fmt: skip
