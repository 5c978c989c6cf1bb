"""What the buttons and fields of a list of tasks mean: each gives a change of the system around its coats."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from cool_sheen.core.coatings import edit
from cool_sheen.core.coatings.edit import FINISH, PREPARE, Spot
from cool_sheen.core.coatings.order import spoiled
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import AT_ONCE, System, Task
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.errors import CoreError, NotReadable
from cool_sheen.core.film.grits import mean_grain, scratch_removal
from cool_sheen.core.film.ladder import ladder
from cool_sheen.core.units import Minutes, read_minutes
from cool_sheen.formats.catalogue import compatibility
from cool_sheen.service.building import Design, Edit
from cool_sheen.service.unit import Refused
from cool_sheen.web.forms import Typed

# What is offered to be done where; the order is that of the list to choose from.
KINDS: dict[str, tuple[str, ...]] = {
    "prepare": ("wash", "test_patch", "strip", "degrease", "fill", "sand", "wipe", "mask", "tack", "test_card",
                "inspect", "wait", "own"),
    "between": ("sand", "degloss", "wipe", "tack", "test_card", "inspect", "wait", "own"),
    "then": ("sand", "degloss", "wipe", "mask", "unmask", "tack", "test_card", "inspect", "bake", "decals", "wait",
             "own"),
    "finish": ("inspect", "unmask", "bake", "polish", "decals", "assemble", "wait", "own"),
}  # fmt: skip
_LONGEST_MIN = 60_480


class Spoils(Refused):
    """A change that brings tasks into an order that spoils the work: said with a reason it is taken."""


@dataclass(frozen=True, slots=True)
class At:
    """Which list a form is about, and which of its tasks."""

    spot: Spot
    tasks: tuple[Task, ...]
    place: int | None = None

    @property
    def task(self) -> Task:
        """The task that a form is about. Raises Refused."""
        if self.place is None:
            raise Refused("This step is gone by now: look again.", status=409)
        return self.tasks[self.place]


def spot_of(text: str, system: System) -> Spot:
    """Read a list of tasks by its name: ``prepare``, ``finish``, ``then:LAYER``, ``between:LAYER``. Raises Refused."""
    stage, _, layer = text.partition(":")
    if text in ("prepare", "finish"):
        return PREPARE if text == "prepare" else FINISH
    if stage not in ("then", "between") or layer not in {la.id for la in system.layers}:
        raise Refused("This system has no such layer: load the page again.", status=409)
    return Spot(stage, layer)


def task(typed: Typed, design: Design) -> Edit:
    """Add a task, change it, move it, take it out, or put in a ladder of grits or the heat stages of the sheet."""
    spot = spot_of(typed.text("spot", most=80), design.system)
    tasks = tuple(edit.pinned(design.system, spot))
    name = typed.text("task")
    at = At(spot, tasks, next((n for n, t in enumerate(tasks) if t.id == name), None) if name else None)
    does = _DOES.get(typed.text("do"))
    if does is None:
        raise Refused("There is no such change.", status=409)
    made = does(typed, design, at)
    after = edit.with_tasks(design.system, spot, made)
    return _in_words(typed, design.system, after)


def _in_words(typed: Typed, before: System, after: System) -> Edit:
    """Let an order that spoils the work pass with a reason alone, which stays with the job. Raises Spoils."""
    order = compatibility().order
    was = {(f.rule.key, f.place) for f in spoiled(before, order)}
    fresh = [f for f in spoiled(after, order) if (f.rule.key, f.place) not in was]
    reason = typed.text("order_reason", most=400)
    if fresh and len(reason) < 3:
        words = " ".join(f"{f.title}. {f.rule.reason}" for f in fresh)
        note = "Write why it is done all the same: it stays with the job." if "order_reason" in typed.values else ""
        raise Spoils(words, {"spoils": words} | ({"order_reason": note} if note else {}), status=409)
    for found in fresh:
        after = edit.overridden(after, found.rule.key, found.place, reason)
    return lambda _: after


def _add(typed: Typed, design: Design, at: At) -> list[Task]:
    kind = typed.text("task_kind")
    if kind not in KINDS[at.spot.stage]:
        raise Refused("Choose a step.", {"task_kind": "Choose a step of the list."})
    told: dict[str, Any] = {"kind": kind}
    if kind == "sand":
        told |= _sanding(typed, at.tasks, at.spot.stage)
    if kind == "bake":
        told |= {"metal_temp_c": None}
    told |= _around(typed, kind)
    typed.stop("Check what was entered: the system is as it was.")
    place = _last_place(kind, at)
    return [*at.tasks[:place], Task.model_validate(told), *at.tasks[place:]]


def _last_place(kind: str, at: At) -> int:
    """Where a new task goes: to the end, but before what has to come last there, such as the tack-off."""
    rules = [r for r in compatibility().order if r.how == "last" and at.spot.stage in r.stages and kind in r.earlier]
    place = len(at.tasks)
    while place and any(at.tasks[place - 1].kind in rule.later for rule in rules):
        place -= 1
    return place


def _keep(typed: Typed, design: Design, at: At) -> list[Task]:
    before = at.task
    told = before.model_dump() | {"kind": before.kind} | _around(typed, before.kind)
    if before.kind == "sand":
        told |= _sanding(typed, at.tasks[: at.place], at.spot.stage)
        if told["grit"] != before.grit:  # another grit is another step: what was logged for it stays what it was
            told["id"] = ""
    if before.kind == "bake" and "task_metal" in typed.values:
        told["metal_temp_c"] = typed.quantity("task_metal", "temperature", 0, 1000, optional=True)
        told["hold_minutes"] = _minutes(typed, "task_hold", 1440)
    typed.stop("Check what was entered: the system is as it was.")
    made = Task.model_validate(told)
    return [made if n == at.place else t for n, t in enumerate(at.tasks)]


def _sanding(typed: Typed, before: tuple[Task, ...], stage: str) -> dict[str, Any]:
    """A grit, and what it takes: what was typed, else the scratches of the grit before it."""
    grit = typed.text("task_grit").upper().replace(" ", "")
    if not grit:
        typed.notes["task_grit"] = "Enter the grit, such as P320."
        return {"grit": None}
    mean_grain(grit, "task_grit")
    taken = typed.quantity("task_removal", "film", -0.001, 1500, optional=True)
    if taken is None and stage == "then":
        last = next((t.grit for t in reversed(before) if t.kind == "sand" and t.grit), grit)
        taken = round(scratch_removal(last), 1)
    return {"grit": grit, "removal_um": max(0.0, taken or 0.0), "wet": typed.flag("task_wet")}


def _around(typed: Typed, kind: str) -> dict[str, Any]:
    """What every task may have: what it waits for, how long on top of that, where, why, and whether it holds."""
    words = typed.text("task_words", most=200)
    wait = _minutes(typed, "task_wait", _LONGEST_MIN)
    if kind == "wait":
        if wait is None:
            typed.notes.setdefault("task_wait", "Enter how long, such as 45 min, 3 h or 2 days.")
        if not words:
            typed.notes["task_words"] = "Enter why it waits: it is shown with the countdown."
    if kind == "own" and not words:
        typed.notes["task_words"] = "Enter what is done, such as “press the bearings in”."
    after = typed.text("task_after")
    if after and after != AT_ONCE and after not in WORDS:
        typed.notes["task_after"] = "Choose from the list what it waits for."
    where = typed.text("task_where") or "all"
    told = {"words": words, "wait_minutes": wait, "after": after or None, "holds": typed.flag("task_holds")}
    told["prompts"] = typed.text("task_prompts", most=400)
    if kind == "own":
        told |= {"minutes": _minutes(typed, "task_minutes", 1440), "per_m2": typed.flag("task_per_m2")}
    try:
        Task.model_validate({"kind": "wash", "where": where})
    except ValueError:
        typed.notes["task_where"] = "Choose from the list where it is done."
        return told
    return told | {"where": where}


def _minutes(typed: Typed, name: str, most: Minutes) -> Minutes | None:
    text = typed.text(name)
    if not text:
        return None
    try:
        minutes = read_minutes(text)
    except NotReadable as error:
        typed.notes[name] = str(error)
        return None
    if not 0 < minutes <= most:
        typed.notes[name] = f"Enter more than 0 and up to {most / 1440:g} {'day' if most == 1440 else 'days'}."
        return None
    return minutes


def _remove(typed: Typed, design: Design, at: At) -> list[Task]:
    gone = at.task
    return [t for t in at.tasks if t is not gone]


def _move(by: int) -> "Do":
    def moved(typed: Typed, design: Design, at: At) -> list[Task]:
        tasks, one = list(at.tasks), at.task
        tasks.remove(one)
        tasks.insert(max(0, (at.place or 0) + by), one)
        return tasks

    return moved


def _ladder(typed: Typed, design: Design, at: At) -> list[Task]:
    """The grits from one to another by the ladder; nothing typed takes the sanding out."""
    first, last = typed.text("sand_from").upper(), typed.text("sand_to").upper()
    levelling = typed.quantity("sand_first", "film", -0.001, 1500, optional=True)
    rungs: list[tuple[str, float]] = []
    if first or last:
        try:
            steps = ladder(first or last, last or first)
        except CoreError as error:
            typed.notes["sand_to" if error.field == "to" else "sand_from"] = str(error)
            typed.stop(str(error))
        taken = scratch_removal(steps[0].grit) if levelling is None else levelling
        rungs = [(steps[0].grit, taken), *((r.grit, r.removal_um) for r in steps[1:])]
    typed.stop("Check what was entered: the system is as it was.")
    made = edit.set_sanding(design.system, at.spot.layer_id, rungs, typed.flag("sand_wet"))
    return edit.pinned(made, at.spot)


def _stages(typed: Typed, design: Design, at: At) -> list[Task]:
    """All heat stages of the sheet of the film there, where the first of them stands, or would stand."""
    sheet = sheet_below(design, at.spot)
    if not sheet.heat_stages:
        raise Refused(f"The sheet of {sheet.name} has no heat stages.", status=409)
    there = [t for t in at.tasks if t.kind == "bake"]
    rest = [t for t in at.tasks if t.kind != "bake"]
    place = next((n for n, t in enumerate(at.tasks) if t.kind == "bake"), None)
    if place is None:
        place = next((n for n, t in enumerate(rest) if t.kind not in ("inspect", "unmask")), len(rest))
    made = [there[n] if n < len(there) else Task(kind="bake") for n in range(len(sheet.heat_stages))]
    return [*rest[:place], *made, *rest[place:]]


def sheet_below(design: Design, spot: Spot) -> Product:
    """Return the sheet of the film that the tasks of a spot are done on; of the last layer at the end."""
    system = design.system
    layer = system.layer(spot.layer_id) if spot.layer_id else system.used[-1]
    return design.products[layer.product]


Do = Callable[[Typed, Design, At], list[Task]]
_DOES: Mapping[str, Do] = {
    "add": _add, "keep": _keep, "remove": _remove, "up": _move(-1), "down": _move(1), "ladder": _ladder,
    "stages": _stages,
}  # fmt: skip
