"""What can go wrong in the trade.

CoreError
 +- OutOfRange       a figure is outside what the formula holds for
 +- Inconsistent     figures that do not go together
 +- NotReadable      a text that should have been a quantity
"""


class CoreError(Exception):
    """Something the core refuses; its text is fit for the reader. ``field`` says where, as a dotted path."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


class OutOfRange(CoreError):
    """A figure is outside what the formula holds for."""


class Inconsistent(CoreError):
    """Each figure may stand alone, but not beside the other."""


class NotReadable(CoreError):
    """A text is no quantity, or one of another kind."""


class TwoWays(NotReadable):
    """A figure can be read in two ways."""
