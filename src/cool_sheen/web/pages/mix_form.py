"""The form of a batch: what was chosen and typed becomes what is asked; every wrong field gets its sentence."""

import re
from collections.abc import Sequence
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Basis
from cool_sheen.core.coatings.supplies import Supply
from cool_sheen.core.errors import NotReadable
from cool_sheen.core.mixing.ratios import BASIS_WORDS, MOST_PCT, read_share
from cool_sheen.core.mixing.recipes import Choice
from cool_sheen.core.mixing.speeds import ORDER
from cool_sheen.core.takeoff.equipment import Equipment, Reservoir
from cool_sheen.core.units import Grams, GramsPerMillilitre, Millilitres, amount, plain_figure, read_quantity
from cool_sheen.service.mixing.plan import Asked, Waiting
from cool_sheen.service.shelf_now import WholeShelf
from cool_sheen.web.forms import Typed

HOW = {
    "parts": "for these coats", "ready": "ready mix", "mixed": "paint and hardener", "have": "what is left of",
    "tins": "whole tins",
}  # fmt: skip
WEIGHT = re.compile(r"(?<![a-z])(g|kg|oz|lb|lbs)\.?\s*$", re.IGNORECASE)
_BARE = re.compile(r"\s*[+-]?[\d.,]+\s*")
_LEAST_BARE, _MOST_BARE = 10.0, 20_000.0


def read_amount(
    typed: Typed, name: str, usual: str = "ml", density: GramsPerMillilitre | None = None
) -> tuple[Millilitres | None, Grams | None]:
    """Read a volume or a weight; a bare number is in ``usual``. What is implausible without its unit is asked back.

    Returns: Millilitres or grams, the other one None; both None with a note at the field when it cannot be read.
    """
    text = str(typed.values.get(name, "")).strip()
    if not text:
        typed.notes[name] = "Enter how much, such as 380 ml or 500 g."
        return None, None
    bare = _BARE.fullmatch(text) is not None
    weight = bool(WEIGHT.search(text)) and not text.lower().replace(" ", "").endswith("floz")
    weight = weight or (bare and usual == "g")
    kind = "weight" if weight else "volume"
    number = typed.quantity(name, kind, 0, 500_000)
    if number is None:
        return None, None
    if bare and usual == "ml" and not _LEAST_BARE <= number <= _MOST_BARE and typed.units == "metric":
        typed.notes[name] = f"{text} what? Write “{text} ml” or “{text} l”."
        return None, None
    if weight and density is not None and density <= 0:
        typed.notes[name] = "There is no density for it: enter a volume."
        return None, None
    return (None, number) if weight else (number, None)


def asked_of(
    typed: Typed, product: Product, queue: Sequence[Waiting], shelf: WholeShelf, equipment: Equipment
) -> Asked:
    """Read the form of a batch. Raises Refused with a note at each field that is wrong."""
    how = typed.text("how") or "parts"
    if how not in HOW:
        typed.notes["how"] = "Choose from the list."
    parts = _parts(typed, queue)
    ml, grams = (None, None) if how in ("parts", "tins") else read_amount(typed, "amount")
    choice = _choice(typed, product, queue, parts, shelf)
    method = _one_of(typed, "method", product.methods)
    asked = Asked(
        product=product.key,
        parts=parts,
        how=how,
        amount_ml=ml,
        amount_g=grams,
        have_of=int(typed.number("have_of", 0, 19) or 0),
        sku=typed.text("sku", most=100),
        tins=int(typed.number("tins", 1, 200) or 1),
        choice=choice,
        method=method,
        reservoir=_reservoir(typed, equipment.of(method or product.methods[0])),
        cup_ml=typed.quantity("cup", "volume", 0, 200_000, optional=True),
        tare_g=typed.quantity("tare", "weight", -0.001, 50_000, optional=True) or 0.0,
        estimate=_one_of(typed, "estimate", ("shop", "book")) or "shop",
        jar=typed.uuid("jar", "Choose a jar of the list.") if typed.text("jar") else None,
        reason=typed.text("reason", most=400),
    )
    if how in ("ready", "mixed") and grams is not None:
        typed.notes["amount"] = f"Give this one as a volume, such as {amount(600, 'volume', typed.units, 0)}."
    typed.stop()
    return asked


