"""A coating system: layers in order, what is done before, between and after them."""

from collections.abc import Sequence
from typing import Annotated, Any, Literal, Self

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer, model_validator

from cool_sheen.core.coatings.families import Role
from cool_sheen.core.coatings.sheet_fields import GritName, Key, Positive, ReducerSpeed, Speed, Strict, Text, parted
from cool_sheen.core.units import Micron, Minutes

CoatKind = Literal["stripe", "mist", "full", "drop", "cover"]
StepKind = Literal[
    "wash", "degrease", "strip", "fill", "wipe", "mask", "tack", "mix", "induct", "turn", "inspect", "unmask",
    "clean_gun", "bake", "polish", "assemble", "degloss", "broadcast", "sweep", "test_patch", "test_card",
    "decals", "own",
]  # fmt: skip
TaskKind = StepKind | Literal["sand", "wait"]
Where = Annotated[str, Field(pattern=r"^(all|bare|coated|face|edge|inside|underside|patch|zone:.{1,60})$")]
TaskName = Annotated[str, Field(pattern=r"^[a-zA-Z0-9][a-zA-Z0-9:_-]{0,60}$")]

STEP_WORDS: dict[str, str] = {
    "wash": "Wash", "degrease": "Degrease", "strip": "Strip", "fill": "Fill", "sand": "Sand", "wipe": "Wipe down",
    "mask": "Mask", "tack": "Tack off", "mix": "Mix", "induct": "Wait for induction", "coat": "Coat", "turn": "Turn",
    "inspect": "Inspect under a low lamp", "unmask": "Unmask", "clean_gun": "Clean the gun", "bake": "Heat",
    "polish": "Denib and polish", "assemble": "Refit", "degloss": "De-gloss with a pad",
    "broadcast": "Broadcast grit into the wet film", "sweep": "Sweep off the loose grit", "test_patch": "Test patch",
    "test_card": "Test card",    "decals": "Put transfers on", "own": "Step of your own", "wait": "Wait",
}  # fmt: skip
# What a task over a film waits for, unless its system says otherwise.
USUAL_AFTER: dict[str, str] = {
    "degloss": "sand", "mask": "tape_over", "unmask": "unmask", "polish": "polish", "assemble": "assemble",
    "decals": "handle", "bake": "flash",
}  # fmt: skip
AT_ONCE = "nothing"
CHECKS = ("inspect", "test_patch")  # work that is passed, or not
OWN_MINUTES: Minutes = 5.0  # of a step of one's own that says nothing else
USUAL_PROMPTS: dict[str, str] = {"test_card": "pattern and colour are right on the card"}
CLOTH = ("wipe", "degrease")  # work that is repeated until the white cloth stays clean
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


