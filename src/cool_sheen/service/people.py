"""What a project holds about people, and forgetting a customer: name, contact, note and photos go, the log stays."""

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any
from uuid import UUID

from cool_sheen.core.log.standing import unvoided
from cool_sheen.service import photos
from cool_sheen.service.tending import find_project, parts_in
from cool_sheen.service.unit import NOBODY, Unit
from cool_sheen.store import log
from cool_sheen.store.models import Part, Project

# Where words of one's own stand in an entry, by its kind: a name may be among them.
_WORDED: Mapping[str, tuple[str, ...]] = {
    "note": ("text",), "hours": ("note",),
    "next_time": ("text",), "mishap": ("words",), "mark": ("where",), "claim": ("whose", "note"),
    "cause": ("note",), "defect": ("note",), "survey_test": ("note",), "override": (), "skip": (),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Worded:
    """An entry with words of one's own: it stays, since the log is never changed."""

    at: datetime
    part: Part
    says: str
    entry: UUID


@dataclass(frozen=True)
class Held:
    """What a project holds about people.

    Attributes:
        photos: How many photos each part has.
        persons: Who wrote in the log of its parts, and how often.
        worded: Entries with words of one's own, the newest first.
    """

    project: Project
    photos: list[tuple[Part, int]]
    persons: list[tuple[str, int]]
    worded: list[Worded]

    @property
    def anything(self) -> bool:
        """Whether there is anything that forgetting would erase."""
        said = (self.project.customer, self.project.contact, self.project.note)
        return any(said) or any(n for _, n in self.photos)


def held(unit: Unit, uuid: UUID) -> Held:
    """Return what a project holds about people. Raises Missing."""
    project = find_project(unit, uuid)
    parts = parts_in(unit, uuid)
    persons: Counter[str] = Counter()
    worded: list[Worded] = []
    for part in parts:
        for row in unvoided(log.of_part(unit.session, part.uuid)):
            entry = row.entry
            if entry.person not in ("", NOBODY):
                persons[entry.person] += 1
            said = [_said(entry.payload, name) for name in _WORDED.get(entry.payload.kind, ())]
            words = "; ".join(w for w in [*said, entry.reason or ""] if w)
            if words:
                worded.append(Worded(entry.occurred_at, part, words, entry.uuid))
    worded.sort(key=lambda w: w.at, reverse=True)
    return Held(project, [(p, len(photos.of_part(unit, p.uuid))) for p in parts], persons.most_common(), worded)


def _said(payload: Any, name: str) -> str:
    return str(getattr(payload, name, "") or "")


def forget(unit: Unit, uuid: UUID) -> None:
    """Erase a customer: name, contact, the project's note, and every photo of its parts; the log stays as it is.

    Raises: Missing: there is no such project.
    """
    project = find_project(unit, uuid)
    for part in parts_in(unit, uuid):
        photos.erase_all(unit, part.uuid)
    project.customer, project.contact, project.note = "", "", ""
    project.forgotten_at = unit.now
    unit.session.flush()
