"""How fast each drying mode runs, relative to its reference, along a climate."""

from collections.abc import Callable

import numpy as np

from cool_sheen.core.climate.air import Floats, humidity_ratio, saturation_pressure
from cool_sheen.core.climate.series import Series
from cool_sheen.core.drying.milestones import DEFAULT_ACTIVATION, DryingData, Milestone, Mode
from cool_sheen.core.errors import Inconsistent
from cool_sheen.core.units import ZERO_CELSIUS_K

GAS_CONSTANT = 8.314  # J/(mol K)


def rate(milestone: Milestone, data: DryingData, climate: Series) -> Floats:
    """Progress per unit of reference time, without the movement of the air.

    Args:
        milestone: Its mode and activation energy.
        data: The product's reference climate and limits.
        climate: The instants that are asked for.

    Returns: One rate an instant, never negative. [1]
    Raises: Inconsistent: a reference climate in which nothing would dry.
    Source: docs/trade.md, Clock: Arrhenius for solvent, reactive, oxidative and moisture modes, the
        deficit of vapour pressure for water.
    """
    return _RATES[milestone.mode](milestone, data, climate)


def shared_key(milestone: Milestone) -> tuple[Mode, float, bool]:
    """Return what two milestones of one product must share to share a curve."""
    return milestone.mode, _activation(milestone), never_slower(milestone)


def never_slower(milestone: Milestone) -> bool:
    """Whether cold does not slow a milestone: a limit, of which the label states no time at a second temperature.

    The activation energy is what two temperatures say; a sheet without one states the time at its reference alone.

    Source: docs/trade.md, Clock: limits.
    """
    return milestone.is_limit and milestone.activation_kj_per_mol is None


def stands_still_below(milestone: Milestone, data: DryingData) -> float | None:
    """Temperature of a surface under which a milestone's mode stands still; None where it has no such. [C]

    Source: docs/trade.md, Clock.
    """
    return {Mode.REACTIVE: data.stall_temp_c, Mode.WATER: data.min_film_forming_temp_c}.get(milestone.mode)


def _activation(milestone: Milestone) -> float:
    if milestone.activation_kj_per_mol is not None:
        return milestone.activation_kj_per_mol
    return DEFAULT_ACTIVATION.get(milestone.mode, 0.0)


def _arrhenius(milestone: Milestone, data: DryingData, climate: Series) -> Floats:
    inverse = 1 / (climate.surface_temp_c + ZERO_CELSIUS_K) - 1 / (data.ref_temp_c + ZERO_CELSIUS_K)
    return np.asarray(np.exp(-1000 * _activation(milestone) / GAS_CONSTANT * inverse))


def _water(milestone: Milestone, data: DryingData, climate: Series) -> Floats:
    reference = float(saturation_pressure(np.array(data.ref_temp_c))) * (1 - data.ref_rh_pct / 100)
    if reference <= 0:
        raise Inconsistent("Water does not leave a film at a reference humidity of 100 %.", "product.ref_rh_pct")
    leaves = saturation_pressure(climate.surface_temp_c)
    comes = climate.rh_pct / 100 * saturation_pressure(climate.air_temp_c)
    running = np.maximum(0, leaves - comes) / reference
    if data.min_film_forming_temp_c is None:
        return np.asarray(running)
    return np.where(climate.surface_temp_c < data.min_film_forming_temp_c, 0.0, running)


def _reactive(milestone: Milestone, data: DryingData, climate: Series) -> Floats:
    running = _arrhenius(milestone, data, climate)
    if data.stall_temp_c is None:
        return running
    return np.where(climate.surface_temp_c < data.stall_temp_c, 0.0, running)


def _oxidative(milestone: Milestone, data: DryingData, climate: Series) -> Floats:
    damped = 1 - 0.6 * np.clip((climate.rh_pct - 70) / 30, 0, 1)
    return np.asarray(_arrhenius(milestone, data, climate) * damped)


def _moisture(milestone: Milestone, data: DryingData, climate: Series) -> Floats:
    reference = float(humidity_ratio(np.array(data.ref_temp_c), np.array(data.ref_rh_pct)))
    if reference <= 0:
        raise Inconsistent("Moisture cure needs a reference humidity above nought.", "product.ref_rh_pct")
    return np.asarray(_arrhenius(milestone, data, climate) * climate.humidity_ratio / reference)


def _heat(milestone: Milestone, data: DryingData, climate: Series) -> Floats:
    return np.zeros_like(climate.at_s)  # only a heat stage moves it


_RATES: dict[Mode, Callable[[Milestone, DryingData, Series], Floats]] = {
    Mode.SOLVENT: _arrhenius,
    Mode.WATER: _water,
    Mode.REACTIVE: _reactive,
    Mode.OXIDATIVE: _oxidative,
    Mode.MOISTURE: _moisture,
    Mode.HEAT: _heat,
}
AIR_MOVES = frozenset({Mode.SOLVENT, Mode.WATER})
