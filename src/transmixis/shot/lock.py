"""One writer at a time: the kernel's lock on a file that is never removed.

The kernel lets go of the lock when its owner ends, however it ends, so there is nothing to judge by clocks or process
numbers. The owner's name is written inside for the message only, and is taken out on leaving; a name that still stands
there when the lock is free was left by a program that was cut off.
"""

from __future__ import annotations

import contextlib
import fcntl
import getpass
import json
import os
import socket
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.media.files import said, why

LOCK = ".lock.json"


class Locked(UserError):
    """Another program has the production open for writing; it can still be looked at."""


class Lock:
    """The writer's lock of a production's folder."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / LOCK
        self._fd: int | None = None
        self.after_crash = False

    @property
    def held(self) -> bool:
        return self._fd is not None

    def take(self) -> None:
        """Raises Locked naming the owner if another running program holds it, UserError if nothing can be written here."""
        folder = said(self._path.parent)
        try:
            fd = os.open(self._path, os.O_CREAT | os.O_RDWR | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC, 0o644)
        except OSError as e:
            raise UserError(f"Cannot write in '{folder}' ({why(e)}); copy the production to a place you may write.") from e
        try:
            fcntl.flock(fd, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            owner = _owner(fd)
            os.close(fd)
            who = f"{owner.get('user', 'somebody')} on {owner.get('host', 'some computer')}"
            raise Locked(
                f"'{folder}' is open in another Transmixis ({who}); close it there first, or open it for looking."
            ) from None
        except OSError as e:
            os.close(fd)
            raise UserError(
                f"'{folder}' lies on a disk that keeps no locks ({why(e)}); copy it to a disk of this computer."
            ) from e
        self.after_crash = bool(_owner(fd))
        self._fd = fd
        me = {"pid": os.getpid(), "host": socket.gethostname(), "user": _user()}
        with contextlib.suppress(OSError):  # the lock holds without a name too, on a full disk for instance
            os.ftruncate(fd, 0)
            os.pwrite(fd, json.dumps(me).encode(), 0)

    def release(self) -> None:
        if self._fd is not None:
            with contextlib.suppress(OSError):
                os.ftruncate(self._fd, 0)
            os.close(self._fd)
            self._fd = None


def _owner(fd: int) -> dict[str, Any]:
    try:
        data = json.loads(os.pread(fd, 4096, 0).decode("utf-8", "replace"))
    except (OSError, ValueError, RecursionError):
        return {}
    return data if isinstance(data, dict) else {}


def _user() -> str:
    try:
        return getpass.getuser()
    except (KeyError, OSError):
        return "somebody"
