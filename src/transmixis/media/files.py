"""The border to files: whatever the system says when a file is read or written becomes one sentence for people."""

from __future__ import annotations

import contextlib
import os
import stat
from collections.abc import Iterator
from pathlib import Path

from transmixis.core.errors import Cancelled, UserError


def said(path: Path | str) -> str:
    """A path as it can be shown and kept: bytes that are no UTF-8 are written as question marks."""
    return str(path).encode("utf-8", "replace").decode()


def why(e: BaseException) -> str:
    """What an error says, in one short line."""
    text = str(getattr(e, "strerror", None) or e or type(e).__name__)
    lines = text.encode("utf-8", "replace").decode().strip().splitlines()
    return lines[0][:120] if lines else type(e).__name__


def require_file(path: Path) -> None:
    """Refuse what is not a plain file that has something in it: folders, pipes and devices would hang or confuse a reader."""
    try:
        st = path.stat()
    except FileNotFoundError as e:
        raise UserError(f"There is no file '{said(path)}'; it may have been moved or renamed.") from e
    except (OSError, ValueError) as e:
        raise UserError(f"'{said(path)}' cannot be looked at ({why(e)}); check the name and the folder's rights.") from e
    if stat.S_ISDIR(st.st_mode):
        raise UserError(f"'{said(path)}' is a folder; give a file.")
    if not stat.S_ISREG(st.st_mode):
        raise UserError(f"'{said(path)}' is not a plain file; copy what it gives to a file first.")
    if st.st_size == 0:
        raise UserError(f"'{said(path.name)}' is empty (0 bytes); copy it again from where it came.")


def read_bytes(path: Path, most: int) -> bytes:
    """The content of a plain file of at most `most` bytes. Raises UserError."""
    require_file(path)
    try:
        if path.stat().st_size > most:
            raise UserError(f"'{said(path)}' is larger than {most >> 20} MB, which no such file needs to be; check what it is.")
        return path.read_bytes()
    except (OSError, MemoryError) as e:
        raise UserError(f"'{said(path)}' cannot be read ({why(e)}); it was left as it is.") from e


def make_folder(folder: Path) -> None:
    """Make a folder with those above it. Raises UserError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except (OSError, ValueError) as e:
        raise UserError(f"Cannot make the folder '{said(folder)}' ({why(e)}); choose a place you may write.") from e


@contextlib.contextmanager
def decoding(path: Path, what: str = "") -> Iterator[None]:
    """The border to decoders: whatever they raise on a damaged file becomes one sentence that names it."""
    try:
        yield
    except (UserError, Cancelled):
        raise
    except Exception as e:  # decoders raise what they like: library errors, RuntimeError, UnicodeDecodeError, MemoryError
        raise UserError(
            f"{what or repr(said(path.name))} cannot be read ({why(e)}); copy it again from where it came, or leave it out."
        ) from e


@contextlib.contextmanager
def writing(path: Path) -> Iterator[None]:
    """Turns what goes wrong while `path` is written into one sentence."""
    try:
        yield
    except (OSError, ValueError) as e:
        raise UserError(f"Cannot write '{said(path)}' ({why(e)}); free some space or choose a place you may write.") from e


def write_atomically(path: Path, data: bytes) -> None:
    """Write a file so that at any moment either the old or the new content stands there. Its folder must be there."""
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    try:
        with open(part, "wb") as f:
            f.write(data)
            f.flush()
            os.fsync(f.fileno())
        os.replace(part, path)
        sync_folder(path.parent)
    except (OSError, ValueError) as e:
        with contextlib.suppress(OSError, ValueError):
            part.unlink(missing_ok=True)
        raise UserError(f"Cannot save '{said(path)}' ({why(e)}); free some space or make the folder writable, then go on.") from e


def sync_folder(folder: Path) -> None:
    """Have the names in a folder on the disk too, where the file system can."""
    with contextlib.suppress(OSError):
        fd = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
        try:
            os.fsync(fd)
        finally:
            os.close(fd)
