"""What the program imports is declared, and everything below the window runs without Qt."""

from __future__ import annotations

import ast
import importlib.metadata
import re
import sys
import tomllib

import pytest
from places import NO_QT, ROOT


def imported() -> dict[str, str]:
    """Top-level packages that the program imports, with a module that does."""
    out: dict[str, str] = {}
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            names = [a.name for a in node.names] if isinstance(node, ast.Import) else []
            if isinstance(node, ast.ImportFrom) and node.level == 0 and node.module:
                names = [node.module]
            for name in names:
                out.setdefault(name.split(".")[0], str(path.relative_to(ROOT)))
    return {k: v for k, v in out.items() if k not in sys.stdlib_module_names and k not in ("transmixis", "__future__")}


def test_every_import_is_a_declared_dependency() -> None:
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    declared = [*project["dependencies"], *project["optional-dependencies"]["interchange"]]
    wanted = {re.split(r"[<>=!~\[ ]", d)[0].lower().replace("_", "-") for d in declared}
    homes = importlib.metadata.packages_distributions()
    missing = {
        name: where
        for name, where in imported().items()
        if not wanted & {d.lower().replace("_", "-") for d in homes.get(name, [name])}
    }
    assert missing == {}


@pytest.mark.skipif(not NO_QT, reason="only where Qt is kept out (TRANSMIXIS_NO_QT=1)")
def test_qt_cannot_be_had_here() -> None:
    with pytest.raises(ModuleNotFoundError, match="kept out"):
        import PyQt6  # noqa: F401
