"""Sizes of files in words."""


def told_bytes(size: int) -> str:
    """Return a size as it is spoken of: "640 kB", "12.4 MB". [bytes]"""
    if size < 1_000_000:
        return f"{max(1, round(size / 1000))} kB"
    return f"{size / 1_000_000:.1f} MB"
