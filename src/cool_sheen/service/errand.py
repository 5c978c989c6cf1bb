"""The other side of long work: a process that is told what to do, does it gently, and tells how far it is.

What it is told comes as one line of JSON. It ends when whoever sent it closes its input, or is no longer there.
"""

import contextlib
import json
import os
import sys
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from threading import Event, Thread
from typing import Any

from cool_sheen.service import plan_ways, tightening
from cool_sheen.service.apart import Told
from cool_sheen.service.unit import Unit, Workshop
from cool_sheen.store.engine import connect_to_look

Errand = Callable[[Unit, dict[str, Any], float, Callable[[Told], bool]], None]
ERRANDS: dict[str, Errand] = {"tighten": tightening.errand, "ways": plan_ways.errand}
_GENTLY = 10  # whoever waits for a page goes first


def main() -> None:
    """Do what is asked for."""
    os.nice(_GENTLY)
    told = json.loads(sys.stdin.readline())
    sent_home = Event()
    Thread(target=_wait_to_be_sent_home, args=(sent_home,), daemon=True).start()

    def tell(what: Told) -> bool:
        """Tell a line, and say whether to go on."""
        sys.stdout.write(json.dumps(what) + "\n")
        sys.stdout.flush()
        return not sent_home.is_set()

    now = datetime.fromisoformat(told["now"])
    workshop = Workshop(connect_to_look(Path(told["file"])), clock=lambda: now)
    with contextlib.suppress(BrokenPipeError), workshop.read(works_ahead=True) as unit:
        ERRANDS[told["kind"]](unit, told["asked"], told["seconds"], tell)
        sys.stdout.flush()
    os._exit(0)  # the thread that listens is not waited for, nor one that nobody reads


def _wait_to_be_sent_home(sent_home: Event) -> None:
    sys.stdin.read()
    sent_home.set()


if __name__ == "__main__":
    main()
