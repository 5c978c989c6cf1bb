"""The ladder: grits done and to do, their grain drawn to scale, and the film that is left after each."""

from dataclasses import dataclass

from cool_sheen.core.inspection.rungs import RungLadder, RungRow
from cool_sheen.core.log.entries import SAND_METHOD_WORDS
from cool_sheen.core.units import amount
from cool_sheen.service.part_now import PartNow

WIDTH, ROW, TOP = 400.0, 58.0, 40.0
_FROM, _TO = 74.0, 222.0  # the stretch over which a grain is drawn
_HIGH, _NARROW = 11.5, 4.0  # of the coarsest grain: half its height, and the least half width of a tooth


@dataclass(frozen=True, slots=True)
class Rung:
    """One rung as it is drawn: ``teeth`` are the points of its grain."""

    grit: str
    y: float
    teeth: str
    done: bool
    takes: str
    left: str
    how: str
    skips: str


@dataclass(frozen=True, slots=True)
class Ladder:
    """All that the macro draws."""

    title: str
    width: float
    height: float
    rungs: list[Rung]
    says: str


def draw(found: PartNow, one: RungLadder, units: str) -> Ladder:
    """Compute a ladder.

    Args:
        found: The part.
        one: The rungs, with what each takes and leaves. [um]
        units: The shop's units.
    """
    coarsest = max(row.mean_um for row in one.rungs)
    rungs = [_rung(row, n, coarsest, units) for n, row in enumerate(one.rungs)]
    layer = next((la.name for la in found.system.layers if la.id == one.layer_id), "")
    names = found.situation.names(one.zones)
    title = ", ".join(word for word in (layer or "Bare ground", names) if word)
    says = "; ".join(f"{r.grit} {'done' if r.done else 'to do'}, {r.takes}, {r.left}" for r in rungs)
    return Ladder(title, WIDTH, TOP + ROW * len(rungs) - 18, rungs, f"Sanding of {title}: {says}")


def _rung(row: RungRow, number: int, coarsest: float, units: str) -> Rung:
    y, high = TOP + ROW * number, _HIGH * (row.mean_um / coarsest) ** 0.5
    half = max(_NARROW, high)
    points, x, up = [], _FROM, True
    while x <= _TO:
        points.append(f"{x:.1f},{y - high if up else y + high:.1f}")
        x, up = x + half, not up
    took = "took" if row.at else "takes"
    takes = f"{took} {amount(row.takes_um, 'film', units)}" if row.takes_um else "no film reckoned with"
    left = "" if row.left_um is None else f"{amount(row.left_um, 'film', units)} left"
    skips = f"{' and '.join(row.skips)} skipped" if row.skips else ""
    return Rung(row.grit, y, " ".join(points), row.at is not None, takes, left, _how(row), skips)


def _how(row: RungRow) -> str:
    said = row.said
    if said is None:
        return "to do"
    words = ["wet" if said.wet else "dry", SAND_METHOD_WORDS[said.method]]
    words += [f"{said.minutes:g} min"] if said.minutes else []
    return ", ".join([*words, *said.ticked])
