"""Where practitioners disagree: each side is a change to the system, and its consequence is computed, not told."""

import itertools
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from typing import Annotated, Any

from pydantic import Field

from cool_sheen.core.advice.remedies import Shelf
from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.sheet_fields import Key, Strict, Text
from cool_sheen.core.coatings.systems import Coat, Layer, System, Task
from cool_sheen.core.film.grits import scratch_removal
from cool_sheen.core.film.planned import sanding_of
from cool_sheen.core.survey.zones import ZoneFacts
from cool_sheen.core.units import Micron

_CLEAR_KEY = "P800"


class Side(Strict):
    """One answer to a question: what its people say for it, and the change that it makes."""

    key: Key
    words: Text
    reason: Annotated[str, Field(min_length=1, max_length=400)]
    change: Key


class School(Strict):
    """A question on which practitioners disagree; the first side is the default."""

    key: Key
    question: Text
    sides: Annotated[tuple[Side, ...], Field(min_length=2, max_length=4)]


@dataclass(frozen=True, slots=True)
class Draft:
    """What a side changes: the system, and the zones as the preparation leaves them."""

    system: System
    zones: tuple[ZoneFacts, ...]
    shelf: Shelf

    def product(self, layer: Layer) -> Product:
        """Return the sheet of a layer."""
        return self.shelf[layer.product]

    def with_layers(self, change: Callable[[Layer], dict[str, Any] | None]) -> "Draft | None":
        """Change the layers for which ``change`` gives fields; None when there is none."""
        system, changed = self.system, False
        for layer in self.system.used:
            fields = change(layer)
            if fields is not None:
                system, changed = edit.edit_layer(system, layer.id, **fields), True
        return replace(self, system=system) if changed else None

    def with_tasks(self, stage: str, change: Callable[[Layer], Sequence[Task] | None]) -> "Draft | None":
        """Change what is done between or after the layers for which ``change`` gives tasks; None when there is none."""
        system, changed = self.system, False
        for layer in self.system.used:
            tasks = change(layer)
            if tasks is not None:
                system, changed = edit.with_tasks(system, edit.Spot(stage, layer.id), tasks), True
        return replace(self, system=system) if changed else None


def sides_of(school: School, work: Draft) -> list[tuple[Side, Draft]]:
    """Return the sides that mean something on a system, each with the work as it would be.

    Fewer than two: the question does not arise here.
    """
    made = [(side, CHANGES[side.change](work)) for side in school.sides]
    found = [(side, after) for side, after in made if after is not None]
    return found if len({after.system.model_dump_json() + repr(after.zones) for _, after in found}) > 1 else []


def _dumped(coats: Iterable[Coat]) -> list[dict[str, Any]]:
    return [coat.model_dump() for coat in coats]


# --- clear over colour -------------------------------------------------------------
def _colour_below_clear(work: Draft) -> list[Layer]:
    used = work.system.used
    return [a for a, b in itertools.pairwise(used) if a.role == "colour" and b.role == "clear"]


def _in_the_window(work: Draft) -> Draft | None:
    ids = {layer.id for layer in _colour_below_clear(work)}
    return work.with_tasks("then", lambda la: _but_making_ready(work, la) if la.id in ids else None)


def _day_key_clear(work: Draft) -> Draft | None:
    """Wait, key, clear; metallic colour is never sanded, so the question does not arise there."""
    ids = {layer.id for layer in _colour_below_clear(work) if not work.product(layer).never_sanded}
    rung = Task(kind="sand", grit=_CLEAR_KEY, removal_um=round(scratch_removal(_CLEAR_KEY) / 2, 1))
    key = [rung, Task(kind="wipe"), Task(kind="tack")]
    return work.with_tasks("then", lambda la: [*_but_making_ready(work, la), *key] if la.id in ids else None)


def _but_making_ready(work: Draft, layer: Layer) -> list[Task]:
    """What is done on a layer but to key it, and to take the dust off."""
    tasks = edit.pinned(work.system, edit.Spot("then", layer.id))
    return [task for task in tasks if task.kind not in ("sand", "degloss", "wipe", "tack")]


# --- primer ---------------------------------------------------------------------------
def _builds(layer: Layer) -> bool:
    return layer.role in ("primer", "surfacer", "barrier") and bool(layer.sanding) and layer.counted > 0


def _main(layer: Layer) -> list[Coat]:
    """The coats that make its film: those that count and go everywhere, else those that count somewhere."""
    counted = [c for c in layer.coats if c.counted]
    return [c for c in counted if c.where == "all"] or counted


def _special(layer: Layer) -> list[Coat]:
    return [c for c in layer.coats if c not in _main(layer)]


def _places(layer: Layer) -> list[str]:
    return list(dict.fromkeys(c.where for c in _main(layer)))


