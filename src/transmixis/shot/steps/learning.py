"""What a screen key has learnt of its shot, as arrays that can be stored without pickles, and back."""

from __future__ import annotations

import numpy as np

from transmixis.core.matte.keyer import KeyModel
from transmixis.core.matte.subject import Clusters
from transmixis.shot.contract import Analysis


def model_to_arrays(m: KeyModel) -> Analysis:
    """All of a KeyModel as plain arrays."""
    return {
        "kind": np.array(m.kind),
        "base": m.base,
        "law": m.law,
        "cluster_mean": m.clusters.mean,
        "cluster_cov": m.clusters.cov,
        "cluster_weight": m.clusters.weight,
        "colour": m.screen_colour,
        "notes": np.array(list(m.notes), dtype=np.str_),
        "picture_base": np.array(m.picture_base),
        "marks": m.marks if m.marks is not None else np.zeros((0, 0), bool),
    }


def model_from_arrays(a: Analysis) -> KeyModel:
    """The KeyModel that `model_to_arrays` was given."""
    kind = str(a["kind"])
    return KeyModel(
        kind="green" if kind == "green" else "blue",
        base=a["base"],
        law=a["law"],
        clusters=Clusters(a["cluster_mean"], a["cluster_cov"], a["cluster_weight"]),
        screen_colour=a["colour"],
        notes=tuple(str(n) for n in a["notes"]),
        picture_base=bool(a["picture_base"]),
        marks=a["marks"] if a["marks"].size else None,
    )
