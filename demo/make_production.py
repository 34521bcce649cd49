"""Make the production 'The Kite Post' around its plates. Run it again after the document's format has changed.

python demo/make_production.py
"""

from __future__ import annotations

import shutil
from pathlib import Path

import built
import hand
import kite
import rigs
import take
from station import BOARD, LAMP, SIGN, STACK, paint_board, paint_lamp, paint_sign, paint_stack, worked
from station import plates as station_plates

from transmixis.core.progress import Progress
from transmixis.shot.document import Document
from transmixis.shot.model import Cue, Film, Plate, Production, Role, Shot
from transmixis.shot.office import Agreement, Scenario, Work, Worker
from transmixis.shot.planning.work import as_finished, with_work_from_order
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
    "KP090": ("The letter held up", ("hero/KP090_hero.mp4",)),
    "KP100": ("The courier comes home", ("hero/KP100_hero.mp4", "clean/KP100_clean.0001.png")),
    "KP110": ("Past the road sign", ("hero/KP110_hero.mp4",)),
    "KP120": ("The microphone dips in", ("hero/KP120_hero.mp4",)),
}
# two shots that are still to be filmed: planned, scheduled, no plates yet
TO_FILM = {"KP070": ("Storm over the station", 72), "KP080": ("Last post", 60)}
HOURS = {
    "KP060": (11.0, 0.0),
    "KP130": (9.0, 9.0),
    "KP140": (3.0, 3.0),
    "KP150": (5.0, 5.0),
    "KP160": (4.0, 4.0),
    "KP170": (5.0, 5.0),
}  # without tasks of its own; the others' hours come from their work
MARA, ILSE = "Mara", "Ilse"
PEOPLE = (
    Worker(name=MARA, week=(6, 6, 6, 6, 6, 0, 0), off=("2026-05-25",)),
    Worker(name=ILSE, week=(4, 4, 4, 4, 0, 0, 0), does=("Plan", "Survey", "Matte", "Repair", "Check", "Hand over")),
)
SCENARIOS = (
    Scenario(name="class version", deadline="2026-06-05", quality=0.5, review_days=1),
    Scenario(name="festival version", deadline="2026-07-17", quality=0.9, review_days=2),
)
SKARN = {"latitude": 57.6, "longitude": -5.8}
PLANS: dict[str, dict[str, dict[str, object]]] = {
    "KP010": {
        "takes": {"camera": "locked off", "tricks": ["replace the background", "attach an element to a hand or tool"]},
        "screen": {"cloth": "green", "distance": 1.5, "wide": 2.4, "high": 1.8, "colours": ["light skin", "red coat", "navy wool", "brass"]},
        "lens": {"focal": 46.0, "distance": 6.0, "size": 1.4, "depth": 0.2},
        "shutter": {"crossing": 7.5, "angle": 172.8},
        "estimate": {"edge": 1.2, "motion": 0.4, "blur": 0.5, "layers": 3},
    },
    "KP020": {
        "takes": {"camera": "moving", "tricks": ["extend the set"]},
        "markers": {"motion": "camera", "wide": 160.0, "high": 90.0, "size": 3.0, "distance": 4.0, "surface": "brown wood", "speed": 0.2},
        "estimate": {"edge": 0.8, "motion": 0.4, "layers": 2},
    },
    "KP030": {
        "takes": {"camera": "locked off", "tricks": ["remove a rig, person, sign, marker or reflection", "miniature"]},
        "fix": {"what": "the stand and the rod", "repair": "clean plate patch", "minutes": 8.0, "people": 3.0, "edge": 0.4},
        "timing": {"what": "swing", "height": 0.2, "angle": 12.0, "metre": 400.0},
        "estimate": {"edge": 0.6, "motion": 0.3, "layers": 2},
    },
    "KP040": {
        "takes": {"camera": "locked off", "tricks": ["time lapse", "replace the sky or a window"]},
        "shadow": {**SKARN, "first_hour": 10.7, "second_hour": 12.3},
        "estimate": {"edge": 0.5, "motion": 0.1},
    },
    "KP050": {
        "takes": {"camera": "moving", "tricks": ["remove a rig, person, sign, marker or reflection"]},
        "fix": {"what": "the dust on the sensor", "repair": "paint", "minutes": 2.0, "people": 3.0, "edge": 0.1},
        "estimate": {"edge": 0.2, "motion": 0.4},
    },
    "KP060": {
        "takes": {"camera": "locked off", "tricks": ["join two takes", "duplicate a performer"]},
        "lens": {"focal": 46.0, "distance": 6.0, "size": 1.4, "depth": 0.3},
    },
    "KP140": {"timing": {"what": "launch out of frame", "start": 10.0}},
    "KP090": {
        "takes": {"camera": "hand-held", "tricks": ["attach an element to a hand or tool"]},
        "shutter": {"crossing": 2.4, "angle": 180.0},
        "estimate": {"edge": 0.2, "motion": 0.5, "blur": 0.4},
    },
    "KP100": {
        "takes": {"camera": "locked off", "tricks": ["replace the background"]},
        "estimate": {"edge": 1.2, "motion": 0.4, "blur": 0.5, "layers": 2},
    },
    "KP110": {
        "takes": {"camera": "moving", "tricks": ["remove a rig, person, sign, marker or reflection"]},
        "fix": {"what": "the road sign", "repair": "clean plate patch", "minutes": 20.0, "people": 3.0, "edge": 0.4},
        "estimate": {"edge": 0.4, "motion": 0.6, "blur": 0.4},
    },
    "KP120": {
        "takes": {"camera": "locked off", "tricks": ["remove a rig, person, sign, marker or reflection"]},
        "fix": {"what": "the microphone on its pole", "repair": "clean plate patch", "minutes": 4.0, "people": 3.0, "edge": 0.2},
        "estimate": {"edge": 0.2, "motion": 0.3},
    },
    "KP070": {
        "takes": {"camera": "locked off", "tricks": ["miniature", "light that the added thing gives", "replace the background"]},
        "miniature": {"real": 9.0, "model": 1.5, "distance": 24.0, "flows": "water", "stop": 2.8},
        "setups": {
            "first_focal": 35.0, "first_distance": 24.0, "first_height": 3.0, "first_tilt": 2.0, "second_focal": 35.0,
            "second_distance": 4.0, "second_height": 0.5, "second_tilt": 2.0, "scale": 6.0,
        },
        "estimate": {"edge": 2.0, "motion": 0.6, "blur": 0.5, "layers": 4},
    },
    "KP080": {
        "takes": {"camera": "pan or tilt", "tricks": ["float or throw an object", "replace the sky or a window"]},
        "timing": {"what": "throw", "speed": 4.0, "angle": 60.0, "drag": 3.0, "start": 12.0},
        "estimate": {"edge": 0.35, "motion": 0.4, "layers": 2},
    },
}  # fmt: skip
WAITS = {"KP070": ("2026-06-01", "storm plate"), "KP080": ("2026-05-22", "shoot of the cliff")}
DUE = {"KP010": "2026-05-22", "KP020": "2026-05-29", "KP030": "2026-05-29"}
# hours that tasks have taken so far, and the day they were done
SPENT: dict[str, dict[str, tuple[float, str]]] = {
    "KP010": {"key": (4.2, "2026-05-06"), "track": (3.1, "2026-05-07"), "roto": (2.0, "")},
    "KP020": {"camera_solve": (4.0, "2026-05-08")},
    "KP030": {"clean_plate_patch": (2.4, "2026-05-10")},
    "KP050": {"clean_plate_patch": (1.6, "2026-05-11")},
}
SAID: dict[str, tuple[Agreement, ...]] = {
    "KP010": (
        Agreement(
            who="director", when="2026-05-04", shown="brief and two stills", said="The letter must glow before the arm is up."
        ),
        Agreement(
            who="post supervisor", when="2026-05-04", shown="brief", said="Fine with the clean plate; film the cloth alone."
        ),
        Agreement(who="producer", when="2026-05-05", shown="brief", said="Two days at most.", answer="agreed if"),
    ),
    "KP070": (
        Agreement(
            who="director", when="2026-05-08", shown="drawing of the storm", said="Needed: it is why the kite tears loose."
        ),
        Agreement(
            who="producer",
            when="2026-05-08",
            shown="brief",
            said="Only if the water tank can be had for one day.",
            answer="agreed if",
        ),
    ),
}
RENDERED = ("KP010", "KP020", "KP030", "KP090")  # coded with the camera's curve; see demo/bake/README.md. The others are sRGB
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
        for code in sorted((*SHOTS, *TO_FILM, *built.TITLES)):
            if code in built.TITLES:
                doc.change_shot(f"Add {code}", _planned(built.made(code)))
            elif code in SHOTS:
                _add(doc, code, *SHOTS[code])
            else:
                title, length = TO_FILM[code]
                shot = Shot(code=code, title=title, length=length, rate="24", width=960, height=540)
                doc.change_shot(f"Add {code}", _planned(shot))
        office = {"people": PEOPLE, "scenarios": SCENARIOS, "scenario": "class version", "day": "2026-05-12"}
        doc.apply("People and dates", doc.film.model_copy(update={"production": doc.film.production.model_copy(update=office)}))
        for path in sorted((FILM / "elements").glob("*.mp4")):
            taken = {e.id for e in doc.film.shelf.elements}
            element = measure_element(doc.folder, path, taken, (), Progress())
            doc.apply(f"Put {element.name} on the shelf", with_element(doc.film, element))
    finally:
        doc.close()
    (FILM / "log.jsonl").write_text(
        '{"when": "2026-05-11T09:00:00", "kind": "made", "shot": "", "text": "Production made: 15 shots with plates, 2 to be filmed.", "data": {}}\n'
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
    shot = _planned(survey_others(first_work_order(shot, keyed=code == "KP010"), moving))
    if code == "KP020":
        paint_board(FILM / BOARD)
        paint_stack(FILM / STACK)
        paint_sign(FILM / SIGN)
        paint_lamp(FILM / LAMP)
        shot = worked(shot.model_copy(update={"plates": (*shot.plates, *station_plates())}))
    if code == "KP090":
        shot = hand.worked(shot.model_copy(update={"plates": (*shot.plates, *hand.plates())}))
    if code == "KP030":
        shot = kite.worked(shot)
    if code == "KP100":
        shot = take.worked(shot.model_copy(update={"plates": (*shot.plates, *take.plates())}))
    if code == "KP110":
        shot = rigs.sign(shot)
    if code == "KP120":
        shot = rigs.pole(shot)
    if code == "KP010":
        shot = rigs.swept(shot)
        shot = shot.model_copy(
            update={"cues": (Cue(frame=6, name="arm up"), Cue(frame=19, name="letter shown"), Cue(frame=33, name="arm down"))}
        )
    doc.change_shot(f"Add {code}", shot)


def _worked(w: Work, shot: Shot, film: Film, spent: float, day: str) -> Work:
    """A task with the hours it took, done if there is a day."""
    w = w.model_copy(update={"spent": spent})
    return as_finished(w, shot, film, day) if day else w


def _planned(shot: Shot) -> Shot:
    """The shot with its plan, its tasks and what they took, its dates and what was said of it."""
    code = shot.code
    due, waits = DUE.get(code, ""), WAITS.get(code, ("", ""))
    shot = shot.model_copy(
        update={
            "plan": PLANS.get(code, {}),
            "due": due,
            "plates_due": waits[0],
            "waits_for": waits[1],
            "agreements": SAID.get(code, ()),
        }
    )
    if code in HOURS:
        return shot.model_copy(update={"hours_estimate": HOURS[code][0], "hours_spent": HOURS[code][1]})
    shot = with_work_from_order(shot)
    taken = SPENT.get(code, {})
    film = Film(production=Production(name="", scenarios=SCENARIOS))
    work = tuple(_worked(w, shot, film, *taken[w.id]) if w.id in taken else w for w in shot.work)
    assert {w.id for w in work} >= set(taken), f"{code}: {set(taken) - {w.id for w in work}} is no task of it"
    return shot.model_copy(update={"work": work})


def _named(plate: Plate) -> Plate:
    names = {"KP060_first": "first take", "KP060_second": "second take"}
    return plate.model_copy(update={"name": names.get(Path(plate.path).stem, plate.role)})


if __name__ == "__main__":
    main()
