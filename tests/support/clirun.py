"""Commands run in this process, where one is one of many: what starting costs is paid once."""

from __future__ import annotations

import contextlib
import io
import subprocess

from transmixis.cli import main


def ran(*args: object) -> subprocess.CompletedProcess:
    """Run a command as `transmixis ARGS` would; its exit code and what it prints."""
    out, err, code = io.StringIO(), io.StringIO(), 0
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            main([str(a) for a in args])
        except SystemExit as e:
            code = e.code if isinstance(e.code, int) else 0 if e.code is None else 1
    return subprocess.CompletedProcess([], code, out.getvalue(), err.getvalue())


def here(*args: object, code: int = 0) -> subprocess.CompletedProcess:
    """The same; the exit code must be `code`."""
    done = ran(*args)
    assert done.returncode == code, f"{done.returncode}: {done.stdout[-400:]} {done.stderr[-800:]}"
    return done
