"""The shelf: measured when put there, kept, found, undone."""

from __future__ import annotations

from pathlib import Path

import pytest

from transmixis.core.errors import UserError
from transmixis.core.progress import Progress
from transmixis.media.still import write_still
from transmixis.shot.document import Document
from transmixis.shot.shelf import facts_of, find, measure_element, thumbnails, with_element, without_element
from transmixis.shot.store import load_film

DEMO = Path(__file__).resolve().parents[2] / "demo" / "kite_post"


@pytest.fixture
def film(tmp_path: Path) -> Document:
    return Document.create(tmp_path / "film", "Film")


def test_an_element_is_put_on_kept_found_and_taken_off(film: Document) -> None:
    e = measure_element(film.folder, DEMO / "elements" / "sparks.mp4", set(), ("burst",), Progress())
    film.apply("Put sparks on the shelf", with_element(film.film, e))
    assert load_film(film.folder).shelf.elements == (e,)
    assert (e.ground, e.first, e.hue) == ("black", 6, "orange")
    for words, count in (("sparks black", 1), ("burst", 1), (">1s", 1), ("<10f", 0), ("alpha", 0), ("", 1), (">rubbish", 0)):
        assert len(find(film.film.shelf.elements, words)) == count, words
    assert "action 6" in facts_of(e)
    assert len(thumbnails(film.folder, e)) > 5
    film.apply("Take off", without_element(film.film, e.id))
    assert load_film(film.folder).shelf.elements == ()
    film.undo()
    assert load_film(film.folder).shelf.elements == (e,)
    film.close()


def test_what_is_no_element_is_refused_in_one_sentence(film: Document, tmp_path: Path) -> None:
    import numpy as np

    for n in range(1, 4):
        write_still(tmp_path / f"plain.{n:04d}.png", np.zeros((40, 60, 3), np.float32), kind="uint8")
    with pytest.raises(UserError, match="Nothing happens"):
        measure_element(film.folder, tmp_path / "plain.0001.png", set(), (), Progress())
    with pytest.raises(UserError, match="no file"):
        measure_element(film.folder, tmp_path / "nowhere.mov", set(), (), Progress())
    film.close()


def test_the_demo_has_elements_with_their_cards() -> None:
    elements = {e.name: e for e in load_film(DEMO).shelf.elements}
    assert set(elements) == {"chimney_smoke", "paper_scraps", "sparks"}
    assert elements["chimney_smoke"].loops
    assert elements["chimney_smoke"].direction.startswith("up")
    assert elements["paper_scraps"].direction == "right"
    assert not elements["paper_scraps"].loops
