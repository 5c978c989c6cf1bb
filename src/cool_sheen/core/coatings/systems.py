"""A coating system: layers in order, what is done before, between and after them."""

from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from cool_sheen.core.coatings.families import Role
from cool_sheen.core.coatings.sheet_fields import GritName, Key, Positive, ReducerSpeed, Speed, Strict, Text
from cool_sheen.core.units import Micron

CoatKind = Literal["stripe", "mist", "full", "drop", "cover"]
StepKind = Literal[
    "wash", "degrease", "strip", "fill", "wipe", "mask", "tack", "mix", "induct", "turn", "inspect", "unmask",
    "clean_gun", "bake", "polish", "assemble", "degloss", "broadcast", "sweep", "test_patch",
]  # fmt: skip
Where = Annotated[str, Field(pattern=r"^(all|bare|coated|face|edge|inside|underside|patch|zone:.{1,60})$")]

STEP_WORDS: dict[str, str] = {
    "wash": "Wash", "degrease": "Degrease", "strip": "Strip", "fill": "Fill", "sand": "Sand", "wipe": "Wipe down",
    "mask": "Mask", "tack": "Tack off", "mix": "Mix", "induct": "Wait for induction", "coat": "Coat", "turn": "Turn",
    "inspect": "Inspect under a low lamp", "unmask": "Unmask", "clean_gun": "Clean the gun", "bake": "Heat",
    "polish": "Denib and polish", "assemble": "Refit", "degloss": "De-gloss with a pad",
    "broadcast": "Broadcast grit into the wet film", "sweep": "Sweep off the loose grit", "test_patch": "Test patch",
}  # fmt: skip
COAT_WORDS: dict[str, str] = {
    "stripe": "stripe coat", "mist": "mist coat", "full": "full coat", "drop": "drop coat", "cover": "cover coat",
}  # fmt: skip
COUNTS: dict[str, bool] = {"stripe": False, "mist": False, "full": True, "drop": False, "cover": True}
WHERE_WORDS: dict[str, str] = {
    "all": "everywhere", "bare": "bare zones", "coated": "zones with an old film", "face": "faces", "edge": "edges",
    "inside": "insides", "underside": "undersides", "patch": "patches",
}  # fmt: skip


def where_words(where: str) -> str:
    """Say which zones a coat is for."""
    return where.removeprefix("zone:") if where.startswith("zone:") else WHERE_WORDS[where]


class Coat(Strict):
    """One coat of a layer: its kind, its wet film, and the zones that get it."""

    kind: CoatKind = "full"
    wet_film_um: Positive
    where: Where = "all"
    counts: bool | None = None

    @property
    def counted(self) -> bool:
        """Whether it counts towards the layer's target; full and cover coats do unless they are said not to."""
        return COUNTS[self.kind] if self.counts is None else self.counts


class Sanding(Strict):
    """One rung of the grit ladder between layers."""

    grit: GritName
    removal_um: Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)]
    wet: bool = False


class Prepare(Strict):
    """A step of the preparation; a grit where it is sanding."""

    kind: StepKind | Literal["sand"]
    grit: GritName | None = None

    @model_validator(mode="after")
    def _grit_with_sanding(self) -> Self:
        if (self.kind == "sand") != (self.grit is not None):
            raise ValueError("a sanding step has a grit, and no other step has one")
        return self


class Finish(Strict):
    """A step after the last coat, and the milestone that it waits for; a heat stage has its target and hold."""

    kind: StepKind
    after: Key
    metal_temp_c: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)] | None = None
    hold_minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)] | None = None


class Override(Strict):
    """Something that is done against the advice, in words."""

    rule: Key
    place: Text
    reason: Annotated[str, Field(min_length=3, max_length=400)]


class Layer(Strict):
    """One layer of a system; its id stays the same when the system is copied to a part.

    ``coats = 2`` with ``wet_film_um`` is read as two full coats of that film, everywhere.
    """

    id: Key
    name: Text
    role: Role
    product: Key
    coats: Annotated[tuple[Coat, ...], Field(min_length=1, max_length=30)]
    hardener_speed: Speed = "standard"
    reducer_speed: ReducerSpeed = "medium"
    reserve_um: Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)] = 0
    between_coats: Literal["nothing", "degloss"] | GritName = "nothing"
    sanding: Annotated[tuple[Sanding, ...], Field(max_length=12)] = ()
    then: Annotated[tuple[StepKind, ...], Field(max_length=12)] = ()
    broadcast: Key | None = None
    must_stay: Text | None = None
    optional: bool = False
    left_out: bool = False
    rounds_most: Annotated[int, Field(ge=1, le=30)] | None = None

    @model_validator(mode="before")
    @classmethod
    def _short_form(cls, data: Any) -> Any:
        if isinstance(data, dict) and isinstance(data.get("coats"), int) and not isinstance(data["coats"], bool):
            rest = {k: v for k, v in data.items() if k not in ("wet_film_um", "coat_kind")}
            coat = {"kind": data.get("coat_kind", "full"), "wet_film_um": data.get("wet_film_um")}
            return {**rest, "coats": [coat] * max(0, min(data["coats"], 31))}
        return data

    @model_validator(mode="after")
    def _may_be_left_out(self) -> Self:
        if self.left_out and self.must_stay:
            raise ValueError(f"{self.name} must not be left out: {self.must_stay}")
        return self

    @property
    def wet_film_um(self) -> Micron:
        """The wet film of the thickest coat. [um]"""
        return max(coat.wet_film_um for coat in self.coats)

    @property
    def counted(self) -> int:
        """How many of its coats count towards the target."""
        return sum(coat.counted for coat in self.coats)


class System(Strict):
    """An ordered stack of layers with the work around it."""

    key: Key
    name: Text
    note: Text
    prepare: Annotated[tuple[Prepare, ...], Field(max_length=40)] = ()
    layers: Annotated[tuple[Layer, ...], Field(min_length=1, max_length=30)]
    finish: Annotated[tuple[Finish, ...], Field(max_length=30)] = ()
    outdoors: bool = False
    # Faces that cannot be coated at one time: all coats on one and then the other, or one coat on each in turn.
    turning: Literal["face_by_face", "coat_by_coat"] = "face_by_face"
    overrides: Annotated[tuple[Override, ...], Field(max_length=100)] = ()

    @model_validator(mode="after")
    def _sound(self) -> Self:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) < len(ids):
            raise ValueError("each layer id may stand once only")
        if all(layer.left_out for layer in self.layers):
            raise ValueError("at least one layer has to stay")
        return self

    @property
    def used(self) -> tuple[Layer, ...]:
        """The layers that are not left out."""
        return tuple(layer for layer in self.layers if not layer.left_out)

    def products(self) -> set[str]:
        """Return the keys of all products that the system needs."""
        return {layer.product for layer in self.layers}

    def layer(self, layer_id: str) -> Layer:
        """Return a layer by its id. Raises KeyError."""
        return {la.id: la for la in self.layers}[layer_id]
