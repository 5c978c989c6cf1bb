"""Photos on disk, beside the shop's file: each named by its content, there before any row speaks of it."""

import hashlib
import os
import re
import shutil
from contextlib import suppress
from pathlib import Path

from cool_sheen.store.troubles import Trouble, told

_NAME = re.compile(r"[0-9a-f]{64}")
SMALL = "-small"


def folder_of(file: Path) -> Path:
    """Return the folder in which the photos of a shop's file lie."""
    return file.with_name(f"{file.stem}-photos")


def path_of(file: Path, name: str, *, small: bool = False) -> Path:
    """Return where a photo lies by its name. Raises ValueError: that is no name of one."""
    if not _NAME.fullmatch(name):
        raise ValueError("no name of a photo")
    return folder_of(file) / name[:2] / f"{name}{SMALL if small else ''}.jpg"


def keep(file: Path, large: bytes, small: bytes) -> str:
    """Write a photo, large and small, and return its name: the SHA-256 of the large one.

    Raises: Trouble: there is no room, or no right to write.
    """
    name = hashlib.sha256(large).hexdigest()
    try:
        for content, is_small in ((small, True), (large, False)):
            _write(path_of(file, name, small=is_small), content)
    except OSError as error:
        raise Trouble(told(error) or f"The photo could not be written: {error.strerror}.") from error
    return name


def _write(path: Path, content: bytes) -> None:
    """Write a file that is there whole or not at all, also when the power goes right after."""
    if path.exists():
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    part = path.with_name(f"{path.name}.{os.getpid()}.part")
    with part.open("wb") as out:
        out.write(content)
        out.flush()
        os.fsync(out.fileno())
    part.replace(path)
    folder = os.open(path.parent, os.O_RDONLY)
    try:
        os.fsync(folder)
    finally:
        os.close(folder)


def erase(file: Path, name: str) -> None:
    """Delete a photo for good."""
    for small in (True, False):
        with suppress(FileNotFoundError):
            path_of(file, name, small=small).unlink()


def all_of(file: Path) -> list[Path]:
    """Return every photo file of a shop, large and small."""
    return sorted(folder_of(file).glob("??/*.jpg"))


def bring(source: Path, target: Path) -> int:
    """Copy the photos beside one file to beside another one; what is there already stays.

    Returns: How many photos lie there now.
    Raises: Trouble: there is no room, or no right to write.
    """
    try:
        for path in all_of(source):
            there = folder_of(target) / path.parent.name / path.name
            if not there.exists():
                there.parent.mkdir(parents=True, exist_ok=True)
                part = there.with_suffix(".part")
                shutil.copyfile(path, part)
                part.replace(there)
    except OSError as error:
        raise Trouble(told(error) or f"The photos could not be copied: {error.strerror}.") from error
    return sum(SMALL not in path.name for path in all_of(target))
