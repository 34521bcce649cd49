"""JSON that can be read again: what no reader could take is refused before it is written, and told when it is read.

Refused are numbers that are not finite or have more digits than any reading needs, text with broken characters (lone
surrogates), and nesting so deep that it ends the reader.
"""

from __future__ import annotations

import json
import math
from pathlib import Path
from typing import Any

from transmixis.core.errors import UserError
from transmixis.media.files import read_bytes, said

LARGEST = 64 << 20  # bytes: a shot of ten thousand pins is a hundredth of it
DEEPEST = 40
BIGGEST = 2**53  # integers beyond are no longer exact in most readers of JSON


def fault_in(value: Any, depth: int = 0) -> str:
    """Why a value cannot be kept as JSON, with its place; '' if it can. `depth`: how deep it will lie in the document."""
    todo: list[tuple[str, Any, int]] = [("$", value, depth)]
    while todo:
        place, v, depth = todo.pop()
        if depth > DEEPEST:
            return f"{place[:60]} is nested more than {DEEPEST} deep"
        if isinstance(v, dict):
            for k, w in v.items():
                if not isinstance(k, str) or not _is_text(k):
                    return f"{place} has a name with broken characters"
                todo.append((f"{place}.{k}", w, depth + 1))
        elif isinstance(v, (list, tuple)):
            todo += [(f"{place}[{i}]", w, depth + 1) for i, w in enumerate(v)]
        elif (fault := _fault_of(v)) != "":
            return f"{place} {fault}"
    return ""


def _fault_of(v: Any) -> str:
    if v is None or isinstance(v, bool):
        return ""
    if isinstance(v, str):
        return "" if _is_text(v) else "has broken characters"
    if isinstance(v, int):
        return "" if abs(v) <= BIGGEST else "is a number too large to be kept"
    if isinstance(v, float):
        return "" if math.isfinite(v) else "is not a number"
    return f"is a {type(v).__name__}, which cannot be kept"


def _is_text(text: str) -> bool:
    try:
        text.encode("utf-8")
    except UnicodeEncodeError:
        return False
    return True


def dumps(value: Any, depth: int = 0) -> bytes:
    """`value` as readable JSON. Raises ValueError naming the place of what cannot be kept."""
    fault = fault_in(value, depth)
    if fault:
        raise ValueError(fault)
    return (json.dumps(value, indent=1, ensure_ascii=False, allow_nan=False) + "\n").encode()


def cleaned(value: Any) -> Any:
    """`value` with what cannot be kept replaced: numbers that are none by null, broken characters by '?', others by words."""
    if isinstance(value, dict):
        return {said(str(k)): cleaned(v) for k, v in value.items()}
    if isinstance(value, (list, tuple, set, frozenset)):
        return [cleaned(v) for v in value]
    if isinstance(value, str):
        return value if _is_text(value) else said(value)
    if value is None or isinstance(value, bool) or _fault_of(value) == "":
        return value
    if isinstance(value, (int, float)):
        return None
    item = getattr(value, "item", None)  # a number of an array library
    return cleaned(item()) if callable(item) else said(str(value))


def parse(path: Path, content: bytes) -> Any:
    """The data of a JSON document. Raises UserError naming file, place and reason."""
    left = "mend it or restore a copy. It was left as it is."
    try:
        text = content.decode("utf-8")
    except UnicodeDecodeError as e:
        raise UserError(f"'{said(path)}' is not UTF-8 text (byte {e.start}); {left}") from e
    try:
        data = json.loads(text, parse_constant=_no_constant)
    except json.JSONDecodeError as e:
        raise UserError(f"'{said(path)}', line {e.lineno}, column {e.colno}: {e.msg}; {left}") from e
    except RecursionError as e:
        raise UserError(f"'{said(path)}' is nested too deep to be a document of ours; {left}") from e
    except ValueError as e:  # 'Exceeds the limit for integer string conversion', NaN, Infinity
        what = str(e) if "stands where" in str(e) else "it holds a number of too many digits"
        raise UserError(f"'{said(path)}': {what}; {left}") from e
    fault = fault_in(data)
    if fault:
        raise UserError(f"'{said(path)}' at {fault}; {left}")
    return data


def _no_constant(name: str) -> None:
    raise ValueError(f"{name} stands where a number should")


def read_json(path: Path) -> Any:
    """Read and parse a JSON document. Raises UserError."""
    return parse(path, read_bytes(path, LARGEST))
