"""The stages of a job, as its photos are ordered: how far a part is by its log."""

from collections.abc import Mapping

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import System
from cool_sheen.core.log.history import History

STAGE_WORDS: dict[str, str] = {
    "came": "As it came", "prepared": "Stripped and prepared", "primed": "Primed and filled", "coloured": "In colour",
    "cleared": "Under clear", "done": "Done", "wrong": "Something went wrong",
}  # fmt: skip
_GROUND_ROLES = frozenset({"primer", "sealer", "surfacer", "barrier", "filler", "membrane"})


def stage_of(history: History, system: System, products: Mapping[str, Product], *, finished: bool) -> str:
    """Return the stage of a part by what was logged last: a key of ``STAGE_WORDS``.

    Args:
        history: Its folded log.
        system: What goes on.
        products: Sheets by key.
        finished: Whether nothing is owed any more.
    """
    if not history.coats:
        return "prepared" if history.works or history.strips else "came"
    if finished:
        return "done"
    last = history.coats[-1].payload.layer_id
    layer = next((la for la in system.layers if la.id == last), None)
    role = products[layer.product].role if layer and layer.product in products else "colour"
    if role in _GROUND_ROLES:
        return "primed"
    return "cleared" if role == "clear" else "coloured"
