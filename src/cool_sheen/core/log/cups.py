"""Entries about the mix in a cup: a batch, what is poured, how it runs, how it ends."""

from typing import Annotated, ClassVar, Literal
from uuid import UUID

from pydantic import Field

from cool_sheen.core.coatings.sheet_fields import Share, Strict
from cool_sheen.core.log.said import Amount, Blended, Grown, ShortText


class BatchLine(Strict):
    """One component of a batch as it was planned, in pouring order."""

    component: ShortText
    name: ShortText
    role: Literal["paint", "hardener", "reducer", "additive"]
    ml_per_ml: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
    density_g_per_ml: Annotated[float, Field(gt=0, le=30, allow_inf_nan=False)]
    volume_solids_pct: Share = 0.0
    cap_ml_per_ml: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] | None = None


class BatchUse(Strict):
    """Coats of one part that a batch is for."""

    part: UUID
    layer_id: ShortText
    coats: Annotated[int, Field(ge=1, le=60)]
    ml: Amount


class BatchPayload(Blended):
    """A batch was begun: what it is for, and what was worked out. Its pours follow as entries of their own."""

    kind: Literal["batch"] = "batch"
    coating: ShortText
    product: ShortText
    name: ShortText
    measure: Literal["volume", "weight"]
    lines: Annotated[tuple[BatchLine, ...], Field(min_length=1, max_length=20)]
    ready_ml: Annotated[float, Field(gt=0, le=1e6, allow_inf_nan=False)]
    uses: Annotated[tuple[BatchUse, ...], Field(max_length=200)] = ()
    cup_ml: Amount = 0.0
    tare_g: Amount = 0.0
    tolerance_pct: Share = 5.0
    method: Literal["hvlp", "conventional", "airless", "aerosol", "brush", "roller"] = "hvlp"
    induction_minutes: Amount = 0.0
    pot_life_minutes: Amount | None = None
    pot_life_ref_c: Annotated[float, Field(ge=-100, le=200)] = 20.0
    strainer_um: Amount | None = None
    nozzle_mm: ShortText = ""
    space: UUID | None = None
    jar: UUID | None = None
    jar_ml: Amount = 0.0


class PourPayload(Strict):
    """One component went into the cup of a batch, or more of it."""

    kind: Literal["pour"] = "pour"
    batch: UUID
    line: Annotated[int, Field(ge=0, le=19)]
    ml: Amount
    how: Literal["mark", "scale", "typed", "top_up"] = "typed"
    used_up: bool = False


class ViscosityPayload(Strict):
    """How fast a batch runs: seconds of a cup, or off the stick."""

    kind: Literal["viscosity"] = "viscosity"
    batch: UUID
    seconds: Annotated[float, Field(gt=0, le=3600, allow_inf_nan=False)]
    by: ShortText = "cup"


class BatchEndPayload(Grown):
    """A batch is used up, or what is left of it goes somewhere.

    ``alone``: its film and its paint do not go together, it was asked back, and it is so: nothing is learned of it.
    """

    _GROWN: ClassVar[tuple[str, ...]] = ("alone",)

    kind: Literal["batch_end"] = "batch_end"
    batch: UUID
    left_ml: Amount
    goes: Literal["nothing_left", "offered", "jar", "waste"]
    alone: bool = False
