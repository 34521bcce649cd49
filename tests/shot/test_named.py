"""A step that gives several products by name: what is connected to which, what each depends on, and where one is not valid."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from partedkind import HIDDEN_AT, Parted, Taker

from transmixis.core.errors import UserError
from transmixis.media.still import write_still
from transmixis.shot import parts
from transmixis.shot.given import refuse_cycles
from transmixis.shot.keys import Keys
from transmixis.shot.material import Material
from transmixis.shot.model import Plate, Shot, Step
from transmixis.shot.refs import base_of, product_of, split_ref, with_product
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.small import SmallProducts
from transmixis.shot.stepjob import changed
from transmixis.shot.steps import KINDS
from transmixis.shot.workorder import remove_step


@pytest.fixture(autouse=True)
def kinds() -> Iterator[None]:
    KINDS[Parted.kind], KINDS[Taker.kind] = Parted(), Taker()
    yield
    del KINDS[Parted.kind], KINDS[Taker.kind]


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    write_still(tmp_path / "grey.png", np.full((8, 12, 3), 0.5, np.float32), kind="uint16")
    return tmp_path


def shot(**inputs: str) -> Shot:
    """The taker with the right side of what was parted, or with what is given."""
    steps = (
        Step(id="parted", kind=Parted.kind, name="Parted", inputs={"picture": "plate:hero"}),
        Step(id="taker", kind=Taker.kind, name="Taker", inputs={"picture": "step:parted/right", **inputs}),
    )
    return Shot(code="A", length=4, width=12, height=8, plates=(Plate(id="hero", role="hero", path="grey.png"),), steps=steps)


def test_references_are_taken_apart_and_put_together() -> None:
    assert split_ref("step:key/rest") == ("step", "key")
    assert (product_of("step:key/rest"), product_of("step:key"), product_of("plate:a/b")) == ("rest", "", "")
    assert (base_of("step:key/rest"), base_of("plate:a/b")) == ("step:key", "plate:a/b")
    assert with_product("step:key", "rest") == with_product("step:key/left", "rest") == "step:key/rest"
    assert with_product("step:key/left", "") == "step:key"
    for wrong in ("step:/rest", "key", "film:key"):
        with pytest.raises(UserError, match="connect the step anew"):
            split_ref(wrong)


def test_each_product_is_had_by_its_name(folder: Path) -> None:
    r = Renderer(shot(inside="step:parted/cut"), Material(folder))
    right = r.product("step:parted/right", 1).picture
    left = r.product("step:parted", 1).picture
    assert right is not None
    assert left is not None
    assert left[0, :, 0] == pytest.approx([0.5] * 6 + [0] * 6, abs=1e-4)
    assert right[0, :, 0] == pytest.approx([0] * 6 + [0.5] * 6, abs=1e-4)
    assert r.product("step:taker", 1).picture.max() == 0  # type: ignore[union-attr]  # the right, inside the left's matte
    with pytest.raises(UserError, match="gives no 'nothing'"):
        r.product("step:parted/nothing", 1)
    assert not right.flags.writeable
    assert r.product("step:parted", 1).nbytes > left.nbytes + right.nbytes  # the cache counts all


def test_camera_and_outline_come_through(folder: Path) -> None:
    r = Renderer(shot(view="step:parted/view", line="step:parted/line"), Material(folder))
    assert r.product("step:taker", 2).picture[0, 0] == pytest.approx([0.2 + 0.006] * 3, abs=1e-4)  # type: ignore[index]
    for slot, words in (("view", "gives no camera"), ("line", "gives no outlines")):
        wrong = Renderer(shot(**{slot: "step:parted/right"}), Material(folder))
        with pytest.raises(UserError, match=words):
            wrong.product("step:taker", 1)


def test_what_is_made_is_known_to_be_there(folder: Path) -> None:
    r = Renderer(shot(), Material(folder))
    assert not r.is_cached("step:parted/right", 1)
    r.product("step:parted/right", 1)
    assert r.is_cached("step:parted/right", 1)
    assert r.halved_in("step:parted/right") is None  # whether its pixels are the plate's nobody knows


def test_what_is_not_valid_at_a_frame_is_said_where_it_is_taken(folder: Path) -> None:
    r = Renderer(shot(), Material(folder))
    with pytest.raises(UserError, match=f"not valid at frame {HIDDEN_AT}: it is hidden"):
        r.product("step:taker", HIDDEN_AT)
    (said,) = r.measure("taker", HIDDEN_AT)
    assert said.value is None
    assert "it is hidden" in said.note
    assert r.measure("taker", HIDDEN_AT + 1)[0].value is not None


def test_the_key_tells_which_product_is_taken(folder: Path) -> None:
    """Else another one connected would show the old picture."""
    material = Material(folder)
    one, other = shot(inside="step:parted/cut"), shot(picture="step:parted", inside="step:parted/cut")
    keys = [Keys(s, material) for s in (one, other)]
    assert keys[0].frame("step:taker", 1) != keys[1].frame("step:taker", 1)
    assert keys[0].frame("step:parted/cut", 1) != keys[0].frame("step:parted/right", 1)
    assert keys[0].whole("step:parted/cut") != keys[0].whole("step:parted/right")
    assert keys[0].whole("step:taker") != keys[1].whole("step:taker")
    first = Renderer(one, material)
    shown = first.product("step:taker", 1).picture
    second = Renderer(other, material, first.cache)
    assert not np.array_equal(second.product("step:taker", 1).picture, shown)  # type: ignore[arg-type]
    moved = one.with_step(one.step("parted").model_copy(update={"params": {"at": 0.25}}))
    assert Keys(moved, material).frame("step:parted/cut", 1) != keys[0].frame("step:parted/cut", 1)


def test_of_a_step_that_is_off_nothing_is_given(folder: Path) -> None:
    on = shot(inside="step:parted/cut", view="step:parted/view", line="step:parted/line", picture="step:parted")
    off = on.with_step(on.step("parted").model_copy(update={"on": False}))
    r = Renderer(off, Material(folder), Renderer(on, Material(folder)).cache)
    # the picture passes, the matte is of all, camera and outline tell nothing
    assert r.product("step:taker", 1).picture == pytest.approx(np.full((8, 12, 3), 0.5), abs=1e-4)
    camera = r.product("step:parted/view", 1).camera
    assert camera is not None
    assert not camera.known
    assert r.key("step:taker", 1) != Renderer(on, Material(folder)).key("step:taker", 1)


def test_small_products_have_theirs_too(folder: Path) -> None:
    small = SmallProducts(Renderer(shot(), Material(folder)), 2)
    right = small.product("step:parted/right", 1).picture
    assert right is not None
    assert right.shape == (4, 6, 3)
    camera = small.product("step:parted/view", 2).camera
    assert camera is not None
    assert (camera.focal, camera.middle) == (100.0, (3.0, 2.0))


def test_circles_removal_copies_and_the_delivered_picture_know_them(folder: Path) -> None:
    s = shot()
    circle = s.with_step(s.step("parted").model_copy(update={"inputs": {"picture": "step:taker"}}))
    with pytest.raises(UserError, match="wait for each other"):
        refuse_cycles(circle)
    assert output_ref(s) == "step:taker"
    # taken out, the first product passes what came in; a further one has nothing that could stand for it
    gone = remove_step(shot(inside="step:parted/cut"), "parted")
    assert gone.step("taker").inputs == {}
    plain = remove_step(shot(picture="step:parted"), "parted")
    assert plain.step("taker").inputs == {"picture": "plate:hero"}
    held, part = parts.gathered(s, "Both", ["parted", "taker"])
    copied, _ = parts.copied(held, part.id, "Again")
    new = [x for x in copied.steps if x.id not in ("parted", "taker")]
    ids = {x.kind: x.id for x in new}
    assert next(x for x in new if x.kind == Taker.kind).inputs["picture"] == f"step:{ids[Parted.kind]}/right"
    assert parts.suggested(s, "taker") == {"parted", "taker"}


def test_they_are_connected_by_name_on_the_command_line() -> None:
    s = shot()
    done, _ = changed(s, "taker", ["inside=step:parted/cut"], [], [])
    assert done.step("taker").inputs["inside"] == "step:parted/cut"
    with pytest.raises(UserError, match="gives right, cut, line, view"):
        changed(s, "taker", ["inside=step:parted/matte"], [], [])
    with pytest.raises(UserError, match="gives no matte"):
        changed(s, "taker", ["inside=step:parted/view"], [], [])
