"""Tracks and cameras written out for other programs, from the window."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QWidget

from transmixis.desk.engine import PROPOSE
from transmixis.desk.state import State
from transmixis.shot.stepexport import export_step
from transmixis.shot.steps import kind_of

# by what a step gives: the files that it can be written to
WRITTEN = {
    "motion": "Track as a table (*.csv);;Track with its matrices (*.json)",
    "camera": "Camera and points (*.json);;Camera and points in a scene (*.usda *.usdc);;Lens (*.yaml *.yml);;Lens as two maps (*.exr)",
}


def write_out(state: State, step_id: str, parent: QWidget) -> None:
    """Ask where to, and write over all frames beside the interface; what was there is written over only if the dialog was told so."""
    shot, renderer = state.shot, state.renderer()
    if shot is None or renderer is None:
        return
    step = shot.step(step_id)
    kind = kind_of(step.kind)
    filters = ";;".join(f"{kind.title} (*{e})" for e in kind.writes) if kind.writes else WRITTEN[kind.product]
    name, chosen = QFileDialog.getSaveFileName(parent, f"Write out {step.name}", step.name.lower().replace(" ", "_"), filters)
    if not name:
        return
    out = Path(name)
    if not out.suffix:
        out = out.with_suffix("." + chosen.split("*.")[1].split()[0].rstrip(")"))
    state.said.emit(f"Writing {out.name}.", "note")
    state.engine.ask(
        PROPOSE,
        partial(export_step, renderer, step_id, out, renderer.progress, overwrite=True, frame=state.frame),
        lambda words: state.said.emit(f"{out.name}: {words}.", "note"),
        lambda trouble: state.said.emit(trouble, "trouble"),
    )
