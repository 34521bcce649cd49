"""Documents that scale: an edit of one step writes out one step, and the file is what it would be all the same."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
import pytest

from transmixis.core.errors import UserError
from transmixis.media.still import write_still
from transmixis.shot import pins
from transmixis.shot import texts as texts_module
from transmixis.shot.digests import KeptKeys
from transmixis.shot.document import Document
from transmixis.shot.keys import Keys
from transmixis.shot.material import Material
from transmixis.shot.model import MOST_PARTS, Pin, Plate, Shot, Step
from transmixis.shot.texts import StepTexts, bytes_of


def shot_of(count: int) -> Shot:
    """Steps with what files may hold: words of any script, pins with outlines, plans that have a list called steps too."""
    outline = [[1, 10.25, 20.0], [2, 30.5, 20.0], [3, 30.5, 44.125]]
    steps = [
        Step(
            id=f"s{k}", kind="shapes", name=f"Drachen {k} 凧 \\n \"steps\": []", inputs={"plate": "plate:hero"},
            params={"feather": k / 7, "outline": outline}, pins={"outline": (Pin(frame=3, value=outline), Pin(frame=9, value=outline))},
        )
        for k in range(count)
    ]  # fmt: skip
    plan = {"takes": {"steps": [], "tricks": ["time lapse"]}}
    return Shot(
        code="A",
        length=20,
        width=64,
        height=48,
        plates=(Plate(id="hero", role="hero", path="a.png"),),
        steps=tuple(steps),
        plan=plan,
    )


@pytest.mark.parametrize("count", [0, 1, 2, 12])
def test_a_shot_s_file_is_the_same_to_the_byte(count: int) -> None:
    texts, shot = StepTexts(), shot_of(count)
    for _ in range(2):
        assert texts.of_shot(shot, "Shot A") == (bytes_of(shot, "Shot A"), {})
    if count:
        edited = shot.with_step(shot.steps[0].model_copy(update={"params": {"feather": 2.5}}))
        assert texts.of_shot(edited, "Shot A") == (bytes_of(edited, "Shot A"), {})
        fewer = shot.model_copy(update={"steps": shot.steps[1:], "title": "Kürzer"})
        assert texts.of_shot(fewer, "Shot A") == (bytes_of(fewer, "Shot A"), {})
        assert texts.of_shot(shot, "Shot A") == (bytes_of(shot, "Shot A"), {})  # undone


def test_an_edit_writes_out_what_was_edited(monkeypatch: pytest.MonkeyPatch) -> None:
    written: list[str] = []
    real = texts_module.bytes_of
    monkeypatch.setattr(
        texts_module,
        "bytes_of",
        lambda r, name, depth=0: written.append(getattr(r, "id", r.code if isinstance(r, Shot) else "")) or real(r, name, depth),
    )
    texts, shot = StepTexts(), shot_of(12)
    texts.of_shot(shot, "Shot A")
    assert sorted(written) == sorted(["A", *(f"s{k}" for k in range(12))])
    written.clear()
    texts.of_shot(shot.with_step(shot.steps[5].model_copy(update={"on": False})), "Shot A")
    assert sorted(written) == ["A", "s5"]


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"params": {"feather": float("nan")}}, "not a number"),
        ({"name": "a\ud800"}, "broken characters"),
        ({"id": "s1"}, "two steps have the id"),
        ({"params": {"feather": object()}}, "cannot be kept"),
    ],
)
def test_what_could_not_be_read_again_is_not_written(tmp_path: Path, change: dict[str, Any], words: str) -> None:
    doc = Document.create(tmp_path / "f", "F", "24")
    doc.change_shot("Make", shot_of(3))
    file = tmp_path / "f" / "shots" / "A" / "shot.json"
    before = file.read_bytes()
    shot = doc.shot("A")
    with pytest.raises(UserError, match=words):
        doc.change_shot("Spoil", shot.model_copy(update={"steps": (shot.steps[0].model_copy(update=change), *shot.steps[1:])}))
    assert file.read_bytes() == before
    assert doc.shot("A") == shot
    doc.change_shot("Go on", shot.with_step(shot.steps[2].model_copy(update={"on": False})))
    doc.close()
    again = Document.open(tmp_path / "f")
    assert not again.shot("A").steps[2].on
    again.close()
    many = tuple(shot.steps[0].model_copy(update={"id": f"m{k}"}) for k in range(MOST_PARTS + 1))
    with pytest.raises(UserError, match="at most"):
        StepTexts().of_shot(shot.model_copy(update={"steps": many}), "Shot A")


def test_pins_that_a_kind_eases_itself_are_hashed_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """All of them count at every frame; but they are not eased and hashed frame by frame."""
    write_still(tmp_path / "a.png", np.full((48, 64, 3), 0.2, np.float32), kind="uint8")
    shot, kept = shot_of(4), KeptKeys()
    eased: list[int] = []
    monkeypatch.setattr(pins, "value_at", lambda p, n: eased.append(n))
    a = Keys(shot, Material(tmp_path), kept)
    moved = shot.steps[0].model_copy(update={"pins": {"outline": (Pin(frame=4, value=[[1, 0, 0], [2, 9, 0], [3, 9, 9]]),)}})
    b = Keys(shot.with_step(moved), Material(tmp_path), kept)
    for n in (1, 3, 9, 20):
        assert a.frame("step:s0", n) != b.frame("step:s0", n)
        assert a.frame("step:s1", n) == b.frame("step:s1", n)
    assert eased == []
