"""Documents as they are written: readable JSON, a large step in a file of its own, so that an edit costs what it changes."""

from __future__ import annotations

import json
import re
from pathlib import Path
from typing import Any, TypeVar

from pydantic import ValidationError

from transmixis.core.errors import UserError
from transmixis.media.files import said
from transmixis.shot.migrate import SCHEMA, number_of, to_present
from transmixis.shot.model import Record, Shot, Step, one_each
from transmixis.shot.plainjson import dumps
from transmixis.shot.record import CODE, words_of

R = TypeVar("R", bound=Record)
PRODUCTION, SHELF, JOURNAL = "production.json", "shelf.json", ".journal.json"
APART = 8192  # characters of a step from which on it lies in a file of its own: many drawn points, or many pins
_STEP_ID = re.compile(r"[A-Za-z0-9][A-Za-z0-9_\-]{0,63}\Z", re.ASCII)  # names a file


class StepFile(Record):
    """What the file of a step that lies apart holds."""

    schema_number: int = SCHEMA
    step: Step


def shot_file(code: str) -> str:
    """Where a shot is kept, below the production's folder."""
    return f"shots/{code}/shot.json"


def step_file(code: str, step_id: str) -> str:
    """Where a large step of a shot is kept, below the production's folder."""
    return f"shots/{code}/steps/{step_id}.json"


def is_document(name: Any) -> bool:
    """Whether a name below the production's folder is one of its documents."""
    if not isinstance(name, str):
        return False
    parts = name.split("/")
    if name in (PRODUCTION, SHELF):
        return True
    if len(parts) == 3:
        return (parts[0], parts[2]) == ("shots", "shot.json") and bool(CODE.match(parts[1]))
    return (
        len(parts) == 4 and (parts[0], parts[2]) == ("shots", "steps") and bool(CODE.match(parts[1])) and _is_step_name(parts[3])
    )


def _is_step_name(name: str) -> bool:
    return name.endswith(".json") and bool(_STEP_ID.match(name.removesuffix(".json")))


def apart_ids(data: Any) -> list[str]:
    """The ids of a shot's steps that lie in files of their own, by what its document says."""
    steps = data.get("steps") if isinstance(data, dict) else None
    listed = steps if isinstance(steps, list) else []
    ids = [s["id"] for s in listed if isinstance(s, dict) and s.get("apart") is True and isinstance(s.get("id"), str)]
    return [i for i in ids if _STEP_ID.match(i)]


def put_together(data: dict[str, Any], apart: dict[str, Any]) -> dict[str, Any]:
    """A shot's document with those steps in their places."""
    steps = [apart.get(str(s.get("id")), s) if isinstance(s, dict) and s.get("apart") is True else s for s in data["steps"]]
    return {**data, "steps": steps}


def record_from(path: Path, data: Any, kind: type[R]) -> R:
    """A document's record from its data. Raises UserError naming file, place and reason."""
    number = number_of(data)
    if number is not None and number > SCHEMA:
        raise UserError(
            f"'{said(path)}' was written by a newer Transmixis (format {number}, this one knows {SCHEMA}); "
            "open it with the newer one. It was left as it is."
        )
    try:
        return kind.model_validate(to_present(data))
    except ValidationError as e:
        raise UserError(f"'{said(path)}' at {words_of(e)}; mend it or restore a copy. It was left as it is.") from e


def bytes_of(record: Record, name: str, depth: int = 0) -> bytes:
    """A record as it is kept. Raises UserError if it could not be read again; then nothing should be written at all."""
    try:
        content = dumps(record.model_dump(mode="json", warnings=False), depth)
        again = type(record).model_validate(json.loads(content))
    except ValidationError as e:
        raise UserError(f"{name} cannot be kept so: {words_of(e)}; nothing was changed.") from e
    except (ValueError, TypeError, RecursionError) as e:
        why = str(e).encode("utf-8", "replace").decode()[:160]
        raise UserError(f"{name} cannot be kept so: {why}; nothing was changed.") from e
    if again != record and again.model_dump(mode="json") != record.model_dump(mode="json", warnings=False):
        raise UserError(f"{name} cannot be kept so: it would be read as something else; nothing was changed.")
    return content


class StepTexts:
    """Steps as they stand in their shot's files, kept as long as they are the same: an edit of one writes out one."""

    def __init__(self) -> None:
        self._held: dict[str, dict[int, tuple[Step, str]]] = {}  # by shot, by object

    def of_shot(self, shot: Shot, name: str) -> tuple[bytes, dict[str, tuple[Step, str]]]:
        """The shot's own file, and the steps that lie in files of their own with their texts, by the files' names. Raises UserError as
        `bytes_of`."""
        if not all(isinstance(s, Step) for s in shot.steps):
            return bytes_of(shot, name), {}
        try:
            one_each(shot)
        except ValueError as e:
            raise UserError(f"{name} cannot be kept so: {e}; nothing was changed.") from e
        bare = bytes_of(shot.model_copy(update={"steps": ()}), name).decode()
        held = self._held.get(shot.code, {})
        texts = {id(s): (s, held[id(s)][1] if id(s) in held else self._text(s, name)) for s in shot.steps}
        self._held[shot.code] = texts
        large = (t for t in texts.values() if len(t[1]) >= APART and _STEP_ID.match(t[0].id))
        apart = {step_file(shot.code, t[0].id): t for t in large}
        if not shot.steps:
            return bare.encode(), {}
        listed = ",\n".join(_in_its_place(s) if step_file(shot.code, s.id) in apart else texts[id(s)][1] for s in shot.steps)
        return bare.replace('\n "steps": []', f'\n "steps": [\n{listed}\n ]', 1).encode(), apart

    @staticmethod
    def _text(step: Step, name: str) -> str:
        lines = bytes_of(step, name, depth=2).decode().rstrip("\n").split("\n")
        return "\n".join(f"  {line}" for line in lines)


def step_bytes(text: str) -> bytes:
    """The file of a step that lies apart, from its text."""
    return f'{{\n "schema_number": {SCHEMA},\n "step":\n{text}\n}}\n'.encode()


def _in_its_place(step: Step) -> str:
    return f'  {{\n   "id": {json.dumps(step.id)},\n   "apart": true\n  }}'
