"""Readings of the film by place: of a wet one against its sheet, of a dry one against the ledger; kept until mended."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Literal
from uuid import UUID

from cool_sheen.core.coatings.products import Product
from cool_sheen.core.film.gauge import FAR_OFF_HIGH, judge_readings
from cool_sheen.core.log.history import History, Zones
from cool_sheen.core.log.looks import FilmRead
from cool_sheen.core.units import Micron

Verdict = Literal["ok", "thin", "heavy", "uneven", "off", "unjudged"]
OFF_THE_LEDGER = 0.25  # a gauge that is further off than that: one of the two is wrong. A shop rule


@dataclass(frozen=True, slots=True)
class Spot:
    """One reading: where, how much [um], and on which side it is far off its range."""

    where: str
    um: Micron
    verdict: Literal["ok", "thin", "heavy"]


@dataclass(frozen=True, slots=True)
class Combed:
    """Readings that were taken together, and what they say.

    ``low_um`` and ``high_um`` are what they are held against [um]: the product's range, or a quarter around the ledger;
    ``open_on`` are the zones on which what they found is not mended yet.
    """

    uuid: UUID
    at: datetime
    wet: bool
    layer_id: str
    zones: Zones
    spots: tuple[Spot, ...]
    mean_um: Micron
    low_um: Micron
    high_um: Micron
    verdict: Verdict
    open_on: Zones
    accepted: str = ""

    @property
    def bad(self) -> tuple[Spot, ...]:
        """The places that are far off."""
        return tuple(s for s in self.spots if s.verdict != "ok")


def combed(history: History, sheets: Mapping[str, Product]) -> list[Combed]:
    """Judge every reading of a part.

    Args:
        history: The folded log.
        sheets: Sheets by content hash, as the coats were put on with.

    Returns: The readings, the latest first. A film that was found thin is mended by another coat of its layer, one that
        was found heavy by sanding; what is accepted is not asked for any more. Source: docs/trade.md, Inspection.
    """
    made = (_dry(read) if read.payload.state == "dry" else _wet(history, read, sheets) for read in _reads(history))
    return [one for one in made if one is not None]


def _reads(history: History) -> Sequence[FilmRead]:
    return sorted(history.readings.values(), key=lambda r: -r.place)


def _wet(history: History, read: FilmRead, sheets: Mapping[str, Product]) -> Combed | None:
    coat = next((c for c in history.coats if c.uuid == read.payload.coat), None)
    product = sheets.get(coat.payload.coating) if coat else None
    if coat is None or product is None:  # the coat was taken back
        return None
    low, high = product.wet_film_min_um, product.wet_film_max_um
    said = judge_readings(read.payload.readings_um, low, high, product.thin_under_pct / 100)
    spots = _spots(read, said.low, said.high)
    thin = said.verdict == "thin" or bool(said.low)
    heavy = said.verdict == "heavy" or bool(said.high)
    layer = coat.payload.layer_id
    open_on = {
        zone
        for zone in read.zones
        if (thin and not _mended(history, read, zone, product, coat.payload.layer_id))
        or (heavy and not _sanded_since(history, read.place, zone))
    }
    if read.accepted:
        open_on = set()
    return Combed(
        read.uuid, read.at, True, layer, read.zones, spots, said.mean_um, low, high, said.verdict,
        frozenset(open_on), read.accepted.reason if read.accepted else "",
    )  # fmt: skip


def _dry(read: FilmRead) -> Combed:
    told = sum(read.ledger_um.values()) / max(1, len(read.ledger_um))
    low, high = told * (1 - OFF_THE_LEDGER), told * (1 + OFF_THE_LEDGER)
    mean = sum(read.payload.readings_um) / len(read.payload.readings_um)
    below = tuple(n for n, um in enumerate(read.payload.readings_um) if um < low)
    above = tuple(n for n, um in enumerate(read.payload.readings_um) if um > high)
    verdict: Verdict = "unjudged" if told <= 0 else "ok" if low <= mean <= high else "off"
    reason = read.accepted.reason if read.accepted else ""
    return Combed(
        read.uuid, read.at, False, "", read.zones, _spots(read, below, above), mean, low, high, verdict, frozenset(),
        reason,
    )  # fmt: skip


def _spots(read: FilmRead, low: Sequence[int], high: Sequence[int]) -> tuple[Spot, ...]:
    places = read.payload.places
    return tuple(
        Spot(places[n] if n < len(places) else "", um, "thin" if n in low else "heavy" if n in high else "ok")
        for n, um in enumerate(read.payload.readings_um)
    )


def _mended(history: History, read: FilmRead, zone: UUID, product: Product, layer: str) -> bool:
    """Whether a thin place has had another coat; where coats add up, whether the least film of all of them is there."""
    if not _coated_since(history, read.place, zone, layer):
        return False
    if not product.film_adds_up:
        return True
    coats = [c for c in history.coats if zone in c.zones and c.payload.layer_id == layer and c.payload.counts]
    thinnest = min(read.payload.readings_um)
    laid = sum(thinnest if c.uuid == read.payload.coat else c.payload.film_um for c in coats)
    return laid >= product.wet_film_min_um * len(coats)


def _coated_since(history: History, place: int, zone: UUID, layer: str) -> bool:
    return any(c.place > place and zone in c.zones and c.payload.layer_id == layer for c in history.coats)


def _sanded_since(history: History, place: int, zone: UUID) -> bool:
    return any(w.place > place and zone in w.zones and w.kind == "sand" for w in history.works)


def thin_and_heavy_um(product: Product) -> tuple[Micron, Micron]:
    """From where on a single reading is far off a range: under the first, over the second. [um]

    Source: docs/trade.md, Film: in the manner of SSPC-PA 2.
    """
    return product.thin_under_pct / 100 * product.wet_film_min_um, FAR_OFF_HIGH * product.wet_film_max_um
