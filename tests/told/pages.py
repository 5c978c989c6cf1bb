"""Every page that is told, by its name."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from cool_sheen.formats.catalogue import shipped
from tests.told import advice, benches, figures, jobs, logbooks, refused, sheets

FOLDER = Path(__file__).parent / "read"
PAGES: dict[str, Callable[[], str]] = {
    "figures": figures.figures, "fields": figures.fields, "air": sheets.air, "mixes": sheets.mixes, "benches": benches.benches, "advice": advice.advice, "sheets": sheets.sheets,
    "refused": refused.refused,
    **{f"job-{key}": partial(jobs.job, key) for key in shipped().systems},
    **{f"logbook-{key}": partial(logbooks.logbook, key) for key in shipped().systems},
}  # fmt: skip
