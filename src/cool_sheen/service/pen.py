"""The pen: whoever holds it writes. It is handed on in the order in which it was asked for."""

from collections import deque
from threading import Event, Lock


class Pen:
    """A lock that goes to whoever waits the longest: one who writes in lots keeps nobody waiting for all of them."""

    def __init__(self) -> None:
        self._guard = Lock()
        self._waiting: deque[Event] = deque()
        self._held = False

    def take(self, patience_s: float) -> bool:
        """Take it, or wait for it so long. [s] Returns: whether it was had."""
        with self._guard:
            if not self._held:
                self._held = True
                return True
            turn = Event()
            self._waiting.append(turn)
        if turn.wait(patience_s):
            return True
        with self._guard:
            if turn.is_set():  # it was handed over while we gave up
                return True
            self._waiting.remove(turn)
            return False

    def hand_on(self) -> None:
        """Give it to the next one."""
        with self._guard:
            if self._waiting:
                self._waiting.popleft().set()
            else:
                self._held = False
