"""The list of long tests names tests that there are, and never all of a test."""

from __future__ import annotations

import os
import subprocess
import sys

from places import ROOT


def test_every_line_names_tests_and_leaves_a_sibling() -> None:
    rows = [r for r in (ROOT / "tests" / "long.txt").read_text(encoding="utf-8").splitlines() if r and not r.startswith("#")]
    files = sorted({r.split("::")[0] for r in rows})
    command = [sys.executable, "-m", "pytest", "--collect-only", *files]
    done = subprocess.run(
        command, cwd=ROOT, env={**os.environ, "TRANSMIXIS_LONG": "1"}, capture_output=True, text=True, check=False
    )
    every = [line for line in done.stdout.splitlines() if "::" in line]
    assert every
    for row in rows:
        assert any(name.startswith(row) for name in every), f"{row} names no test"
        siblings = [n for n in every if n.split("[")[0] == row.split("[")[0]]
        assert "[" not in row or not all(n.startswith(tuple(rows)) for n in siblings), f"nothing is left of {row}"
