"""Commands on the shelf of stock elements."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import Annotated

import typer

from transmixis.cli.common import Json, app, show, with_bar
from transmixis.shot.document import Document
from transmixis.shot.shelf import facts_of, find, measure_element, with_element

shelf = typer.Typer(no_args_is_help=True, help="Stock elements of a production, each with a measured card.")
app.add_typer(shelf, name="shelf")

Project = Annotated[Path, typer.Argument(help="A production's folder.")]


@shelf.command(name="add")
def add_elements(
    project: Project,
    files: Annotated[list[Path], typer.Argument(help="Movies or sequences.")],
    word: Annotated[list[str] | None, typer.Option(help="A word to find it by; may be given again.")] = None,
    as_json: Json = False,
) -> None:
    """Measure elements and put them on the shelf."""
    doc = Document.open(project)
    made = []
    try:
        for path in files:
            taken = {e.id for e in doc.film.shelf.elements}
            element = with_bar(partial(measure_element, doc.folder, path, taken, tuple(word or ())))
            doc.apply(f"Put {element.name} on the shelf", with_element(doc.film, element))
            doc.log.add("shelf", f"{element.name}: {facts_of(element)}")
            made.append(element)
    finally:
        doc.close()
    show(as_json, {"elements": [e.model_dump() for e in made]}, "\n".join(f"{e.name}: {facts_of(e)}" for e in made))


@shelf.command(name="list")
def list_elements(
    project: Project,
    words: Annotated[list[str] | None, typer.Argument(help="Words and measures: smoke, black, up, loops, >2s, <48f.")] = None,
    as_json: Json = False,
) -> None:
    """List the shelf, or what fits all words."""
    doc = Document.open(project, read_only=True)
    try:
        found = find(doc.film.shelf.elements, " ".join(words or ()))
    finally:
        doc.close()
    text = "\n".join(f"{e.name}: {facts_of(e)}" for e in found) or "Nothing on the shelf fits. Put elements there with: shelf add"
    show(as_json, {"elements": [e.model_dump() for e in found]}, text)
