"""The label of a cup: what is in it, until when; with a code that leads back to the batch."""

import segno


def code_path(text: str) -> tuple[str, int]:
    """Return the dark squares of a code as one path, and the number of squares along its side.

    Args:
        text: What the code says: an address of this shop's own program.
    """
    rows = [list(row) for row in segno.make(text, error="m", micro=False).matrix]
    runs = [f"M{x} {y}h1v1h-1z" for y, row in enumerate(rows) for x, dark in enumerate(row) if dark]
    return "".join(runs), len(rows)
