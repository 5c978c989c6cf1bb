"""The passcode of a shop that is opened to the network, and the secret that its sessions are signed with: one file."""

import json
import os
from dataclasses import dataclass
from pathlib import Path
from secrets import token_hex

from argon2 import PasswordHasher
from argon2.exceptions import Argon2Error

LEAST, MOST = 8, 200  # characters


class TooPlain(ValueError):
    """A passcode that is guessed too soon."""


@dataclass(frozen=True, slots=True)
class Passcode:
    """What is kept of a passcode: its argon2 hash, and the secret of the sessions that were let in with it."""

    hashed: str
    secret: str

    def fits(self, typed: str) -> bool:
        """Whether this is the passcode; it takes its time by design. Source: argon2id, RFC 9106."""
        if len(typed) > MOST:
            return False
        try:
            return PasswordHasher().verify(self.hashed, typed)
        except Argon2Error:
            return False


def read_passcode(file: Path) -> Passcode | None:
    """Return what is kept; None where no passcode was set, or the file cannot be read as one."""
    try:
        told = json.loads(file.read_text("utf-8"))
        return Passcode(str(told["hashed"]), str(told["secret"]))
    except (OSError, ValueError, KeyError, TypeError):
        return None


def set_passcode(file: Path, typed: str) -> Passcode:
    """Keep a passcode; whoever was let in with another one has to enter it again.

    Raises: TooPlain: too short, too long, or one character over and over.
    """
    if not LEAST <= len(typed) <= MOST or len(set(typed)) < 4:
        raise TooPlain(f"Take {LEAST} characters at least, {MOST} at most, and four different ones among them.")
    made = Passcode(PasswordHasher().hash(typed), token_hex(32))
    file.parent.mkdir(parents=True, exist_ok=True)
    fresh = file.with_suffix(".new")
    with os.fdopen(os.open(fresh, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w") as out:
        json.dump({"hashed": made.hashed, "secret": made.secret}, out)
        out.flush()
        os.fsync(out.fileno())
    os.replace(fresh, file)
    return made
