"""Texts that no field was made for, the same for the same seed."""

import random
from uuid import uuid4

TEXTS = (
    "", " ", "0", "-0", "-1", "1e308", "1e-320", "-1e309", "nan", "NaN", "inf", "-Infinity", "1,5", "1.2.3", "1.2.3 capfuls",
    "٣", "²", "½", "１２", "0x10", "1_000", "1 2", "12:99", "24:00", "5 mil", "-80 C", "60 F", "1e3 l", "9" * 400,
    "1" + "0" * 308 + " C", "0." + "0" * 320 + "1", "é", "\u202e abc", "\ud7ff", "\x00", "\x1b[31m", "a\r\nb", "<b>x</b>", "{{ 7*7 }}", "'; DROP TABLE part; --",
    "x" * 81, "x" * 5000, "None", "null", "true", "on", "[]", "{}", "../../etc/passwd", "%00", "zone_", "a.b.c", "🎡",
    "0001-01-01T00:00", "9999-12-31T23:59", "2026-02-30T10:00", "2026-03-29T02:30", "2026-10-25T02:30", "2026-06-08T08:00+99:00",
    "2026-06-08T08:00:00Z", "2026-06-08", "08:00", "tomorrow", "1-2 h", "0 h", "-5 min", "1e9 days", "7-4 h", "99999999999999999999",
    "00000000-0000-0000-0000-000000000000", "not-a-uuid", "zone:", "zone:xyz", "everywhere",
)  # fmt: skip
NAMES = ("", ".", "..", "a.", ".b", "mix.", "milestones.x.name", "milestones.².name", "milestones.-1.name", "mix.hardener.name.x",
         "limits", "limits.air_min_c.deep", "zone_", "zone_x", "step_", "step_" + "x" * 300, "part_", "part_nothing", "op", "seen",
         "press", "n" * 500, "at", "é", "\x00")  # fmt: skip


def text(dice: random.Random) -> str:
    """One text."""
    kind = dice.random()
    if kind < 0.7:
        return dice.choice(TEXTS)
    if kind < 0.8:
        return str(uuid4())
    if kind < 0.9:
        return f"{dice.uniform(-1, 1) * 10 ** dice.randint(-12, 12):.6g}{dice.choice(('', ' C', ' F', ' m2', ' l', ' µm', ' h', ' kg'))}"
    return "".join(
        chr(dice.choice((dice.randint(32, 126), dice.randint(160, 0x2FFF)))) for _ in range(dice.randint(1, 40))
    )
