"""Signs that a log may hold of a cause: each looks at a case, and says yes, no, or nothing."""

from collections.abc import Callable
from dataclasses import dataclass

from cool_sheen.core.clinic.case import Case
from cool_sheen.core.units import Kelvin

WARM_K: Kelvin = 5.0  # over or under the sheet's reference: from there on a day is warm or cold for a product
FALL_K: Kelvin = 10.0  # of the air within a day: a cold shock
HEAVY_SHARE, SHORT_SHARE, OLD_POT = 1.15, 1.0, 0.9
COARSE_SHARE = 1.3  # of the grain that is asked for
MANY_A_DAY = 3
RATIO_OFF_PCT = 8.0
DAMP_H, STOOD_H = 3.0, 8.0
_LEAST_STRENGTH = 1 / 3


@dataclass(frozen=True, slots=True)
class Seen:
    """What a log says of a sign; ``strength`` is how far it lies beyond its bound: just over it says little. [1]"""

    yes: bool
    says: str
    strength: float = 1.0


Look = Callable[[Case], Seen | None]


@dataclass(frozen=True, slots=True)
class Sign:
    """A sign: how the log is looked at for it, and what is asked where the log does not know."""

    look: Look
    asks: str


def _far(value: float, bound: float, full: float) -> float:
    """How far a figure lies beyond its bound, by what counts in full. [1, from a third to 1]"""
    return min(1.0, max(_LEAST_STRENGTH, abs(value - bound) / full)) if full > 0 else 1.0


def _over_sag(case: Case) -> Seen | None:
    bound = case.product.runs_over_um
    how = "measured" if case.measured else "planned"
    return Seen(
        case.film_um > bound,
        f"wet film {case.film_um:.0f} µm ({how}), it runs over {bound:.0f} µm",
        _far(case.film_um, bound, 0.2 * bound),
    )


def _heavy(case: Case) -> Seen | None:
    most = case.product.wet_film_max_um
    how = "measured" if case.measured else "planned"
    yes = case.film_um > HEAVY_SHARE * most
    return Seen(
        yes,
        f"wet film {case.film_um:.0f} µm ({how}), at most {most:.0f} µm by the sheet",
        _far(case.film_um, HEAVY_SHARE * most, 0.2 * most),
    )


def _thin_film(case: Case) -> Seen | None:
    least = case.product.wet_film_min_um
    return Seen(
        case.film_um < 0.8 * least,
        f"wet film {case.film_um:.0f} µm, at least {least:.0f} µm by the sheet",
        _far(case.film_um, 0.8 * least, 0.2 * least),
    )


def _few_coats(case: Case) -> Seen | None:
    if case.coats_of_layer is None or case.coats_planned is None:
        return None
    return Seen(case.coats_of_layer < case.coats_planned, f"{case.coats_of_layer} of {case.coats_planned} coats")


def _many_coats(case: Case) -> Seen | None:
    most = case.product.coats_a_day or MANY_A_DAY
    return Seen(
        case.coats_that_day > most,
        f"{case.coats_that_day} coats within a day, {most} are usual",
        _far(case.coats_that_day, most, 2),
    )


def _short_flash(case: Case) -> Seen | None:
    if case.gap_min is None or case.opens_min is None:
        return None
    yes = case.gap_min < SHORT_SHARE * case.opens_min
    return Seen(
        yes,
        f"{case.gap_min:.0f} min after the coat below, which was ready after {case.opens_min:.0f} min",
        _far(case.gap_min, case.opens_min, 0.5 * case.opens_min),
    )


def _locked(case: Case) -> Seen | None:
    return (
        None if case.phase_below is None else Seen(case.phase_below == "locked", f"the film below was {_phase(case)}")
    )


def _past_window(case: Case) -> Seen | None:
    if case.phase_below is None:
        return None
    yes = case.phase_below in ("key", "cured") and not case.keyed
    key = "keyed" if case.keyed else "not keyed"
    return Seen(yes, f"the film below was {_phase(case)}, {key}")


