"""Products as they are kept, what a step gives that gives nothing, and steps that would wait for each other."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from transmixis.core.errors import UserError
from transmixis.core.motion.motion import Motion
from transmixis.core.motion.pose import Camera
from transmixis.media.cache import frozen
from transmixis.shot.contract import Product
from transmixis.shot.model import Shot
from transmixis.shot.refs import split_ref


def kept_product(p: Product) -> Product:
    """A product as the cache keeps it: its arrays cannot be written to, its working parts are gone."""
    for a in (p.picture, p.matte, p.cloud, *(p.shape or ())):
        if a is not None:
            frozen(a)
    return replace(p, work=None, also={k: kept_product(v) for k, v in p.also.items()})


def nothing_given(product: str, shot: Shot) -> Product:
    """What a step gives that is off or unknown and lets nothing through: a matte of all, a motion that is not known, nothing."""
    if product == "matte":
        return Product(matte=np.ones((shot.height, shot.width), np.float32), shape=())
    if product == "motion":
        return Product(motion=Motion(np.eye(3), np.zeros((1, 2)), known=False, why="the track is switched off"))
    if product == "camera":
        middle = (shot.width / 2, shot.height / 2)
        return Product(camera=Camera(1.0, middle, np.eye(3), np.zeros(3), known=False, why="the camera's step is switched off"))
    return Product(shape=()) if product == "shape" else Product()


def refuse_cycles(shot: Shot) -> None:
    """Raise UserError naming the path if a step depends on itself."""
    table = {s.id: [split_ref(r)[1] for r in s.inputs.values() if r.startswith("step:")] for s in shot.steps}
    names = {s.id: s.name for s in shot.steps}
    done: set[str] = set()

    def visit(node: str, path: tuple[str, ...]) -> None:
        if node in path:
            loop = " → ".join(names.get(p, p) for p in (*path[path.index(node) :], node))
            raise UserError(f"Steps would wait for each other: {loop}; connect one of them to something else.")
        if node in done or node not in table:
            return
        for nxt in table[node]:
            visit(nxt, (*path, node))
        done.add(node)

    for s in shot.steps:
        visit(s.id, ())
