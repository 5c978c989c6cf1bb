"""Long work in a process of its own: it reads the shop's file, tells how far it is, and can be stopped.

It never writes. What it finds it tells line by line, and whoever began it keeps that: one program alone works in a
folder, and a page is never kept waiting by the work of another.
"""

import contextlib
import json
import logging
import os
import subprocess
import sys
from collections.abc import Callable, Mapping
from datetime import datetime
from pathlib import Path
from threading import Thread, Timer
from typing import Any

Told = dict[str, Any]
_GRACE_S = 30.0  # to start, and to come to its end, beside the time that it has
_say = logging.getLogger(__name__)


class Apart:
    """A process that is at work."""

    def __init__(
        self,
        kind: str,
        asked: Mapping[str, Any],
        *,
        file: Path,
        now: datetime,
        seconds: float,
        hear: Callable[[Told], None],
        over: Callable[[bool], None],
    ) -> None:
        """Begin.

        Args:
            kind: What is to be done.
            asked: All that is to be known for it.
            file: The shop's file.
            now: The moment of which the shop is to be seen.
            seconds: How long it may take. [s]
            hear: Is given each line that is told, in a thread of its own.
            over: Is called at the end, with whether all went well; being stopped is well.
        """
        self.told: Told = {}
        self.stopped = False
        self._hear, self._over = hear, over
        paths = os.pathsep.join(path for path in sys.path if path)
        self._process = subprocess.Popen(  # our own module, by our own interpreter
            [sys.executable, "-m", "cool_sheen.service.errand"],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
            env={**os.environ, "PYTHONPATH": paths},
        )
        said = {"kind": kind, "asked": asked, "file": str(file), "now": now.isoformat(), "seconds": seconds}
        with contextlib.suppress(BrokenPipeError):
            self._process.stdin.write(json.dumps(said) + "\n")  # type: ignore[union-attr]
            self._process.stdin.flush()  # type: ignore[union-attr]
        self._too_long = Timer(seconds + _GRACE_S, self._process.kill)
        self._too_long.daemon = True
        self._too_long.start()
        self._listener = Thread(target=self._listen, name=f"{kind} apart", daemon=True)
        self._listener.start()

    def stop(self) -> None:
        """Let it come to its end by and by: what it has found by then stays."""
        self.stopped = True
        self._shut()

    def end(self, patience_s: float = 10.0) -> None:
        """Stop it, and wait until it has ended."""
        self.stop()
        self._listener.join(patience_s)
        if self._process.poll() is None:
            self._process.kill()
            self._listener.join()

    def _shut(self) -> None:
        with contextlib.suppress(OSError):
            self._process.stdin.close()  # type: ignore[union-attr]

    def _listen(self) -> None:
        for line in self._process.stdout:  # type: ignore[union-attr]
            try:
                self.told = json.loads(line)
                self._hear(self.told)
            except Exception:
                _say.exception("what long work told was lost")
        code = self._process.wait()
        self._too_long.cancel()
        self._process.stdout.close()  # type: ignore[union-attr]
        self._shut()
        try:
            self._over(code == 0 or self.stopped)
        except Exception:
            _say.exception("the end of long work was lost")