class Task(Strict):
    """A piece of work around the coats: before the first, between two, after a layer, or at the end.

    ``id`` is the name that the log knows it by; empty: by its place. ``after`` is the milestone of the film below that
    it waits for, ``wait_minutes`` how long it waits on top of what was done before it, ``words`` why, or what is done.
    ``holds`` says that nothing follows before it was passed; ``prompts``, parted by semicolons, are ticked with it.
    ``minutes`` is its hands-on time, ``per_m2`` that it is for each square metre; without, the table's.
    Sanding between coats that says no ``removal_um`` is a scuff: it takes the gloss.
    """

    id: TaskName | Literal[""] = ""
    kind: TaskKind
    grit: GritName | None = None
    removal_um: Annotated[float, Field(ge=0, le=2000, allow_inf_nan=False)] = 0
    wet: bool = False
    after: Key | None = None
    metal_temp_c: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)] | None = None
    hold_minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)] | None = None
    where: Where = "all"
    wait_minutes: Annotated[float, Field(gt=0, le=60_480, allow_inf_nan=False)] | None = None
    words: Annotated[str, Field(max_length=200)] = ""
    holds: bool = False
    prompts: Annotated[str, Field(max_length=400)] = ""
    minutes: Annotated[float, Field(gt=0, le=1440, allow_inf_nan=False)] | None = None
    per_m2: bool = False

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if (self.kind == "sand") != (self.grit is not None):
            raise ValueError("a sanding step has a grit, and no other step has one")
        if self.kind == "wait" and not (self.wait_minutes and self.words.strip()):
            raise ValueError("a wait says how long, and why")
        if self.kind == "own" and not self.words.strip():
            raise ValueError("a step of your own says what is done")
        return self

    @property
    def to_tick(self) -> tuple[str, ...]:
        """What is seen to with it."""
        return parted(self.prompts or USUAL_PROMPTS.get(self.kind))

    @property
    def takes_minutes(self) -> Minutes | None:
        """Its own hands-on time, five minutes for a step of one's own; None for the table's. [min]"""
        return self.minutes or (OWN_MINUTES if self.kind == "own" else None)

    @model_serializer(mode="wrap")
    def _short(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        data: dict[str, Any] = handler(self)
        usual = {name: field.default for name, field in type(self).model_fields.items() if name != "kind"}
        return {name: value for name, value in data.items() if name == "kind" or value != usual[name]}


class Override(Strict):
    """Something that is done against the advice, in words."""

    rule: Key
    place: Text
    reason: Annotated[str, Field(min_length=3, max_length=400)]


class Layer(Strict):
    """One layer of a system; its id stays the same when the system is copied to a part.

    ``between`` is done before each of its coats but the first, ``then`` when the last is on. ``coats = 2`` with
    ``wet_film_um`` is read as two full coats of that film, everywhere; ``between_coats = "degloss"`` or a grit, and
    ``sanding`` with the names of what follows in ``then``, as tasks.
    """

    id: Key
    name: Text
    role: Role
    product: Key
    coats: Annotated[tuple[Coat, ...], Field(min_length=1, max_length=30)]
    hardener_speed: Speed = "standard"
    reducer_speed: ReducerSpeed = "medium"
    reserve_um: Annotated[float, Field(ge=0, le=5000, allow_inf_nan=False)] = 0
    between: Annotated[tuple[Task, ...], Field(max_length=12)] = ()
    then: Annotated[tuple[Task, ...], Field(max_length=24)] = ()
    broadcast: Key | None = None
    must_stay: Text | None = None
    optional: bool = False
    left_out: bool = False
    rounds_most: Annotated[int, Field(ge=1, le=30)] | None = None

    @model_validator(mode="before")
    @classmethod
    def _short_form(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            return data
        data = dict(data)
        if isinstance(data.get("coats"), int) and not isinstance(data["coats"], bool):
            coat = {"kind": data.pop("coat_kind", "full"), "wet_film_um": data.pop("wet_film_um", None)}
            data["coats"] = [coat] * max(0, min(data["coats"], 31))
        if (how := data.pop("between_coats", None)) not in (None, "nothing") and not data.get("between"):
            data["between"] = [{"kind": "degloss"} if how == "degloss" else {"kind": "sand", "grit": how}]
        rungs, then = data.pop("sanding", None) or (), data.get("then") or ()
        if isinstance(rungs, list | tuple) and isinstance(then, list | tuple):
            data["then"] = [*map(_rung, rungs), *({"kind": t} if isinstance(t, str) else t for t in then)]
        return data

    @model_validator(mode="after")
    def _may_be_left_out(self) -> Self:
        if self.left_out and self.must_stay:
            raise ValueError(f"{self.name} must not be left out: {self.must_stay}")
        return self

    @property
    def sanding(self) -> tuple[Task, ...]:
        """The grits that it is sanded with before the next layer, in order."""
        return tuple(task for task in self.then if task.kind == "sand")

    def does(self, kind: str) -> bool:
        """Whether work of a kind is done when its last coat is on."""
        return any(task.kind == kind for task in self.then)

    @property
    def wet_film_um(self) -> Micron:
        """The wet film of the thickest coat. [um]"""
        return max(coat.wet_film_um for coat in self.coats)

    @property
    def counted(self) -> int:
        """How many of its coats count towards the target."""
        return sum(coat.counted for coat in self.coats)


def _rung(rung: Any) -> Any:
    return {"kind": "sand", **rung} if isinstance(rung, dict) else rung


class System(Strict):
    """An ordered stack of layers with the work around it."""

    key: Key
    name: Text
    note: Text
    prepare: Annotated[tuple[Task, ...], Field(max_length=40)] = ()
    layers: Annotated[tuple[Layer, ...], Field(min_length=1, max_length=30)]
    finish: Annotated[tuple[Task, ...], Field(max_length=40)] = ()
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


def named_tasks(stage: str, tasks: Sequence[Task]) -> list[tuple[str, Task]]:
    """Return tasks with the names that the log knows them by, each once.

    Args:
        stage: ``prepare``, ``between``, ``then`` or ``finish``.
        tasks: In order.
    """
    out: list[tuple[str, Task]] = []
    taken, others = {task.id for task in tasks if task.id}, 0
    for place, task in enumerate(tasks, start=1):
        others += task.kind != "sand"
        name = task.id or _by_place(stage, task, place, others)
        if not task.id:
            name = next(n for k in range(1, 100) if (n := name if k == 1 else f"{name}-{k}") not in taken)
            taken.add(name)
        out.append((name, task))
    return out


def _by_place(stage: str, task: Task, place: int, others: int) -> str:
    if stage == "between":
        return "scuff" if task.kind == "sand" else task.kind
    if stage == "then":
        return f"sand:{task.grit}" if task.kind == "sand" else f"then:{others}:{task.kind}"
    return f"{place}:{task.kind}"
