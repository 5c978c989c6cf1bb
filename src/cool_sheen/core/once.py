"""A property that is worked out once for each thing, and that keeps no other thing waiting."""

import sys
from functools import cached_property as locked_property
from typing import TYPE_CHECKING, Any

__all__ = ["cached_property"]

if TYPE_CHECKING or sys.version_info >= (3, 12):
    from functools import cached_property
else:

    class cached_property(locked_property):  # noqa: N801 - it stands in for the one of functools
        """As in later versions of Python: up to 3.11 one lock is shared by all instances of a class.

        A page that asked how one part stands then waited for whoever worked out another. Two who ask the same thing at
        once may both work it out, with the same result.
        """

        def __get__(self, instance: Any, owner: type | None = None) -> Any:
            """Return what was worked out before, or work it out."""
            if instance is None:
                return self
            kept = instance.__dict__
            if self.attrname not in kept:
                kept[self.attrname] = self.func(instance)
            return kept[self.attrname]
