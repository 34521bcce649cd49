"""Tracks, cameras and lenses in open formats: what is written reads back, and is what the formats' own libraries see."""

from __future__ import annotations

import csv
import json
import math
import os
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial.transform import Rotation

from transmixis.core.errors import UserError
from transmixis.core.motion.lens import Lens
from transmixis.core.motion.pose import Camera
from transmixis.media.exchange.lensfiles import LensFile, read_st_map, read_yaml, write_st_map, write_yaml
from transmixis.media.exchange.tracks import Row, Track, read_csv, read_json, read_tracks, write_csv
from transmixis.media.exchange.usd import CAMERA, POINTS, WIDE, Scene, read_scene, write_scene
from transmixis.shot.exchange import told_scene

TWO = [
    Track("left hand", (Row(1, 10.25, 20.1, 0.031), Row(2, None, None), Row(3, 1 / 3, -4.5, None))),
    Track("Mast, top", (Row(7, 1e-9, 959.999999, 0.5),)),
]


def test_tracks_read_back_as_they_were(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    write_csv(path, TWO)
    assert read_csv(path) == TWO
    assert read_tracks(path) == TWO
    with open(path, newline="") as f:  # by hand
        rows = list(csv.DictReader(f))
    assert list(rows[0]) == ["track", "frame", "x", "y", "valid", "error"]
    assert (rows[1]["valid"], rows[1]["x"]) == ("0", "")
    assert float(rows[2]["x"]) == 1 / 3


@given(st.lists(st.tuples(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6), st.booleans()), min_size=1, max_size=20))
@settings(max_examples=30, deadline=None)
def test_any_numbers_read_back(tmp_path_factory: pytest.TempPathFactory, places: list[tuple[float, float, bool]]) -> None:
    path = tmp_path_factory.mktemp("t") / "t.csv"
    rows = tuple(Row(n, x if ok else None, y if ok else None, abs(x) if ok else None) for n, (x, y, ok) in enumerate(places, 1))
    write_csv(path, [Track("a", rows)])
    assert read_csv(path) == [Track("a", rows)]


def test_other_programs_tables_are_read(tmp_path: Path) -> None:
    path = tmp_path / "t.csv"
    path.write_text("\ufeffX , Y,Frame\n1.5,2.5,3\n\n4,5,1\n")
    (track,) = read_csv(path)
    assert track.rows == (Row(1, 4.0, 5.0), Row(3, 1.5, 2.5))


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "no columns"),
        ("a,b\n1,2\n", "no columns"),
        ("frame,x,y\n", "holds no rows"),
        ("frame,x,y\n1,2\n1,x,3\n", "line 3"),
        ("frame,x,y\n1,2,3\n1,2,3\n", "twice"),
        ("frame,x,y\n-1,2,3\n", "frames count from 0 or 1"),
        ("frame,x,y\n1,inf,3\n", "px of the frame"),
        ("frame,x,y\n1,nan,3\n", "px of the frame"),
        ('frame,x,y\n1,"2,3\n', "no table"),
    ],
)
def test_broken_tables_are_told_with_their_line(tmp_path: Path, text: str, words: str) -> None:
    path = tmp_path / "t.csv"
    path.write_text(text)
    with pytest.raises(UserError, match=words):
        read_csv(path)


def test_a_track_command_s_json_is_read(tmp_path: Path) -> None:
    path = tmp_path / "t.json"
    frames = [
        {"frame": 2, "x": None, "y": None, "valid": False, "error": None},
        {"frame": 1, "x": 4.5, "y": 6, "valid": True, "error": 0.1},
    ]
    path.write_text(json.dumps({"points": [{"at": [4.5, 6], "frames": frames}]}))
    assert read_json(path) == [Track("1", (Row(1, 4.5, 6.0, 0.1), Row(2, None, None)))]
    for text in ("[]", "{", '{"points": 3}', '{"points": [{}]}', "[" * 3000, "\x00"):
        path.write_text(text)
        with pytest.raises(UserError, match=r"holds no tracks|cannot be read"):
            read_json(path)
    with pytest.raises(UserError, match="no file"):
        read_tracks(tmp_path / "none.csv")
    os.mkfifo(tmp_path / "pipe.csv")
    with pytest.raises(UserError, match="no file"):
        read_tracks(tmp_path / "pipe.csv")
    path.write_bytes(b"\xff\xfe\x00")
    with pytest.raises(UserError, match="cannot be read"):
        read_tracks(path)