def _laid_anew(layer: Layer, films: Callable[[list[Micron]], list[Micron]]) -> dict[str, Any]:
    """Lay a layer's main coats with other films, place by place: what goes on one face only stays there."""
    coats = _special(layer)
    for where in _places(layer):
        there = [c for c in _main(layer) if c.where == where]
        laid = films([c.wet_film_um for c in there])
        coats += [there[0].model_copy(update={"wet_film_um": film}) for film in laid]
    return {"coats": _dumped(coats)}


def _primer_in_coats(work: Draft) -> Draft | None:
    """Several coats of the sheet's usual film, and sand once."""

    def change(layer: Layer) -> dict[str, Any] | None:
        usual = work.product(layer).ref_wet_film_um
        return _laid_anew(layer, lambda films: [usual] * max(2, round(sum(films) / usual))) if _builds(layer) else None

    return work.with_layers(change)


def _primer_at_once(work: Draft) -> Draft | None:
    """One heavy coat: as much as stays up, of what the coats together would have been."""

    def change(layer: Layer) -> dict[str, Any] | None:
        stays_up = work.product(layer).runs_over_um
        return _laid_anew(layer, lambda films: [min(sum(films), stays_up)]) if _builds(layer) else None

    return work.with_layers(change)


def _rounds(work: Draft) -> Draft | None:
    """Prime, fill, sand, prime again, until it is flat: the estimate is one round more."""

    def change(layer: Layer) -> dict[str, Any] | None:
        if not _builds(layer):
            return None
        first = layer.sanding[0]
        rung = first.model_copy(update={"removal_um": min(1900.0, 1.5 * sanding_of(layer))})
        then = [(rung if task is first else task).model_dump() for task in layer.then]
        return {**_laid_anew(layer, lambda films: [*films, films[0]]), "then": then}

    return work.with_layers(change)


# --- old finish, bare metal -----------------------------------------------------------------
def _old(work: Draft) -> bool:
    return any(not zone.bare for zone in work.zones)


def _strip_all(work: Draft) -> Draft | None:
    if not _old(work):
        return None
    zones = tuple(replace(zone, strip="substrate") for zone in work.zones)
    return replace(work, system=edit.with_prepare(work.system, "strip"), zones=zones)


def _strip_failing_and_seal(work: Draft) -> Draft | None:
    """Strip what fails, key the rest, and put an epoxy sealer under everything."""
    if not _old(work):
        return None
    system = edit.with_prepare(work.system, "sand", "P180")
    if system.used[0].role not in ("sealer", "barrier") or work.product(system.used[0]).family != "epoxy_2k":
        sealer = _first(work.shelf, "epoxy_2k", ("sealer", "barrier"))
        if sealer is None:
            return None
        system = edit.add_layer(system, edit.new_layer(system, sealer), 0)
    zones = tuple(z if z.bare else replace(z, strip=_left_on(z)) for z in work.zones)
    return replace(work, system=system, zones=zones)


def _left_on(zone: ZoneFacts) -> str:
    return "substrate" if zone.old_state == "failing" else "sound"


def _first(shelf: Shelf, family: str, roles: Sequence[str]) -> Product | None:
    return next((p for role in roles for p in shelf.values() if p.family == family and p.role == role), None)


def _metal(work: Draft) -> bool:
    return any(z.bare and z.ground in ("bare_steel", "bare_aluminium", "bare_zinc") for z in work.zones)


def _ground_layers(work: Draft) -> list[Layer]:
    """The layers at the bottom that only make the ground: epoxy or etch."""
    out: list[Layer] = []
    for layer in work.system.used:
        if work.product(layer).family not in ("epoxy_2k", "acid_etch") or layer.role not in (
            "primer",
            "sealer",
            "barrier",
        ):
            break
        out.append(layer)
    return out


def _grounded(work: Draft, product: Product | None, coats: Sequence[Coat]) -> Draft | None:
    if not _metal(work) or product is None or len(_ground_layers(work)) == len(work.system.used):
        return None
    layer = edit.new_layer(work.system, product).model_copy(update={"coats": tuple(coats)})
    system = edit.add_layer(work.system, layer, 0)
    for old in _ground_layers(work):
        system = edit.edit_layer(system, old.id, left_out=True, must_stay=None)
    return replace(work, system=system)


def _epoxy_everywhere(work: Draft) -> Draft | None:
    ground = _ground_layers(work)
    if ground and work.product(ground[0]).family == "epoxy_2k":
        return work if _metal(work) else None
    epoxy = _first(work.shelf, "epoxy_2k", ("primer",))
    film = epoxy.ref_wet_film_um if epoxy else 1.0
    return _grounded(work, epoxy, [Coat(wet_film_um=film)] * 2)


