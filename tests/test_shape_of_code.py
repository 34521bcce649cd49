"""What keeps the code to be read: no large classes and files in desk and shot, nothing of ours imported inside a function below it."""

from __future__ import annotations

import ast
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

from places import ROOT

SOURCE = ROOT / "src" / "transmixis"
MOST_METHODS, MOST_LINES = 20, 350
LATER = ("cli/",)  # commands without a window must start without Qt


def parsed(below: str) -> Iterator[tuple[Path, str, ast.Module]]:
    for path in sorted((SOURCE / below).rglob("*.py")):
        text = path.read_text(encoding="utf-8")
        yield path, text, ast.parse(text)


def test_no_class_of_desk_and_shot_has_too_many_methods_and_no_file_too_many_lines() -> None:
    large = []
    for path, text, tree in (*parsed("desk"), *parsed("shot")):
        where = path.relative_to(SOURCE)
        if text.count("\n") > MOST_LINES:
            large.append(f"{where}: {text.count(chr(10))} lines")
        for c in ast.walk(tree):
            if isinstance(c, ast.ClassDef) and sum(isinstance(f, ast.FunctionDef) for f in c.body) > MOST_METHODS:
                large.append(f"{where}: {c.name}")
    assert large == []


def test_nothing_of_ours_is_imported_inside_a_function() -> None:
    found = []
    for path, _, tree in parsed("."):
        where = path.relative_to(SOURCE).as_posix()
        for f in ast.walk(tree):
            if isinstance(f, (ast.FunctionDef, ast.AsyncFunctionDef)) and not where.startswith(LATER):
                found += [
                    f"{where}:{n.lineno}"
                    for n in ast.walk(f)
                    if isinstance(n, ast.ImportFrom) and (n.level or (n.module or "").startswith("transmixis"))
                ]
    assert found == []


def test_the_document_can_be_had_without_what_computes() -> None:
    """Looking at a production, and the many short programs that do, must not wait for kernels and readers of movies."""
    code = (
        "import sys, transmixis.shot.document; print([m for m in ('cv2', 'numba', 'av', 'scipy', 'PyQt6') if m in sys.modules])"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60, check=True)
    assert done.stdout.strip() == "[]"
