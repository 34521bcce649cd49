"""The engine on its own: order, answers, taking back, and never looking idle while an answer is on its way."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from typing import Any

import pytest
from PyQt6.QtWidgets import QApplication

from transmixis.core.errors import UserError
from transmixis.desk.engine import LOOK, MEASURE, PROPOSE, Engine


@pytest.fixture
def engine(qapp: QApplication) -> Iterator[Engine]:
    e = Engine()
    yield e
    e.stop()


def test_an_answer_on_its_way_still_counts_as_waiting(engine: Engine, qtbot: Any) -> None:
    heard: list[int] = []
    for i in range(200):
        engine.ask(LOOK, lambda i=i: i, heard.append)
        while engine.waiting:  # no event is handled between the last look at `waiting` and the assertion
            QApplication.processEvents()
        assert heard[-1] == i


def test_an_answer_that_asks_again_keeps_it_waiting(engine: Engine, qtbot: Any) -> None:
    heard: list[int] = []

    def again(n: int) -> None:
        heard.append(n)
        if n:
            engine.ask(LOOK, lambda: n - 1, again)

    engine.ask(LOOK, lambda: 50, again)
    qtbot.waitUntil(lambda: engine.waiting == 0)
    assert heard == list(range(50, -1, -1))


def test_what_is_looked_at_never_waits_for_long_work(engine: Engine, qtbot: Any) -> None:
    """However many analyses are under way; and the look's own worker takes nothing else."""
    gate, heard = threading.Event(), list[str]()
    for _ in range(12):
        engine.ask(MEASURE, gate.wait)
    engine.ask(LOOK, lambda: "look", heard.append)
    qtbot.waitUntil(lambda: heard == ["look"], timeout=20_000)
    assert engine.waiting == 12
    engine.ask(PROPOSE, lambda: "propose", heard.append)
    engine.ask(LOOK, lambda: "again", heard.append)
    qtbot.waitUntil(lambda: "again" in heard, timeout=20_000)
    assert heard == ["look", "again"]
    gate.set()
    qtbot.waitUntil(lambda: engine.waiting == 0)
    assert heard[-1] == "propose"


def test_the_most_urgent_goes_first_and_dropped_ones_are_never_answered(qapp: QApplication, qtbot: Any) -> None:
    engine = Engine(alone=True)
    gate, heard = threading.Event(), list[str]()
    engine.ask(LOOK, gate.wait)
    engine.ask(MEASURE, lambda: "measure", heard.append, tag="measure")
    engine.ask(PROPOSE, lambda: "propose", heard.append, tag="propose")
    engine.ask(LOOK, lambda: "look", heard.append)
    engine.drop("propose")
    gate.set()
    qtbot.waitUntil(lambda: engine.waiting == 0)
    assert heard == ["look", "measure"]
    engine.stop()


def test_faults_are_told_and_the_engine_goes_on(engine: Engine, qtbot: Any) -> None:
    said: list[str] = []

    def wrong() -> None:
        raise UserError("the plate is missing; choose it again")

    engine.ask(LOOK, wrong, failed=said.append)
    qtbot.waitUntil(lambda: engine.waiting == 0)  # two of one urgency go to two workers, and either may end first
    with qtbot.waitSignal(engine.trouble) as trouble:
        engine.ask(LOOK, lambda: 1 / 0, failed=said.append)
    qtbot.waitUntil(lambda: engine.waiting == 0)
    assert said[0] == "the plate is missing; choose it again"
    assert "ZeroDivisionError" in trouble.args[0]
    assert "log book" in said[1]


def test_a_worker_beside_does_not_hold_up_the_first_and_ends_with_it(qtbot: Any) -> None:
    engine = Engine()
    other = engine.beside()
    gate, answers = threading.Event(), []
    other.ask(0, gate.wait, lambda _: answers.append("long"))
    engine.ask(0, lambda: 1, lambda _: answers.append("short"))
    qtbot.waitUntil(lambda: answers == ["short"], timeout=10_000)
    assert engine.waiting == 1  # what the other does counts
    gate.set()
    qtbot.waitUntil(lambda: engine.waiting == 0, timeout=10_000)
    assert answers == ["short", "long"]
    engine.stop()
    assert not engine.running
    assert not other.running
