"""Will it stick, will it lift: what the trade says, and that everything has an answer."""

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from cool_sheen.core.coatings.compatibility import Below, Over, Rule, RuleTable, Way, every_pair
from cool_sheen.core.coatings.families import FAMILIES, GROUNDS, STATES
from cool_sheen.core.errors import Inconsistent
from cool_sheen.formats.catalogue import compatibility

TABLE = compatibility()
# Sentences of the trade: over, on, its state, the verdict; a role where a family has two uses.
TRADE = """
epoxy_2k      acid_etch         keyed      no
filler_epoxy  acid_etch         open       no
polyester_2k  acid_etch         cured      no
basecoat_solvent acid_etch      open       no
enamel_1k     acid_etch         cured      no
primer_1k     acid_etch         open       good
urethane_2k   acid_etch         open       good   surfacer
urethane_2k   acid_etch         open       no     single_stage
acid_etch     bare_steel        bare       good
acid_etch     bare_zinc         bare       good
acid_etch     bare_timber       bare       no
acid_etch     epoxy_2k          keyed      no
urethane_2k   enamel_1k         cured      no
urethane_2k   lacquer           keyed      no
polyester_2k  primer_1k         cured      no
filler_polyester enamel_1k      keyed      no
epoxy_2k      enamel_1k         keyed      care
epoxy_2k      lacquer           cured      care
urethane_2k   basecoat_solvent  open       good
urethane_2k   basecoat_water    open       good
urethane_2k   basecoat_solvent  keyed      care
enamel_1k     enamel_1k         open       good
enamel_1k     enamel_1k         locked     no
shellac       enamel_1k         locked     no
epoxy_2k      enamel_1k         locked     no
filler_polyester bare_zinc      bare       no
polyester_2k  bare_zinc         bare       no
polyester_2k  epoxy_2k          keyed      good
polyester_2k  epoxy_2k          cured      care
urethane_2k   epoxy_2k          cured      care
urethane_2k   epoxy_2k          keyed      good
urethane_2k   epoxy_2k          open       good
urethane_2k   urethane_2k       locked     no
urethane_2k   urethane_2k       cured      care
basecoat_water basecoat_solvent open       no
acrylic_water enamel_1k         open       no
casein_paint  lacquer           open       no
high_heat     bare_steel        bare       good
high_heat     bare_aluminium    keyed      good
high_heat     epoxy_2k          keyed      no
high_heat     primer_1k         cured      no
lacquer       lacquer           cured      good
dope          dope              open       good
dope          fabric            bare       good
urethane_2k   fabric            bare       no
urethane_2k   unknown           unknown    no
epoxy_2k      unknown           unknown    care
epoxy_2k      urethane_2k       failing    care
basecoat_solvent urethane_2k    failing    no
lacquer       enamel_1k         cured      no
epoxy_2k      bare_timber       bare       good
epoxy_2k      bare_aluminium    bare       good
acrylic_water plaster           bare       care
lacquer       bare_timber       bare       care
acrylic_water bare_timber       bare       good   primer
stain_solid   masonry           bare       good
stain_solid   bare_timber       bare       good
enamel_1k     masonry           bare       care
urethane_2k   gel_coat          keyed      good
urethane_2k   gel_coat          cured      care
shellac       bare_timber       bare       good
casein_paint  shellac           cured      good
acrylic_water casein_paint      cured      good
casein_paint  membrane          cured      care
"""


@pytest.mark.parametrize("line", TRADE.strip().splitlines(), ids=lambda line: " ".join(line.split()))
def test_what_the_trade_says_comes_out(line):
    over, below, state, verdict, *role = line.split()
    answer = TABLE.judge(Below(below, state), Over(over, *role))
    assert answer.verdict == verdict, answer.cited


def test_every_pair_has_a_verdict_with_its_reason_its_rule_and_a_way_out():
    for below, over in every_pair():
        answer = TABLE.judge(below, over)
        assert answer.reason.endswith(".")
        assert answer.rule in answer.cited
        assert answer.source in answer.cited
        if answer.verdict != "good":
            assert answer.ways
        if answer.rule == "not-decided":
            assert answer.verdict == "care"
            assert any(way.words.startswith("test first") for way in answer.ways)
    pairs = {(b.family, b.state, o.family) for b, o in every_pair()}
    assert len(pairs) == (len(FAMILIES) + len(GROUNDS)) * len(STATES) * len(FAMILIES)


def test_no_rule_stands_where_none_can_reach_it():
    roles = [None, *{role for rule in TABLE.rules for role in rule.over_role}]
    reached = {TABLE.judge(below, over).rule for below, over in every_pair(roles)}
    for rule in (rule for rule in TABLE.rules if rule.below_role):
        pairs = ((b, o) for b, o in every_pair(roles) if b.family in rule.below)
        reached |= {TABLE.judge(replace(below, role=rule.below_role[0]), over).rule for below, over in pairs}
    assert {rule.key for rule in TABLE.rules} == reached