# -- cameras


def scene() -> Scene:
    cameras = []
    for n in range(4):
        turn = Rotation.from_rotvec([0.1 * n, -0.2, 0.05]).as_matrix()
        place = np.array([0.3 * n, -1.5, 0.1 * n])
        known = n != 2
        cameras.append(
            Camera(1100.0, (470.0, 280.5), turn, -turn @ place, -0.05, 0.01, known, 0.1 * n, "" if known else "lost", True, True)
        )
    points = np.array([[0.5, 0.25, 6.0], [-1.0, -1.0, 9.0]])
    return Scene(tuple(cameras), points, np.array([0.125, 0.5]), (960, 540), 25.0)


@pytest.mark.parametrize("ending", [".usda", ".usdc", ".usd"])
def test_a_camera_reads_back_as_it_was(tmp_path: Path, ending: str) -> None:
    path, made = tmp_path / f"c{ending}", scene()
    write_scene(path, made)
    back = read_scene(path)
    assert (back.size, back.rate, back.cameras[0].metres) == ((960, 540), 25.0, True)
    assert back.points == pytest.approx(made.points, abs=1e-6)
    assert back.errors == pytest.approx(made.errors)
    assert len(back.cameras) == 4
    for a, b in zip(made.cameras, back.cameras, strict=True):
        assert a.known == b.known
        if not a.known:
            continue
        assert b.turn == pytest.approx(a.turn, abs=1e-12)
        assert b.shift == pytest.approx(a.shift, abs=1e-12)
        assert (b.focal, b.k1, b.k2, b.level) == pytest.approx((a.focal, a.k1, a.k2, True), rel=1e-6)
        assert b.middle == pytest.approx(a.middle, abs=1e-4)
        assert b.error == pytest.approx(a.error)
        assert b.project(back.points) == pytest.approx(a.project(made.points), abs=1e-3)
    write_scene(path, made)  # over the old one


def test_a_zoom_reads_back_frame_by_frame(tmp_path: Path) -> None:
    made = scene()
    cameras = tuple(replace(c, focal=1000.0 + 50 * n) for n, c in enumerate(made.cameras))
    write_scene(tmp_path / "c.usda", replace(made, cameras=cameras))
    back = read_scene(tmp_path / "c.usda")
    assert [c.focal for c in back.cameras if c.known] == pytest.approx([1000, 1050, 1150])
    told = told_scene(back)
    assert [f["focal_px"] for f in told["frames"] if f["valid"]] == pytest.approx([1000, 1050, 1150])
    assert told["focal_px"] == pytest.approx(1000)


def test_usd_s_own_camera_sees_what_ours_sees(tmp_path: Path) -> None:
    """Its library's frustum, with no word of ours, projects the points to the same places."""
    from pxr import Usd, UsdGeom

    path, made = tmp_path / "c.usda", scene()
    write_scene(path, made)
    stage = Usd.Stage.Open(str(path))
    assert UsdGeom.GetStageUpAxis(stage) == "Y"
    camera = UsdGeom.Camera(stage.GetPrimAtPath(CAMERA))
    points = UsdGeom.Points(stage.GetPrimAtPath(POINTS)).GetPointsAttr().Get()
    assert camera.GetHorizontalApertureAttr().Get() == pytest.approx(WIDE)
    for n in (1, 4):
        seen = camera.GetCamera(n).frustum
        whole = seen.ComputeViewMatrix() * seen.ComputeProjectionMatrix()
        straight = Camera(1100.0, (470.0, 280.5), made.cameras[n - 1].turn, made.cameras[n - 1].shift)
        for p, ours in zip(points, straight.project(made.points), strict=True):
            q = whole.Transform(p)  # -1 to 1, up
            assert ((q[0] + 1) / 2 * 960, (1 - q[1]) / 2 * 540) == pytest.approx(tuple(ours), abs=0.01)


