"""What is said where a step's inputs do not fit each other in size: named with their sizes, instead of whatever the arithmetic broke on."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress

import cv2

from transmixis.core.errors import UserError
from transmixis.shot.contract import Product
from transmixis.shot.model import Shot, Step

SMALL = 16  # px of a side: what is smaller than that may hold too little for a step
NAMED = 3  # sizes that are told

Products = Callable[[str, int], Product]


@contextmanager
def sizes_told(product: Products, shot: Shot, step: Step, frame: int) -> Iterator[None]:
    """Turns what arithmetic says of arrays that do not fit each other into one sentence about the step's inputs. Whatever else is wrong comes through as it is."""
    try:
        yield
    except UserError:
        raise
    except (ValueError, IndexError, cv2.error) as e:
        words = odd_sizes(product, shot, step, frame)
        if not words:
            raise
        raise UserError(words) from e


def odd_sizes(product: Products, shot: Shot, step: Step, frame: int) -> str:
    """What is odd about the sizes of a step's inputs at a frame; '' if nothing is."""
    found: dict[str, tuple[int, int]] = {}
    for slot, ref in step.inputs.items():
        with suppress(UserError, ValueError, IndexError, cv2.error):
            made = product(ref, frame)
            array = made.picture if made.picture is not None else made.matte
            if array is not None:
                found[slot] = (array.shape[1], array.shape[0])
    sizes = {**found, "the frame": (shot.width, shot.height)}
    told = [f"{name} {w} × {h}" for name, (w, h) in sizes.items()][: NAMED + 1]
    if len(set(sizes.values())) > 1:
        return f"'{step.name}' cannot take together what it is connected to: {', '.join(told)} pixels; put Place between, which fits a picture into the frame."
    small = next((name for name, size in found.items() if min(size) < SMALL), "")
    if not small:
        return ""
    w, h = found[small]
    return f"'{step.name}' finds too little in {small}: {w} × {h} pixels are too few for it."