def _etch_on_metal(work: Draft) -> Draft | None:
    etch = _first(work.shelf, "acid_etch", ("primer",))
    return _grounded(work, etch, [Coat(wet_film_um=etch.ref_wet_film_um, where="bare")] if etch else [])


# --- between coats, first coat, how wet, cold ---------------------------------------------------
def _several(layer: Layer) -> bool:
    return len(layer.coats) > 1


def _key_when_shut(work: Draft) -> Draft | None:
    return work.with_tasks("between", lambda la: _but_keying(la) if _several(la) else None)


def _degloss(work: Draft) -> Draft | None:
    """De-gloss between all coats; never where the film redissolves, or where flakes would show it."""

    def change(layer: Layer) -> list[Task] | None:
        product = work.product(layer)
        soft = any(window.redissolves for window in product.windows)
        bears_it = _several(layer) and not soft and not product.never_sanded
        return [Task(kind="degloss"), *_but_keying(layer)] if bears_it else None

    return work.with_tasks("between", change)


def _but_keying(layer: Layer) -> list[Task]:
    """What is done between its coats but to key them."""
    return [task for task in layer.between if task.kind not in ("sand", "degloss")]


def _shows(layer: Layer) -> bool:
    return layer.role in ("colour", "single_stage", "clear")


def _mist_first(work: Draft) -> Draft | None:
    def change(layer: Layer) -> dict[str, Any] | None:
        if not _shows(layer) or layer.coats[0].kind == "cover":  # over grit nothing but the cover coat goes first
            return None
        film = round(0.6 * work.product(layer).wet_film_min_um)
        mists = [Coat(kind="mist", wet_film_um=film, where=where) for where in _places(layer)]
        return {"coats": _dumped([*mists, *[c for c in layer.coats if c.kind != "mist"]])}

    return work.with_layers(change)


def _wet_at_once(work: Draft) -> Draft | None:
    return work.with_layers(
        lambda la: {"coats": _dumped(c for c in la.coats if c.kind != "mist")} if _shows(la) else None
    )


def _film_of(layer: Layer, film: float) -> dict[str, Any]:
    return {"coats": [c.model_dump() | ({"wet_film_um": film} if c.counted else {}) for c in layer.coats]}


def _thin_coats(work: Draft) -> Draft | None:
    """Thin coats, and one more of them, so that the film is there in the end."""

    def change(layer: Layer) -> dict[str, Any] | None:
        thin = work.product(layer).wet_film_min_um
        laid = _laid_anew(layer, lambda films: [thin] * max(len(films), round(sum(films) / thin)))
        return laid if _shows(layer) else None

    return work.with_layers(change)


def _edge_of_a_run(work: Draft) -> Draft | None:
    return work.with_layers(lambda la: _film_of(la, work.product(la).wet_film_max_um) if _shows(la) else None)


def _as_it_is(work: Draft) -> Draft | None:
    return work


def _fast_reducer(work: Draft) -> Draft | None:
    def change(layer: Layer) -> dict[str, Any] | None:
        return {"reducer_speed": "fast"} if work.product(layer).mix.reducer else None

    return work.with_layers(change)


def _hold_back(work: Draft) -> Draft | None:
    def change(layer: Layer) -> dict[str, Any] | None:
        return {"reducer_speed": "slow"} if work.product(layer).mix.reducer else None

    return work.with_layers(change)


# --- faces ---------------------------------------------------------------------------------------
def _turned(turning: str) -> Callable[[Draft], Draft | None]:
    """How faces that cannot be coated at one time are coated: the question arises where there are several."""

    def change(work: Draft) -> Draft | None:
        if len({zone.setting for zone in work.zones}) < 2:
            return None
        return replace(work, system=edit.with_turning(work.system, turning))

    return change


CHANGES: dict[str, Callable[[Draft], Draft | None]] = {
    "in-the-window": _in_the_window, "day-key-clear": _day_key_clear, "primer-in-coats": _primer_in_coats,
    "primer-at-once": _primer_at_once, "rounds": _rounds, "strip-all": _strip_all,
    "strip-failing-and-seal": _strip_failing_and_seal, "epoxy-everywhere": _epoxy_everywhere,
    "etch-on-metal": _etch_on_metal, "key-when-shut": _key_when_shut, "degloss": _degloss, "mist-first": _mist_first,
    "wet-at-once": _wet_at_once, "thin-coats": _thin_coats, "edge-of-a-run": _edge_of_a_run, "as-it-is": _as_it_is,
    "fast-reducer": _fast_reducer, "hold-back": _hold_back, "face-by-face": _turned("face_by_face"),
    "coat-by-coat": _turned("coat_by_coat"),
}  # fmt: skip