def test_what_is_no_camera_is_told(tmp_path: Path) -> None:
    from pxr import Usd

    with pytest.raises(UserError, match="not there"):
        read_scene(tmp_path / "none.usda")
    (tmp_path / "bad.usda").write_text("#usda 1.0\n(((")
    with pytest.raises(UserError, match="cannot be read"):
        read_scene(tmp_path / "bad.usda")
    stage = Usd.Stage.CreateNew(str(tmp_path / "empty.usda"))
    stage.GetRootLayer().Save()
    with pytest.raises(UserError, match="no camera"):
        read_scene(tmp_path / "empty.usda")
    (tmp_path / "file").write_text("")
    with pytest.raises(UserError):
        write_scene(tmp_path / "file" / "c.usda", scene())
    assert not list(tmp_path.glob(".*"))


# -- lenses


def test_a_lens_reads_back_and_opencv_bends_by_it(tmp_path: Path) -> None:
    made = LensFile(Lens(1100.25, (471.5, 279.25), -0.123456789, 0.0321), (960, 540), (1e-4, -2e-4, 0.003))
    write_yaml(tmp_path / "l.yaml", made)
    assert read_yaml(tmp_path / "l.yaml") == made
    given_file = cv2.FileStorage(str(tmp_path / "l.yaml"), cv2.FILE_STORAGE_READ)
    matrix = given_file.getNode("camera_matrix").mat()
    plain = LensFile(made.lens, made.size)
    write_yaml(tmp_path / "p.yml", plain)
    plain_file = cv2.FileStorage(str(tmp_path / "p.yml"), cv2.FILE_STORAGE_READ)
    bend = plain_file.getNode("distortion_coefficients").mat()
    at = np.array([[100.5, 50.5], [900.0, 500.0], [471.5, 279.25]])
    flat = (at - made.lens.middle) / made.lens.focal
    there, _ = cv2.projectPoints(np.c_[flat, np.ones(3)], np.zeros(3), np.zeros(3), matrix, bend)
    assert there.reshape(-1, 2) + 0.5 == pytest.approx(made.lens.seen(at), abs=1e-6)


@pytest.mark.parametrize("text", ["", "%YAML:1.0\n---\na: 3\n", "no yaml at all", "%YAML:1.0\n---\ncamera_matrix: [1, 2"])
def test_what_is_no_lens_is_told(tmp_path: Path, text: str) -> None:
    (tmp_path / "l.yaml").write_text(text)
    with pytest.raises(UserError, match="lens"):
        read_yaml(tmp_path / "l.yaml")
    with pytest.raises(UserError, match="not there"):
        read_yaml(tmp_path / "none.yaml")


def test_an_st_map_reads_back_and_takes_pixels_from_where_it_says(tmp_path: Path) -> None:
    size = (96, 54)
    lens = Lens(110.0, (48.0, 27.0), -0.1)
    at = lens.straight_map((54, 96))
    write_st_map(tmp_path / "st.exr", at, size)
    assert read_st_map(tmp_path / "st.exr", size) == pytest.approx(at, abs=2e-5)
    middle = Lens(110.0, (48.0, 27.0), 0.0).straight_map((54, 96))
    write_st_map(tmp_path / "same.exr", middle, size)
    import OpenImageIO as oiio

    raw = oiio.ImageBuf(str(tmp_path / "same.exr")).get_pixels(oiio.FLOAT)
    assert raw[0, 0, :2] == pytest.approx([0.5 / 96, 1 - 0.5 / 54])  # the upper left pixel: left, and near the top
    assert raw[-1, -1, :2] == pytest.approx([1 - 0.5 / 96, 0.5 / 54])
    assert math.isclose(float(raw[..., 2].max()), 0.0)


