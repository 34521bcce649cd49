"""What a person did wrong or what is wrong with their material, as one clear sentence; shown by whatever ran the job."""

from __future__ import annotations


class UserError(Exception):
    """One sentence that says what is wrong, where, and what to do. Anything else that is raised is a fault of ours."""


class Cancelled(Exception):
    """Long work was cancelled by the person; nothing half-made is left behind."""
