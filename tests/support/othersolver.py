"""The same tracks solved by an independent structure-from-motion library (COLMAP: Schönberger & Frahm, 2016), for tests only."""

from __future__ import annotations

from itertools import combinations
from pathlib import Path

import numpy as np
import pycolmap

SHARED = 20  # tracks that two frames must share to be compared


def solved_otherwise(places: np.ndarray, size: tuple[int, int], focal: float, folder: Path) -> np.ndarray:
    """(n, 3) where the camera stood, from tracks (n, m, 2) px whose pixel centres are at +0.5; nan where it was not found."""
    pycolmap.logging.minloglevel = pycolmap.logging.Level.ERROR.value
    db = pycolmap.Database.open(folder / "tracks.db")
    camera = pycolmap.Camera(model="SIMPLE_PINHOLE", width=size[0], height=size[1], params=[focal, size[0] / 2, size[1] / 2])
    sensor = pycolmap.sensor_t(pycolmap.SensorType.CAMERA, db.write_camera(camera))
    rig = pycolmap.Rig(rig_id=1)
    rig.add_ref_sensor(sensor)
    rig_id = db.write_rig(rig)
    images, seen = [], [np.flatnonzero(np.isfinite(p[:, 0])) for p in places]
    for n, (p, ids) in enumerate(zip(places, seen, strict=True)):
        images.append(db.write_image(pycolmap.Image(name=f"{n:04d}.png", camera_id=sensor.id)))
        frame = pycolmap.Frame()
        frame.rig_id = rig_id
        frame.add_data_id(pycolmap.data_t(sensor, images[n]))
        db.write_frame(frame)
        db.write_keypoints(images[n], p[ids].astype(np.float32))
    for a, b in combinations(range(len(places)), 2):
        _, i, j = np.intersect1d(seen[a], seen[b], return_indices=True)
        if len(i) < SHARED:
            continue
        pairs = np.stack([i, j], 1).astype(np.uint32)
        db.write_matches(images[a], images[b], pairs)
        one, two = (np.ascontiguousarray(places[k][seen[k]]) for k in (a, b))
        options = pycolmap.TwoViewGeometryOptions()
        told = pycolmap.estimate_calibrated_two_view_geometry(camera, one, camera, two, pairs, options)
        db.write_two_view_geometry(images[a], images[b], told)
    db.close()
    wanted = pycolmap.IncrementalPipelineOptions()
    wanted.ba_refine_focal_length = wanted.ba_refine_principal_point = wanted.ba_refine_extra_params = False
    (folder / "out").mkdir()
    (folder / "pictures").mkdir()
    made = pycolmap.incremental_mapping(folder / "tracks.db", folder / "pictures", folder / "out", wanted)[0]
    out = np.full((len(places), 3), np.nan)
    for image in made.images.values():
        pose = image.cam_from_world()
        out[int(image.name[:4])] = -pose.rotation.matrix().T @ pose.translation
    return out
