"""Fixed samples of every picture in every state, for the page of components."""

from datetime import UTC, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from cool_sheen.core.climate.gates import Shut
from cool_sheen.core.climate.series import Series, seconds
from cool_sheen.core.film.build import Build
from cool_sheen.core.mixing.pours import targets
from cool_sheen.core.mixing.ratios import Share
from cool_sheen.formats.catalogue import shipped
from cool_sheen.web.views import band, cup, ribbon, section

NOON = datetime(2026, 6, 8, 12, 0, tzinfo=UTC)
ZONE = ZoneInfo("Europe/Berlin")
_PHASES = ("bare", "wet", "untested", "open", "closing", "locked", "key", "keyed", "curing", "cured")


def _ribbon(phase: str, gate: bool = False) -> ribbon.Ribbon:
    frame = ribbon.frame_around(NOON, timedelta(hours=2), timedelta(hours=6))
    block = ribbon.Block(phase, 60, 560)
    gates = [ribbon.Block("gate", 420, 270)] if gate else []
    label = ribbon.Label(ribbon.WORDS[phase][0], phase, 190, len(ribbon.WORDS[phase][0]) * 6.4 + 6)
    ticks = [ribbon.Tick("coat", 60, "c1"), ribbon.Tick("ready", 150, ""), ribbon.Tick("not-ready", 120, "")]
    return ribbon.Ribbon(
        frame.width, frame.x(NOON), [block], gates, [label], ticks, ribbon.hours(frame, ZONE), f"sample of {phase}"
    )


def _section() -> section.Section:
    system = shipped().systems["two-stage-epoxy"]
    face, edges, back = Build(), Build(), Build()
    for build, primer in ((face, 2), (edges, 3), (back, 2)):
        for _ in range(primer):
            build.coat("epoxy", 48)
    for build in (face, edges):
        for _ in range(3):
            build.coat("build", 62)
        build.sand(46)
        build.coat("colour", 10)
    builds = {"face": face, "edges": edges, "back": back}
    return section.draw(builds, system, shipped().products, section.Canvas(360, 300, left=44, marks=True))


def _band() -> band.Band:
    at = np.array([seconds(NOON) + 3600.0 * h for h in range(-24, 73)])
    air = 14 + 6 * np.sin((at - at[0]) / 86_400 * 2 * np.pi)
    series = Series(at, air, np.clip(70 - 3 * (air - 14), 20, 95), air - 1)
    shut = [Shut(seconds(NOON) + 3600 * 9, seconds(NOON) + 3600 * 19, "dew margin under 3 K")]
    frame = ribbon.frame_around(NOON, timedelta(hours=24), timedelta(hours=72), 1150)
    return band.draw(series, frame, ZONE, height=200, shut=shut, product_name="clear")


def _cup(poured: tuple[float, ...], now: int) -> cup.CupPicture:
    """Four to one with a tenth of reducer: 400, 100 and 50 ml."""
    parts = (("Epoxy primer (base)", 400.0, 1.42), ("Epoxy hardener", 100.0, 0.98), ("Epoxy reducer", 50.0, 0.87))
    split = [Share(name, ml / 550, density) for name, ml, density in parts]
    return cup.draw(targets(split, 550, poured), ["paint", "hardener", "reducer"], now, cup.CupCanvas(tare_g=38))


def all_of_them() -> dict[str, Any]:
    """Return every sample by the name of its picture."""
    return {
        "ribbons": [(phase, _ribbon(phase, gate=phase in ("open", "wet"))) for phase in _PHASES],
        "section": _section(),
        "band": _band(),
        "cups": [
            ("empty", _cup((0, 0, 0), 0)),
            ("base in", _cup((400, 0, 0), 1)),
            ("over-poured", _cup((400, 130, 0), 0)),
            ("ready", _cup((400, 100, 50), -1)),
        ],
    }
