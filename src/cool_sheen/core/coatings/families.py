"""The families of coatings, what lies below them, and the states that a film below can be in."""

from typing import Literal, get_args

Family = Literal[
    "epoxy_2k", "urethane_2k", "polyester_2k", "acid_etch", "primer_1k", "enamel_1k", "lacquer", "dope",
    "basecoat_solvent", "basecoat_water", "acrylic_water", "casein_paint", "shellac", "high_heat", "stain_solid",
    "membrane", "filler_polyester", "filler_epoxy",
]  # fmt: skip
Ground = Literal[
    "bare_steel", "bare_aluminium", "bare_zinc", "bare_timber", "bare_glass_fibre", "gel_coat", "plastic", "fabric",
    "masonry", "plaster", "unknown",
]  # fmt: skip
BelowFamily = Family | Ground
State = Literal["bare", "open", "locked", "cured", "keyed", "weathered", "failing", "unknown"]
Role = Literal[
    "primer", "sealer", "surfacer", "barrier", "filler", "stain", "colour", "single_stage", "clear", "membrane"
]

FAMILIES: tuple[str, ...] = get_args(Family)
GROUNDS: tuple[str, ...] = get_args(Ground)
STATES: tuple[str, ...] = get_args(State)
ROLES: tuple[str, ...] = get_args(Role)

FAMILY_WORDS: dict[str, str] = {
    "epoxy_2k": "two-pack epoxy", "urethane_2k": "two-pack urethane", "polyester_2k": "two-pack polyester",
    "acid_etch": "acid etch primer", "primer_1k": "one-pack primer", "enamel_1k": "one-pack enamel",
    "lacquer": "lacquer", "dope": "dope", "basecoat_solvent": "solvent basecoat",
    "basecoat_water": "waterborne basecoat",
    "acrylic_water": "waterborne acrylic", "casein_paint": "casein or mineral paint", "shellac": "shellac",
    "high_heat": "high-heat coating", "stain_solid": "solid stain", "membrane": "membrane",
    "filler_polyester": "polyester filler", "filler_epoxy": "epoxy filler",
}  # fmt: skip
GROUND_WORDS: dict[str, str] = {
    "bare_steel": "bare steel or iron", "bare_aluminium": "bare aluminium", "bare_zinc": "bare zinc",
    "bare_timber": "bare timber", "bare_glass_fibre": "bare glass fibre", "gel_coat": "gel coat", "plastic": "plastic",
    "fabric": "fabric", "masonry": "masonry", "plaster": "plaster", "unknown": "an unknown finish",
}  # fmt: skip
BELOW_WORDS: dict[str, str] = FAMILY_WORDS | GROUND_WORDS
STATE_WORDS: dict[str, str] = {
    "bare": "bare", "open": "in its window", "locked": "locked", "cured": "cured, not keyed", "keyed": "keyed",
    "weathered": "weathered", "failing": "failing", "unknown": "not known",
}  # fmt: skip
ROLE_WORDS: dict[str, str] = {
    "primer": "primer", "sealer": "sealer", "surfacer": "surfacer", "barrier": "barrier", "filler": "filler",
    "stain": "stain", "colour": "colour", "single_stage": "single stage", "clear": "clear", "membrane": "membrane",
}  # fmt: skip