_PHASES = {
    "wet": "still wet", "open": "open", "locked": "locked: too dry to melt in, too soft to sand",
    "key": "past its window", "cured": "cured",
}  # fmt: skip


def _phase(case: Case) -> str:
    return _PHASES.get(case.phase_below or "", case.phase_below or "")


def _against_table(case: Case) -> Seen | None:
    if case.over_verdict is None:
        return None
    return Seen(case.over_verdict == "no", f"the table says “{case.over_verdict}” of it over what is below")


def _by_temperature(case: Case, *, warm: bool) -> Seen | None:
    if case.air_c is None:
        return None
    bound = case.product.ref_temp_c + (WARM_K if warm else -WARM_K)
    yes = case.air_c > bound if warm else case.air_c < bound
    return Seen(
        yes,
        f"air of {case.air_c:.0f} °C, the sheet's own is {case.product.ref_temp_c:.0f} °C",
        _far(case.air_c, bound, 4),
    )


def _humid(case: Case) -> Seen | None:
    if case.rh_pct is None:
        return None
    most = case.product.limits.rh_max_pct
    return Seen(
        case.rh_pct > most - 5,
        f"humidity {case.rh_pct:.0f} %, at most {most:.0f} % by the sheet",
        _far(case.rh_pct, most - 5, 10),
    )


def _dew(case: Case) -> Seen | None:
    if case.margin_k is None:
        return None
    least = case.product.limits.dew_margin_k
    return Seen(
        case.margin_k < least,
        f"dew margin down to {case.margin_k:.1f} K, at least {least:g} K",
        _far(case.margin_k, least, 2),
    )


def _fall(case: Case) -> Seen | None:
    return (
        None
        if case.fall_k is None
        else Seen(
            case.fall_k > FALL_K, f"the air fell by {case.fall_k:.0f} K within a day", _far(case.fall_k, FALL_K, 5)
        )
    )


def _reducer(case: Case, off: str) -> Seen | None:
    if case.reducer is None:
        return None
    words = {"low": "slow for the day", "right": "right for the day", "high": "fast for the day"}[case.reducer]
    return Seen(case.reducer == off, f"the reducer was {words}")


def _over_thinned(case: Case) -> Seen | None:
    if case.reduced_pct is None or case.reducer_cap_pct is None:
        return None
    yes = case.reduced_pct > case.reducer_cap_pct + 0.5
    return Seen(
        yes,
        f"thinned by {case.reduced_pct:.0f} %, up to {case.reducer_cap_pct:.0f} % by the sheet",
        _far(case.reduced_pct, case.reducer_cap_pct, 0.4 * case.reducer_cap_pct),
    )


def _thick_mix(case: Case) -> Seen | None:
    if case.viscosity_high is not None:
        return Seen(case.viscosity_high, "too thick by the cup" if case.viscosity_high else "right by the cup")
    if case.reduced_pct is None or not case.reducer_usual_pct:
        return None
    yes = case.reduced_pct < 0.5 * case.reducer_usual_pct
    return Seen(yes, f"thinned by {case.reduced_pct:.0f} %, usually {case.reducer_usual_pct:.0f} %")


def _ratio_off(case: Case) -> Seen | None:
    if case.ratio_off_pct is None:
        return None
    return Seen(
        abs(case.ratio_off_pct) > RATIO_OFF_PCT,
        f"the hardener was {case.ratio_off_pct:+.0f} % off its share",
        _far(abs(case.ratio_off_pct), RATIO_OFF_PCT, 8),
    )


def _old_pot(case: Case) -> Seen | None:
    if case.pot_share is None:
        return None
    return Seen(case.pot_share > OLD_POT, f"{100 * case.pot_share:.0f} % of the pot life were over")


def _not(done: bool | None, did: str, not_done: str) -> Seen | None:
    return None if done is None else Seen(not done, did if done else not_done)


def _yes(found: bool | None, it_is: str, it_is_not: str) -> Seen | None:
    return None if found is None else Seen(found, it_is if found else it_is_not)


def _dirty_cloth(case: Case) -> Seen | None:
    n = case.wiped_in_vain
    times = {1: "once", 2: "twice"}.get(n, f"{n} times")
    return Seen(n > 0, f"the cloth was not clean {times}" if n else "no cloth that was not clean")