def test_another_program_s_camera_is_read_as_it_stands(tmp_path: Path) -> None:
    """Without a word of ours: 1920 px wide, its place and focal length by the schema, no points."""
    from pxr import Gf, Usd, UsdGeom

    stage = Usd.Stage.CreateNew(str(tmp_path / "other.usda"))
    stage.SetStartTimeCode(1)
    stage.SetEndTimeCode(2)
    camera = UsdGeom.Camera.Define(stage, "/shot/cam")
    camera.CreateHorizontalApertureAttr(24.0)
    camera.CreateVerticalApertureAttr(13.5)
    camera.CreateFocalLengthAttr(35.0)
    op = camera.AddTranslateOp()
    op.Set(Gf.Vec3d(1, 2, 3), 1)
    op.Set(Gf.Vec3d(1, 2, 5), 2)
    stage.GetRootLayer().Save()
    back = read_scene(tmp_path / "other.usda")
    assert back.size == (1920, 1080)
    assert (back.points.shape, back.errors.shape) == ((0, 3), (0,))
    first, second = back.cameras
    assert first.focal == pytest.approx(35 / 24 * 1920)
    assert first.middle == (960.0, 540.0)
    assert first.place == pytest.approx([1, -2, -3])
    assert second.place == pytest.approx([1, -2, -5])
    assert first.turn == pytest.approx(np.eye(3))
    assert (first.known, first.level, first.metres) == (True, False, False)
    assert math.isnan(first.error)
    points = UsdGeom.Points.Define(stage, "/shot/cloud")
    points.CreatePointsAttr([Gf.Vec3f(1, 2, -3)])
    stage.GetRootLayer().Save()
    again = read_scene(tmp_path / "other.usda")
    assert again.points == pytest.approx(np.array([[1, -2, 3]]))
    assert np.isnan(again.errors).all()


@pytest.mark.parametrize("terms", [3, 4, 5, 8])
def test_lenses_with_more_or_fewer_terms_are_read(tmp_path: Path, terms: int) -> None:
    matrix = np.array([[800.0, 0, 319.5], [0, 804.0, 239.5], [0, 0, 1]])
    out = cv2.FileStorage(str(tmp_path / "l.yaml"), cv2.FILE_STORAGE_WRITE)
    out.write("image_width", 640)
    out.write("image_height", 480)
    out.write("camera_matrix", matrix)
    out.write("distortion_coefficients", 0.01 * np.arange(1.0, terms + 1)[:, None])
    out.release()
    if terms < 4:
        with pytest.raises(UserError, match="no lens"):
            read_yaml(tmp_path / "l.yaml")
        return
    made = read_yaml(tmp_path / "l.yaml")
    assert (made.lens.focal, made.lens.middle) == (802.0, (320.0, 240.0))
    assert (made.lens.k1, made.lens.k2) == (0.01, 0.02)
    assert made.rest == (0.03, 0.04, 0.05 if terms >= 5 else 0.0)


def test_a_lens_without_numbers_is_told(tmp_path: Path) -> None:
    for focal, term in ((0.0, 0.1), (-5.0, 0.1), (800.0, float("nan"))):
        out = cv2.FileStorage(str(tmp_path / "l.yaml"), cv2.FILE_STORAGE_WRITE)
        out.write("camera_matrix", np.array([[focal, 0, 1.0], [0, focal, 1.0], [0, 0, 1]]))
        out.write("distortion_coefficients", np.array([[term, 0, 0, 0, 0]]))
        out.release()
        with pytest.raises(UserError, match="focal length or with terms"):
            read_yaml(tmp_path / "l.yaml")
