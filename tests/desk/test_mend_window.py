"""Mending in the window, from drawing the region to a delivered shot: what can serve is asked, its proposal used, the mend looked at and delivered; readings lead to places."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from clirun import here
from deskhelp import LONG, click, opened, press, settle
from PyQt6.QtCore import Qt
from timetakes import person_take

from transmixis.core.plot import Stills, Unrolled
from transmixis.desk.window import MainWindow
from transmixis.media.source import open_source
from transmixis.media.still import write_still
from transmixis.shot.model import Pin, Step
from transmixis.shot.pins import set_pin

FRAMES, FRAME = 10, 2


@pytest.fixture
def window(tmp_path: Path, qtbot: Any, monkeypatch: pytest.MonkeyPatch) -> Iterator[MainWindow]:
    monkeypatch.setattr(Path, "home", lambda: tmp_path)
    take = person_take(FRAMES)
    for n in range(FRAMES):
        write_still(tmp_path / f"take.{n + 1:04d}.png", take.plate[n], kind="uint16")
    here("new", tmp_path / "film", "--name", "The Kite Post")
    here("add", tmp_path / "film", "A010", tmp_path / "take.0001.png", "--role", "hero")
    w = opened(qtbot, tmp_path / "film")
    yield w
    w.close()


def drawn_about(window: MainWindow, qtbot: Any, frame: int) -> None:
    """An outline pressed loosely round what must go in a frame, closed on its first point."""
    window.state.set_frame(frame)
    settle(qtbot, window)
    ys, xs = np.nonzero(person_take(FRAMES).gone[frame - 1] > 0)
    x0, x1, y0, y1 = xs.min() - 4, xs.max() + 5, ys.min() - 4, ys.max() + 5
    corners = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
    for x, y in [*corners, corners[0]]:
        click(window, float(x), float(y))
    settle(qtbot, window)


def pinned(step: Step, outline: list[list[float]]) -> Step:
    """The outline eased from where somebody stands to where they have gone."""
    step = step.model_copy(update={"params": {**step.params, "carry": "nothing, eased", "line": "corners"}})
    for frame in (FRAMES // 3 + 1, FRAMES):
        by = 9.0 * max(0, frame - 1 - FRAMES // 3)
        moved = [[i, x + by, y] for i, x, y in outline]
        step = set_pin(step, "outline", Pin(frame=frame, value=moved, easing="linear"))
    return step


def test_from_the_region_to_a_delivered_shot(window: MainWindow, qtbot: Any) -> None:
    s = window.state
    s.set_step(s.edits.run("step.add", kind="shapes", name="Person").made)
    settle(qtbot, window)
    drawn_about(window, qtbot, 1)
    step = s.step
    assert step is not None
    # it stands until frame 4 and then walks off: pinned where it stops standing, and where it has gone
    outline = step.params.get("outline") or step.pins["outline"][0].value
    assert len(outline) == 4
    s.edits.change("pinned", lambda: s.shot.with_step(pinned(step, outline)))
    settle(qtbot, window)

    s.set_step(s.edits.run("step.add", kind="ways", name="What can serve").made)
    settle(qtbot, window)
    plot = window.bench.sheet.plot.shown
    assert plot is not None
    assert isinstance(plot.panels[0], Stills)
    proposal = s.answers.made.get(s.step_id)
    assert proposal is not None
    assert "shown elsewhere" in proposal.reason
    qtbot.mouseClick(window.bench.sheet.card.use, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    mends = [x for x in s.shot.steps if x.name.endswith("from other frames")]
    assert len(mends) == 1
    s.set_step(mends[0].id)
    s.set_frame(FRAME)
    settle(qtbot, window)
    own = window.bench.sheet.plot.shown
    assert own is not None
    assert isinstance(own.panels[0], Unrolled)
    assert own.panels[0].known.all()
    read = {r.name: r for r in s.known.readings[mends[0].id][FRAME]}
    assert read["seam"].value < 4
    assert read["open"].value < 1

    window.state.set_view("Result")
    settle(qtbot, window)
    press(qtbot, window.top, window.top.stage_x("Hand over"), 20)
    settle(qtbot, window)
    with qtbot.waitSignal(window.deliver.finished, timeout=LONG):
        qtbot.mouseClick(window.deliver.go, Qt.MouseButton.LeftButton)
    settle(qtbot, window)
    out = Path(s.shot.delivered)
    made = open_source(out.with_name(out.name.replace("####", f"{FRAME:04d}")))
    gone = person_take(FRAMES).gone[FRAME - 1] > 0
    off = np.abs(made.read(FRAME)[..., :3] - person_take(FRAMES).truth[FRAME - 1])[gone]
    was = np.abs(person_take(FRAMES).plate[FRAME - 1] - person_take(FRAMES).truth[FRAME - 1])[gone]
    assert off.mean() < 0.25 * was.mean()