@given(st.sampled_from(FAMILIES), st.sampled_from(FAMILIES))
def test_a_keyed_film_is_never_worse_than_the_same_film_unkeyed_and_nothing_goes_over_a_locked_one(below, over):
    grade = {"good": 0, "care": 1, "no": 2}
    keyed, cured = (grade[TABLE.judge(Below(below, state), Over(over)).verdict] for state in ("keyed", "cured"))
    assert keyed <= cured
    if (below, over) not in (("lacquer", "lacquer"), ("dope", "dope")):
        assert TABLE.judge(Below(below, "locked"), Over(over)).verdict == "no"


def test_a_table_that_is_not_sound_is_refused_with_all_that_is_wrong():
    way = Way(key="test", words="test first")
    last = Rule(key="last", verdict="care", reason="Nobody knows.", source="trade", ways=("test",))
    odd = Rule(key="odd", verdict="no", reason="It is odd.", source="trade", over=("glue",), ways=("pray",))
    with pytest.raises(Inconsistent, match=r"odd names glue; odd names the way pray") as refusal:
        RuleTable.of([odd, last], [way])
    assert "the last rule" not in str(refusal.value)
    with pytest.raises(Inconsistent, match="the last rule must fit everything"):
        RuleTable.of([odd.model_copy(update={"over": (), "state": ("bare",), "ways": ("test",)})], [way])
    with pytest.raises(ValueError, match="shows no way out"):
        Rule(key="hard", verdict="no", reason="It is hard.", source="trade")


# What a painter would say of each, written down from the trade and not from the table: below, its state, over, as what.
FROM_THE_TRADE = """
bare_steel bare epoxy_2k primer good
bare_steel bare acid_etch primer good
bare_aluminium bare acid_etch primer good
bare_timber bare acid_etch primer no
enamel_1k keyed acid_etch primer no
acid_etch open epoxy_2k primer no
acid_etch cured polyester_2k surfacer no
acid_etch keyed filler_polyester filler no
acid_etch open primer_1k primer good
acid_etch open urethane_2k surfacer good
acid_etch open urethane_2k single_stage no
acid_etch cured basecoat_solvent colour no
acid_etch cured enamel_1k colour no
bare_zinc bare polyester_2k surfacer no
bare_zinc bare filler_polyester filler no
bare_zinc bare enamel_1k colour no
bare_zinc bare epoxy_2k primer good
bare_steel bare filler_polyester filler care
epoxy_2k keyed filler_polyester filler good
epoxy_2k cured polyester_2k surfacer care
bare_steel weathered epoxy_2k primer care
bare_steel bare enamel_1k colour care
enamel_1k cured urethane_2k single_stage no
enamel_1k keyed urethane_2k surfacer no
enamel_1k keyed epoxy_2k sealer care
enamel_1k locked enamel_1k single_stage no
enamel_1k cured enamel_1k single_stage care
enamel_1k keyed enamel_1k single_stage good
enamel_1k weathered enamel_1k single_stage care
lacquer keyed urethane_2k clear no
lacquer cured lacquer clear good
enamel_1k cured lacquer clear no
basecoat_solvent open urethane_2k clear good
basecoat_water open urethane_2k clear good
basecoat_solvent cured urethane_2k clear care
basecoat_solvent open acrylic_water clear no
primer_1k open enamel_1k single_stage good
primer_1k cured urethane_2k single_stage no
unknown unknown urethane_2k single_stage no
unknown unknown enamel_1k single_stage no
unknown unknown epoxy_2k sealer care
urethane_2k failing urethane_2k single_stage no
urethane_2k failing epoxy_2k sealer care
urethane_2k cured urethane_2k clear care
urethane_2k keyed urethane_2k clear good
urethane_2k keyed enamel_1k single_stage good
epoxy_2k open urethane_2k single_stage good
epoxy_2k open basecoat_solvent colour good
epoxy_2k open acrylic_water colour care
primer_1k keyed high_heat colour no
bare_steel bare high_heat colour good
fabric bare dope clear good
fabric bare enamel_1k colour no
bare_timber bare stain_solid stain good
masonry bare stain_solid stain good
plaster bare acrylic_water colour care
plaster bare acrylic_water primer good
masonry bare enamel_1k colour care
bare_timber bare shellac primer good
shellac cured acrylic_water colour good
shellac cured urethane_2k single_stage no
casein_paint cured acrylic_water clear good
gel_coat keyed polyester_2k surfacer good
gel_coat bare urethane_2k single_stage care
high_heat cured enamel_1k colour care
filler_polyester keyed epoxy_2k primer good
filler_polyester cured basecoat_solvent colour care
polyester_2k keyed urethane_2k surfacer good
polyester_2k cured urethane_2k surfacer care
plastic bare primer_1k primer care
bare_glass_fibre bare polyester_2k surfacer good
bare_aluminium bare basecoat_solvent colour care
membrane cured membrane membrane care
acrylic_water keyed primer_1k primer good filler
acrylic_water cured primer_1k primer care filler
acrylic_water keyed urethane_2k surfacer care filler
bare_timber bare acrylic_water filler good
"""


@pytest.mark.parametrize("line", FROM_THE_TRADE.strip().splitlines())
def test_the_table_says_what_the_trade_says(line):
    below, state, over, role, verdict, *below_role = line.split()
    assert TABLE.judge(Below(below, state, *below_role), Over(over, role)).verdict == verdict
