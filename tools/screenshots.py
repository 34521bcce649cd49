"""Remake docs/screenshots from the demo film, without a display.

python tools/screenshots.py
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from transmixis.demo import copy_demo
from transmixis.desk.app import warm_up
from transmixis.desk.snapshot import quiet_window, save, settle, wait_until
from transmixis.desk.window import MainWindow

OUT = Path(__file__).resolve().parents[1] / "docs" / "screenshots"

SECTIONS = (
    ("KP050", "Findings", "findings"), ("KP060", "Frames to freeze", "freeze"),
    ("KP030", "Clean plate", "clean"), ("KP010", "Screen", "screen"),
)  # fmt: skip
PLANS = (
    ("KP040", "shadow"), ("KP010", "takes"), ("KP020", "markers"),
)  # fmt: skip


def main() -> None:
    """Open each page and save its picture."""
    warm_up()
    folder = Path(tempfile.gettempdir()) / "films" / "The Kite Post"  # the same every time, since it is seen
    shutil.rmtree(folder, ignore_errors=True)
    copy_demo(folder)
    try:
        empty = quiet_window(None)
        wait_until(lambda: False, 0.3)
        save(empty, OUT / "start.png")
        empty.close()
        window = quiet_window(folder)
        window.open_shot("KP010", "Matte")
        settle(window)
        _bench(window)
        window.show_page("deliver")
        window.deliver.how.setCurrentIndex(1)
        window.deliver.start()
        wait_until(lambda: not window.deliver.running, 600)
        settle(window)
        save(window, OUT / "deliver.png")
        window.show_page("board")
        settle(window)
        save(window, OUT / "board.png")
        _survey(window)
        _build(window)
        window.show_page("log")
        wait_until(lambda: False, 0.3)
        save(window, OUT / "log.png")
        window.close()
    finally:
        shutil.rmtree(folder, ignore_errors=True)


def _bench(window: MainWindow) -> None:
    window.state.set_frame(31)
    window.state.set_view("Beside")
    settle(window)
    save(window, OUT / "bench-key.png")
    window.state.set_view("Result")
    window.state.set_step("match")
    settle(window)
    window.state.answers.use()
    settle(window)


def _build(window: MainWindow) -> None:
    """The lantern from the side."""
    window.open_shot("KP130", "Build")
    settle(window)
    window.state.set_step("place4")
    window.state.set_frame(13)
    settle(window)
    save(window, OUT / "bench-build.png")


def _survey(window: MainWindow) -> None:
    window.open_shot("KP020", "Survey")
    settle(window)
    window.state.set_frame(24)
    settle(window)
    save(window, OUT / "bench-survey.png")
    _station(window)
    _kite(window)
    window.show_page("shelf")
    settle(window)
    save(window, OUT / "shelf.png")
    for code, section, name in SECTIONS:
        window.open_shot(code, "")
        settle(window)
        window.show_page("findings")
        window.survey.show_section(section)
        settle(window)
        window.findings.table.selectRow(0)
        for _ in range(2):  # what comes asks for its pictures
            settle(window)
        save(window, OUT / f"survey-{name}.png")
    window.survey.show_section("Findings")
    for code, question in PLANS:
        window.open_shot(code, "Plan")
        settle(window)
        window.plan.questions.choose(question)
        settle(window)
        save(window, OUT / f"plan-{question}.png")


def _kite(window: MainWindow) -> None:
    """The tail of KP030's kite, cut out by outlines that the picture carries; and the shot without what held it."""
    window.open_shot("KP030", "Matte")
    window.state.set_step("shapes2")
    window.state.set_frame(16)
    window.state.set_view("Cut-out")
    settle(window)
    save(window, OUT / "bench-matte.png")
    window.state.set_step("clean_patch")
    window.state.set_view("Beside")
    window.bench.viewer.divide = 0.8  # through the rod, left of its stand
    settle(window)
    save(window, OUT / "bench-repair.png")
    window.bench.viewer.divide = 0.5
    window.state.set_view("Result")


def _station(window: MainWindow) -> None:
    """What is tracked on KP020, with the tools that set it."""
    for step, frame, name in (
        ("surface_track", 45, "bench-motion"),
        ("camera_solve", 30, "bench-camera"),
    ):
        window.state.set_step(step)
        window.state.set_frame(frame)
        window.state.set_view("Plate" if step == "surface_track" else "Result")
        settle(window)
        save(window, OUT / f"{name}.png")
    window.state.set_view("Result")


if __name__ == "__main__":
    main()