def _coarse(case: Case) -> Seen | None:
    if case.last_grit_um is None or case.asked_grit_um is None:
        return None
    yes = case.last_grit_um > COARSE_SHARE * case.asked_grit_um
    return Seen(
        yes,
        f"last sanded with grains of {case.last_grit_um:.0f} µm, {case.asked_grit_um:.0f} µm are asked for",
        _far(case.last_grit_um, COARSE_SHARE * case.asked_grit_um, case.asked_grit_um),
    )


def _damp_below(case: Case) -> Seen | None:
    if case.wet_sanded_h is None:
        return Seen(False, "nothing was sanded wet before it")
    return Seen(case.wet_sanded_h < DAMP_H, f"sanded wet {case.wet_sanded_h:.1f} h before it")


def _bare_too_long(case: Case) -> Seen | None:
    return (
        None
        if case.bare_h is None
        else Seen(case.bare_h > STOOD_H, f"bare for {case.bare_h:.0f} h before it", _far(case.bare_h, STOOD_H, 12))
    )


def _gun(case: Case, what: str, off: str) -> Seen | None:
    found = case.bar if what == "bar" else case.distance
    if found is None:
        return None
    name = "pressure" if what == "bar" else "distance"
    words = {"low": "under its band", "right": "in its band", "high": "over its band"}[found]
    return Seen(found == off, f"the gun's {name} was {words}")


def _unmasked_early(case: Case) -> Seen | None:
    if case.unmasked_min is None or case.tape_from_min is None:
        return None
    yes = case.unmasked_min < 0.5 * case.tape_from_min
    return Seen(yes, f"unmasked after {case.unmasked_min:.0f} min, good from {case.tape_from_min:.0f} min on")


def _unknown_below(case: Case) -> Seen | None:
    if case.old_finish is None:
        return None
    yes = case.old_finish == "unknown"
    return Seen(yes, "nobody knows what the old finish is" if yes else "what is below is known")


def _flakes(case: Case) -> Seen | None:
    name = f"{case.product.key} {case.product.name}".lower()
    yes = any(word in name for word in ("metallic", "pearl", "aluminium", "flake"))
    return Seen(yes, "a colour with flakes" if yes else "no flakes in it")


def _nothing(_: Case) -> Seen | None:
    """Of what no log speaks: only whoever was there can say."""
    return None


