"""Make the production 'The Kite Post' around its plates. Run it again after the document's format has changed.

python demo/make_production.py
"""

from __future__ import annotations

import shutil
from pathlib import Path

from transmixis.core.progress import Progress
from transmixis.shot.document import Document
from transmixis.shot.model import Cue, Plate, Role
from transmixis.shot.shelf import measure_element, with_element
from transmixis.shot.workorder import first_work_order, new_shot, plate_from, survey_others

HERE = Path(__file__).resolve().parent
FILM = HERE / "kite_post"
SHOTS = {
    "KP010": (
        "Courier at the ledge",
        ("hero/KP010_hero.1001.png", "clean/KP010_clean.0001.png", "background/KP010_background.mp4"),
    ),
    "KP020": ("Along the station", ("hero/KP020_hero.mp4",)),
    "KP030": ("The letter kite", ("hero/KP030_hero.mp4", "clean/KP030_clean.0001.png")),
    "KP040": ("Morning to noon", ("hero/KP040_hero.mp4",)),
    "KP050": ("Station in the dust", ("hero/KP050_hero.mp4",)),
    "KP060": ("Courier, two takes", ("first/KP060_first.mp4", "second/KP060_second.mp4")),
}
HOURS = {
    "KP010": (14.5, 9.0), "KP020": (22.0, 1.5), "KP030": (18.0, 1.0), "KP040": (6.0, 0.0), "KP050": (9.0, 0.0), "KP060": (11.0, 0.0),
}  # fmt: skip
PLANS: dict[str, dict[str, dict[str, object]]] = {
    "KP010": {
        "takes": {"camera": "locked off", "tricks": ["replace the background", "attach an element to a hand or tool"]},
        "lens": {"focal": 46.0, "distance": 6.0, "size": 1.4, "depth": 0.2},
        "shutter": {"crossing": 7.5, "angle": 172.8},
    },
    "KP030": {"takes": {"camera": "locked off", "tricks": ["remove a rig, person, sign, marker or reflection", "miniature"]}},
    "KP040": {
        "takes": {"camera": "locked off", "tricks": ["time lapse"]},
        "shadow": {"latitude": 57.6, "longitude": -5.8, "first_hour": 10.7, "second_hour": 12.3},
    },
}
RENDERED = ("KP010", "KP020", "KP030")  # coded with the camera's curve; see demo/bake/README.md. The others are sRGB
ROLES: dict[str, Role] = {"KP060_second": "element"}


def main() -> None:
    """Write production.json and every shot.json."""
    for old in ("production.json", "shelf.json", "log.jsonl", ".lock.json"):
        (FILM / old).unlink(missing_ok=True)
    for folder in ("shots", "analysis"):
        shutil.rmtree(FILM / folder, ignore_errors=True)
    work = HERE / "making"
    shutil.rmtree(work, ignore_errors=True)
    doc = Document.create(work, "The Kite Post", "24")
    doc.close()
    for item in work.iterdir():
        if not item.name.startswith("."):
            shutil.move(item, FILM / item.name)
    shutil.rmtree(work)
    doc = Document.open(FILM)
    try:
        for code, (title, files) in SHOTS.items():
            _add(doc, code, title, files)
        for path in sorted((FILM / "elements").glob("*.mp4")):
            taken = {e.id for e in doc.film.shelf.elements}
            element = measure_element(doc.folder, path, taken, (), Progress())
            doc.apply(f"Put {element.name} on the shelf", with_element(doc.film, element))
    finally:
        doc.close()
    (FILM / "log.jsonl").write_text(
        '{"when": "2026-05-11T09:00:00", "kind": "made", "shot": "", "text": "Production made from the plates of 6 shots.", "data": {}}\n'
    )


def _add(doc: Document, code: str, title: str, files: tuple[str, ...]) -> None:
    shot = None
    moving: list[str] = []
    for name in files:
        path = FILM / "plates" / code / name
        plate, info = plate_from(doc.folder, path, shot, ROLES.get(path.stem))
        plate = plate.model_copy(update={"space": "camera 709" if code in RENDERED else "sRGB"})
        moving += [plate.id] if info.count > 1 else []
        shot = (
            shot.model_copy(update={"plates": (*shot.plates, _named(plate))})
            if shot
            else new_shot(code, title, info, _named(plate), "24")
        )
    assert shot is not None
    estimate, spent = HOURS[code]
    shot = survey_others(first_work_order(shot, keyed=code == "KP010"), moving)
    shot = shot.model_copy(update={"hours_estimate": estimate, "hours_spent": spent, "plan": PLANS.get(code, {})})
    if code == "KP010":
        shot = shot.model_copy(
            update={"cues": (Cue(frame=6, name="arm up"), Cue(frame=19, name="letter shown"), Cue(frame=33, name="arm down"))}
        )
    doc.change_shot(f"Add {code}", shot)


def _named(plate: Plate) -> Plate:
    names = {"KP060_first": "first take", "KP060_second": "second take"}
    return plate.model_copy(update={"name": names.get(Path(plate.path).stem, plate.role)})


if __name__ == "__main__":
    main()
