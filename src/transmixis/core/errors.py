"""What a person did wrong or what is wrong with their material, as one clear sentence; shown by whatever ran the job."""

from __future__ import annotations

LONGEST = 900  # characters: a file's name of thousands must not flood what is said of it


def bounded(words: str) -> str:
    """Words without the middle of what is too long to be read."""
    return words if len(words) <= LONGEST else f"{words[: LONGEST // 2]} … {words[-LONGEST // 3 :]}"


class UserError(Exception):
    """One sentence that says what is wrong, where, and what to do. Anything else that is raised is a fault of ours."""

    def __init__(self, words: str = "") -> None:
        super().__init__(bounded(words))


class Cancelled(Exception):
    """Long work was cancelled by the person; nothing half-made is left behind."""