SIGNS: dict[str, Sign] = {
    "over_sag": Sign(_over_sag, "Was it a heavy coat?"),
    "heavy": Sign(_heavy, "Was it a heavy coat?"),
    "thin_film": Sign(_thin_film, "Was it a thin coat?"),
    "few_coats": Sign(_few_coats, "Are there fewer coats than planned on this place?"),
    "many_coats": Sign(_many_coats, "Did more coats than usual go on that day?"),
    "short_flash": Sign(_short_flash, "Was the flash of the coat below cut short?"),
    "locked": Sign(_locked, "Was the film below too dry to melt in, and too soft to sand?"),
    "past_window": Sign(_past_window, "Was the film below past its window, and not keyed?"),
    "against_table": Sign(_against_table, "Is there something below that it does not go over?"),
    "warm": Sign(lambda c: _by_temperature(c, warm=True), "Was it warm there?"),
    "cold": Sign(lambda c: _by_temperature(c, warm=False), "Was it cold there?"),
    "humid": Sign(_humid, "Was the air humid?"),
    "dew": Sign(_dew, "Did the part feel cold and damp in the evening?"),
    "fall": Sign(_fall, "Did it turn cold within a day?"),
    "wind": Sign(
        lambda c: _yes(c.wind, "wind over its limit", "no wind over its limit"), "Was there a draught or wind?"
    ),
    "reducer_slow": Sign(lambda c: _reducer(c, "low"), "Was the reducer slow for the day?"),
    "reducer_fast": Sign(lambda c: _reducer(c, "high"), "Was the reducer fast for the day?"),
    "over_thinned": Sign(_over_thinned, "Was it thinned beyond the cap?"),
    "thick_mix": Sign(_thick_mix, "Was it thick in the cup?"),
    "ratio_off": Sign(_ratio_off, "Was the hardener off its share?"),
    "old_pot": Sign(_old_pot, "Was the mix near the end of its pot life?"),
    "no_degrease": Sign(
        lambda c: _not(c.degreased, "degreased since it was sanded", "no degreasing since it was sanded"),
        "Was degreasing left out after the last sanding?",
    ),
    "no_wipe": Sign(
        lambda c: _not(c.wiped, "wiped before it", "no wipe before it"), "Was the wipe before the coat left out?"
    ),
    "no_tack": Sign(lambda c: _not(c.tacked, "tacked off before it", "not tacked off"), "Was tacking off left out?"),
    "dirty_cloth": Sign(_dirty_cloth, "Did the white cloth come away dirty?"),
    "coarse": Sign(_coarse, "Was it sanded with too coarse a grit last?"),
    "hard_pad": Sign(
        lambda c: _yes(c.hard_pad, "sanded with a hard pad or block", "sanded by hand or with a soft pad"),
        "Was it sanded with something hard on a curve?",
    ),
    "went_through": Sign(
        lambda c: _yes(c.went_through, "a sanding went through", "no sanding went through"), "Did a sanding go through?"
    ),
    "damp_below": Sign(_damp_below, "Was it sanded wet shortly before?"),
    "bare_too_long": Sign(_bare_too_long, "Did the metal stand bare over a working day?"),
    "bar_low": Sign(lambda c: _gun(c, "bar", "low"), "Was the pressure low at the inlet, trigger pulled?"),
    "bar_high": Sign(lambda c: _gun(c, "bar", "high"), "Was the pressure high at the inlet, trigger pulled?"),
    "near": Sign(lambda c: _gun(c, "distance", "low"), "Was the gun held too near?"),
    "far": Sign(lambda c: _gun(c, "distance", "high"), "Was the gun held too far away?"),
    "wet_line": Sign(
        lambda c: _not(c.air_drained, "the line was drained that day", "the line was not drained that day"),
        "Was draining the water trap left out that day?",
    ),
    "dry_floor": Sign(
        lambda c: _not(c.floor_damped, "the floor was damped", "the floor was not damped"), "Was the floor left dry?"
    ),
    "not_swept": Sign(lambda c: _not(c.swept, "swept that day", "not swept that day"), "Was sweeping left out?"),
    "filters": Sign(
        lambda c: _not(c.filters, "the filters were seen to", "the filters were not seen to"),
        "Are the filters clogged or leaking?",
    ),
    "baked_early": Sign(
        lambda c: _yes(c.baked_early, "heated before it had flashed", "not heated before it had flashed"),
        "Was it warmed by a lamp, a heater or the sun while it flashed?",
    ),
    "moved_early": Sign(
        lambda c: _yes(c.moved_early, "turned or moved before it could be", "not moved before it could be"),
        "Was it turned, stacked or touched soon after?",
    ),
    "unmasked_early": Sign(_unmasked_early, "Was it unmasked before it was dust free?"),
    "unknown_below": Sign(_unknown_below, "Is the old finish unknown?"),
    "stains": Sign(
        lambda c: _yes(c.stains, "the ground, or an old colour, may stain", "nothing below is known to stain"),
        "Is there an old red, rust, or a timber that bleeds below?",
    ),
    "flakes": Sign(_flakes, "Are there flakes in the colour?"),
    "silicone": Sign(_nothing, "Was polish, silicone or spray lubricant used near it?"),
    "clothes": Sign(_nothing, "Are there threads or hairs among the grains?"),
    "overlapped": Sign(_nothing, "Did each stroke cover half of the one before, or more?"),
    "many_angles": Sign(_nothing, "Is it in a corner, behind an edge, or where the light does not reach?"),
    "over_hardened": Sign(_nothing, "Was there more hardener in the filler than its label says?"),
    "curve": Sign(_nothing, "Is it on a curve or an edge?"),
    "wax": Sign(_nothing, "Was there ever wax or oil on it?"),
}
