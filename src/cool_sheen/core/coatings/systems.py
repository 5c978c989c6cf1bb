"""A coating system: layers in order, what is done before, between and after them."""

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from cool_sheen.core.coatings.products import Key, Positive, Role, Strict, Text

CoatKind = Literal["stripe", "mist", "full", "drop", "cover"]
StepKind = Literal[
    "wash", "degrease", "strip", "fill", "wipe", "mask", "tack", "mix", "induct", "turn", "inspect", "unmask",
    "clean_gun", "bake", "polish", "assemble",
]  # fmt: skip

STEP_WORDS: dict[str, str] = {
    "wash": "Wash", "degrease": "Degrease", "strip": "Strip", "fill": "Fill", "sand": "Sand", "wipe": "Wipe down",
    "mask": "Mask", "tack": "Tack off", "mix": "Mix", "induct": "Wait for induction", "coat": "Coat", "turn": "Turn",
    "inspect": "Inspect under a low lamp", "unmask": "Unmask", "clean_gun": "Clean the gun", "bake": "Bake",
    "polish": "Denib and polish", "assemble": "Refit",
}  # fmt: skip


class Sanding(Strict):
    """One rung of the grit ladder between layers."""

    grit: Annotated[str, Field(pattern=r"^[PC]\d{2,4}$")]
    removal_um: Annotated[float, Field(ge=0, le=2000)]
    wet: bool = False


class Prepare(Strict):
    """A step of the preparation; a grit where it is sanding."""

    kind: StepKind | Literal["sand"]
    grit: str | None = None

    @model_validator(mode="after")
    def _grit_with_sanding(self) -> Self:
        if (self.kind == "sand") != (self.grit is not None):
            raise ValueError("a sanding step has a grit, and no other step has one")
        return self


class Finish(Strict):
    """A step after the last coat, and the milestone that it waits for."""

    kind: StepKind
    after: Key


class Layer(Strict):
    """One layer of a system; its id stays the same when the system is copied to a part."""

    id: Key
    name: Text
    role: Role
    product: Key
    coats: Annotated[int, Field(ge=1, le=30)]
    wet_film_um: Positive
    coat_kind: CoatKind = "full"
    hardener_speed: Literal["fast", "standard", "slow"] = "standard"
    reducer_speed: Literal["fast", "medium", "slow", "extra_slow"] = "medium"
    reserve_um: Annotated[float, Field(ge=0, le=5000)] = 0
    sanding: tuple[Sanding, ...] = ()
    then: tuple[StepKind, ...] = ()


class System(Strict):
    """An ordered stack of layers with the work around it."""

    key: Key
    name: Text
    note: Text
    prepare: tuple[Prepare, ...] = ()
    layers: Annotated[tuple[Layer, ...], Field(min_length=1, max_length=30)]
    finish: tuple[Finish, ...] = ()

    @model_validator(mode="after")
    def _ids_once(self) -> Self:
        ids = [layer.id for layer in self.layers]
        if len(set(ids)) < len(ids):
            raise ValueError("each layer id may stand once only")
        return self

    def products(self) -> set[str]:
        """Return the keys of all products that the system needs."""
        return {layer.product for layer in self.layers}
