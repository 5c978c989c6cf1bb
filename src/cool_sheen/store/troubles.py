"""What can be wrong with a shop's file or its disk, each told in one sentence with what to do about it."""

import errno
import sqlite3
from collections.abc import Mapping


class Trouble(Exception):
    """The shop's file cannot be used as it is; the message says what is wrong and what to do. Nothing was changed."""


BRING_BACK = "bring a copy back with “cool-sheen restore COPY”"
GO_ELSEWHERE = "choose another folder with COOL_SHEEN_DATA, or move it away"
_NO_ROOM = "The disk is full: make room on it, then try again."
_NO_RIGHT = "The shop's file or its folder may not be written: give this user the right to write there, then try again."
_BROKEN = f"The shop's file is damaged: stop the program, and {BRING_BACK}."
_HELD = "Another program holds the shop's file: close it, then try again."
_DEAF = "The disk does not do what it is asked: see to it, make a copy elsewhere, then try again."

# SQLite's primary result codes (the low byte of the extended ones).
_BY_SQLITE: Mapping[int, str] = {
    sqlite3.SQLITE_FULL: _NO_ROOM,
    sqlite3.SQLITE_READONLY: _NO_RIGHT,
    sqlite3.SQLITE_CANTOPEN: _NO_RIGHT,
    sqlite3.SQLITE_PERM: _NO_RIGHT,
    sqlite3.SQLITE_CORRUPT: _BROKEN,
    sqlite3.SQLITE_NOTADB: _BROKEN,
    sqlite3.SQLITE_BUSY: _HELD,
    sqlite3.SQLITE_LOCKED: _HELD,
    sqlite3.SQLITE_IOERR: _DEAF,
}
_BY_ERRNO: Mapping[int, str] = {
    errno.ENOSPC: _NO_ROOM,
    errno.EDQUOT: _NO_ROOM,
    errno.EFBIG: _NO_ROOM,
    errno.EACCES: _NO_RIGHT,
    errno.EPERM: _NO_RIGHT,
    errno.EROFS: _NO_RIGHT,
    errno.ENOTDIR: "The data folder is a file: choose another one with COOL_SHEEN_DATA.",
    errno.EEXIST: "The data folder is a file: choose another one with COOL_SHEEN_DATA.",
    errno.EIO: _DEAF,
}


def told(error: BaseException) -> str:
    """Return what an error of the disk or the database means, in a sentence; empty when it is of another kind."""
    at: BaseException | None = error
    while at is not None:
        if isinstance(at, Trouble):
            return str(at)
        if isinstance(at, sqlite3.Error) and (code := getattr(at, "sqlite_errorcode", None)) is not None:
            return _BY_SQLITE.get(code & 0xFF, "")
        if isinstance(at, OSError) and at.errno is not None and at.errno in _BY_ERRNO:
            return _BY_ERRNO[at.errno]
        at = getattr(at, "orig", None) or at.__cause__
    return ""
