"""``python -m tests.fuzz``: 20,000 forms, 5,000 files and 10,000 calls; says what broke the program."""

import logging
import random
import resource
import sys
import tempfile
import time
from collections import Counter
from pathlib import Path

from tests.fuzz import files
from tests.fuzz.calls import call_all
from tests.fuzz.shop import Pressed
from tests.support import ShopOnTrial

FORMS, FILES, CALLS, SHOPS = 20_000, 5_000, 10_000, 10


def main(seed: int) -> int:
    """Press, bring and call; return how much broke."""
    logging.disable(logging.CRITICAL)
    dice, broken = random.Random(seed), []
    begun, answers = time.monotonic(), Counter()
    for n in range(SHOPS):
        pressed = Pressed(Path(tempfile.mkdtemp()), seed * 1000 + n)
        pressed.press_at(FORMS // SHOPS)
        answers += pressed.statuses
        broken += pressed.broken
        print(f"{(n + 1) * FORMS // SHOPS} forms, {time.monotonic() - begun:.0f} s", flush=True)
    read = Counter(files.read(kind, files.spoil(files.seeds()[kind], dice), dice) for kind in _kinds(dice, FILES))
    calls = call_all(ShopOnTrial(Path(tempfile.mkdtemp()), empty=True).http.app, CALLS // 16)
    most = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1000
    print(f"forms {dict(answers)}, files {dict(read)}, calls {dict(calls)}; {most:.0f} MB at most")
    for what in broken:
        print("BROKEN", what)
    return len(broken)


def _kinds(dice: random.Random, times: int) -> list[str]:
    return [dice.choice(sorted(files.seeds())) for _ in range(times)]


if __name__ == "__main__":
    sys.exit(min(1, main(int(sys.argv[1]) if len(sys.argv) > 1 else int(time.time()))))
