"""Lists of tasks as the builder shows them: what is done, what it waits for, and what one may add."""

from collections.abc import Mapping
from dataclasses import dataclass

from cool_sheen.core.coatings.edit import Spot, pinned
from cool_sheen.core.coatings.products import Product
from cool_sheen.core.coatings.systems import AT_ONCE, USUAL_AFTER, System, Task, where_words
from cool_sheen.core.drying.milestones import WORDS
from cool_sheen.core.units import amount
from cool_sheen.core.work.steps import minutes_words, task_label

TITLES = {
    "prepare": "Preparation",
    "between": "Between its coats",
    "then": "Before the next layer",
    "finish": "After the last coat",
}


@dataclass(frozen=True, slots=True)
class Row:
    """One task in words: what is done, and what is to be known of it."""

    task: Task
    label: str
    told: str
    by_sheet: str = ""  # a heat stage that goes by the sheet


@dataclass(frozen=True, slots=True)
class TaskList:
    """The tasks of a spot. ``name`` is how a form calls it; ``stages`` how many heat stages its sheet has."""

    name: str
    slug: str
    stage: str
    title: str
    rows: tuple[Row, ...]
    stages: int = 0

    @property
    def says(self) -> str:
        """All of it in one line."""
        return ", ".join(row.label for row in self.rows) or "nothing"

    @property
    def bakes(self) -> int:
        """How many heat stages stand there."""
        return sum(row.task.kind == "bake" for row in self.rows)


def task_list(system: System, spot: Spot, products: Mapping[str, Product], units: str) -> TaskList:
    """Return the tasks of a spot in words.

    Args:
        system: The system.
        spot: Which list.
        products: The sheets by key, for heat stages.
        units: Of the shop.
    """
    layer = system.layer(spot.layer_id) if spot.layer_id else system.used[-1] if spot.stage == "finish" else None
    sheet = products.get(layer.product) if layer else None
    stages = list(sheet.heat_stages) if sheet and spot.stage in ("then", "finish") else []
    left, rows = iter(stages), []
    for task in pinned(system, spot):
        stage = next(left, None) if task.kind == "bake" else None
        by_sheet = ""
        if stage is not None:
            metal = amount(stage.metal_temp_c, "temperature", units, 0)
            by_sheet = f"by its sheet: {metal} metal, {minutes_words(stage.hold_minutes)}"
        rows.append(Row(task, _label(task), _told(task, spot, units, by_sheet), by_sheet))
    name = f"{spot.stage}:{spot.layer_id}" if spot.layer_id else spot.stage
    return TaskList(name, name.replace(":", "-"), spot.stage, TITLES[spot.stage], tuple(rows), len(stages))


def _label(task: Task) -> str:
    return f"{task_label(task)}{' wet' if task.wet else ''}"


def _told(task: Task, spot: Spot, units: str, by_sheet: str) -> str:
    """What is to be known of a task besides what is done."""
    after = task.after or (USUAL_AFTER.get(task.kind) if spot.stage != "prepare" else None)
    said = {
        f"takes {amount(task.removal_um, 'film', units)}": task.kind == "sand" and task.removal_um,
        by_sheet or _heat(task, units): task.kind == "bake",
        f"once it is {WORDS.get(after or '', after)}": after and after != AT_ONCE,
        f"on {where_words(task.where)}": task.where != "all",
        f"{minutes_words(task.wait_minutes or 0)} after what is before it": task.wait_minutes and task.kind != "wait",
        task.words: task.words and task.kind not in ("wait", "own"),
        "nothing follows before it has passed": task.holds,
    }
    return "; ".join(words for words, is_so in said.items() if is_so)


def _heat(task: Task, units: str) -> str:
    metal = amount(task.metal_temp_c, "temperature", units, 0) if task.metal_temp_c else "no temperature yet"
    return f"{metal} metal, {minutes_words(task.hold_minutes)}" if task.hold_minutes else metal


def tasks_left_out(before: System, after: System) -> list[str]:
    """Return what of the work around the coats is gone after a change: it is said, so that nothing goes without a word.

    Args:
        before: The system before the change.
        after: The system after it.
    """

    def all_of(system: System) -> list[str]:
        tasks = [*system.prepare, *system.finish]
        tasks += [t for la in system.layers for t in (*la.between, *la.then)]
        return [_label(t) for t in tasks]

    left = all_of(after)
    gone = []
    for label in all_of(before):
        if label in left:
            left.remove(label)
        else:
            gone.append(label)
    return gone