def _parts(typed: Typed, queue: Sequence[Waiting]) -> dict[UUID, int]:
    out = {}
    for waiting in queue:
        uuid = waiting.found.part.uuid
        if typed.flag(f"part_{uuid}"):
            most = len(waiting.coats)
            out[uuid] = int(typed.number(f"coats_{uuid}", 1, most) or most)
    return out


def _one_of(typed: Typed, name: str, known: Sequence[str]) -> str:
    value = typed.text(name)
    if value and value not in known:
        typed.notes[name] = "Choose from the list."
        return ""
    return value


def _reservoir(typed: Typed, usual: Reservoir) -> Reservoir | None:
    """What was typed of the gun, the rest as the shop has it; None where nothing was."""
    reservoir = typed.quantity("reservoir", "volume", 0, 50_000, optional=True)
    loss = typed.quantity("loss", "volume", -0.001, 10_000, optional=True)
    if reservoir is None and loss is None:
        return None
    gun = Reservoir(usual.reservoir_ml if reservoir is None else reservoir, usual.loss_ml if loss is None else loss)
    if gun.reservoir_ml is not None and gun.loss_ml >= gun.reservoir_ml:
        typed.notes["loss"] = "The loss of a fill must be less than the gun's cup holds."
    return gun


def _choice(
    typed: Typed, product: Product, queue: Sequence[Waiting], parts: dict[UUID, int], shelf: WholeShelf
) -> Choice:
    layer = next((w.coats[0].step.layer for w in queue if w.found.part.uuid in parts), None)
    hardener = _one_of(typed, "hardener_speed", ORDER["hardener"]) or (layer.hardener_speed if layer else "standard")
    reducer = _one_of(typed, "reducer_speed", ORDER["reducer"]) or (layer.reducer_speed if layer else "medium")
    basis = _one_of(typed, "reducer_of", tuple(BASIS_WORDS)) or None
    if product.mix.reducer and basis is None and typed.text("reducer_pct"):
        basis = product.mix.reducer.of
    pct = _share(typed, "reducer_pct", basis or "mixed")  # type: ignore[arg-type]
    doses, bases = [], []
    for supply in shelf.supplies.values():
        if supply.kind in ("retarder", "accelerator") and (dose := _dose(typed, supply)) is not None:
            doses.append((supply.key, dose))
            if of := _one_of(typed, f"dose_of.{supply.key}", tuple(BASIS_WORDS)):
                bases.append((supply.key, of))
    named = [name for name in typed.values if str(name).startswith("density.")]
    densities = [(name.removeprefix("density."), value) for name in named if (value := typed.number(name, 0.3, 3))]
    return Choice(
        hardener,
        reducer,
        reducer_pct=pct,
        reducer_of=basis,  # type: ignore[arg-type]
        doses_ml_per_l=tuple(doses),
        dose_of=tuple(bases),  # type: ignore[arg-type]
        beyond_cap=bool(typed.text("reason", most=400)),
        densities=tuple(densities),
    )


def _share(typed: Typed, name: str, of: Basis) -> float | None:
    """Read a percentage, or parts such as 3 : 1; None where nothing was typed."""
    text = typed.text(name)
    if not text:
        return None
    try:
        pct = read_share(text if re.search(r"[:/]|to", text) else plain_figure(text.rstrip("% "), typed.units), of)
    except NotReadable as error:
        typed.notes[name] = str(error)
        return None
    if pct > MOST_PCT:
        typed.notes[name] = f"Enter a share from 0 to {MOST_PCT:g} %."
        return None
    return pct


def _dose(typed: Typed, supply: Supply) -> float | None:
    """A dose for a litre: in ml, or counted in what the sheet counts it in."""
    name = f"dose.{supply.key}"
    text = str(typed.values.get(name, "")).strip().lower()
    if not text:
        return None
    number = re.match(r"[0-9]{1,7}(?:[.,][0-9]{1,7})?(?![0-9.,])", text)
    word = text[number.end() :].strip().rstrip("s") if number else ""
    if number and supply.measured_in and word == supply.measured_in.lower():
        return float(number[0].replace(",", ".")) * (supply.ml_each or 0.0)
    if number and word in ("", "ml"):
        return read_quantity(f"{number[0]} ml", "volume")
    counted = f" or 2 {supply.measured_in}s" if supply.measured_in else ""
    typed.notes[name] = f"Enter the dose for a litre, such as {supply.dose_ml_per_l or 10:g} ml{counted}."
    return None
