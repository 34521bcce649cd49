"""What all commands share: the application, printing, progress."""

from __future__ import annotations

import sys
from collections.abc import Callable
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import BarColumn, TextColumn, TimeRemainingColumn
from rich.progress import Progress as Bar

from transmixis.core.progress import Progress
from transmixis.media.files import said
from transmixis.shot.plainjson import cleaned, dumps

app = typer.Typer(
    add_completion=False, no_args_is_help=True, help="Measured compositing for short film shots.", pretty_exceptions_enable=False
)
errors = Console(stderr=True, highlight=False)
out = Console(highlight=False, soft_wrap=True)

Json = Annotated[bool, typer.Option("--json", help="Print machine-readable results.")]
Strict = Annotated[bool, typer.Option("--strict", help="Exit with 3 if a reading is over its limit.")]
Overwrite = Annotated[
    bool, typer.Option("--overwrite", help="Overwrite files that stand where the output goes; inputs are never overwritten.")
]


def show(as_json: bool, data: dict[str, Any], text: str) -> None:
    if as_json:
        sys.stdout.write(dumps(cleaned(data)).decode())
    else:
        out.print(said(text), markup=False)


def with_bar(job: Callable[[Progress], Any]) -> Any:
    """Run long work with a progress bar on the error stream; Ctrl+C cancels it."""
    with Bar(TextColumn("{task.description}"), BarColumn(), TimeRemainingColumn(), console=errors, transient=True) as bar:
        task = bar.add_task("", total=1.0)
        progress = Progress(lambda share, text, _: bar.update(task, completed=share, description=text))
        return job(progress)
