"""The command line, run as people run it."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from clirun import here
from tinyplates import tiny_frame

from transmixis.media.source import open_source
from transmixis.shot.document import Document
from transmixis.shot.office import Scenario, Worker


def run(*args: object, code: int = 0) -> subprocess.CompletedProcess:
    done = subprocess.run(
        [sys.executable, "-m", "transmixis.cli", *map(str, args)], capture_output=True, text=True, timeout=280, check=False
    )
    assert done.returncode == code, done.stderr[-800:]
    return done


def test_new_add_render_check(tmp_path: Path, tiny_plates: Path) -> None:
    film = tmp_path / "film"
    assert json.loads(run("new", film, "--name", "Film", "--json").stdout)["production"] == str(film)
    added = json.loads(
        here(
            "add",
            film,
            "T010",
            tiny_plates / "take.####.png",
            tiny_plates / "clean_empty.png",
            tiny_plates / "background_sky.png",
            "--json",
        ).stdout
    )
    assert [p["role"] for p in added["plates"]] == ["hero", "clean", "background"]
    assert "screen_key" in added["steps"]
    here("render", film, "T010", "--out", tmp_path / "o" / "T010.####.exr", "--range", "2-4")
    again = json.loads(
        here("render", film, "T010", "--out", tmp_path / "o" / "T010.####.exr", "--range", "2-4", "--resume", "--json").stdout
    )
    assert (again["made"], again["kept"]) == (0, 3)
    here("render", film, "T010", "--out", tmp_path / "T010.mov")
    assert open_source(tmp_path / "T010.mov").info.count == 6
    table = json.loads(here("check", film, "T010", "--json").stdout)
    assert len(table["T010"]) == 6
    assert "leak" in {r["name"] for r in table["T010"][2]["steps"]["screen_key"]}
    assert "T010: 6 frames" in here("check", film).stdout
    assert "There is no shot 'X'" in here("render", film, "X", "--out", tmp_path / "x.####.png", code=1).stderr
    assert "range" in here("render", film, "T010", "--out", tmp_path / "x.####.png", "--range", "5-99", code=1).stderr


def test_key_survey_and_info_without_a_production(tmp_path: Path, tiny_plates: Path) -> None:
    out = tmp_path / "keyed"
    made = json.loads(
        run("key", tiny_plates / "take.0001.png", "--out", out, "--over", tiny_plates / "background_sky.png", "--json").stdout
    )
    assert made["screen"]["kind"] == "green"
    assert len(list(out.glob("matte.*.exr"))) == len(list(out.glob("foreground.*.exr"))) == len(list(out.glob("comp.*.exr"))) == 6
    assert json.loads((out / "readings.json").read_text())["frames"][0]["readings"]
    report = json.loads(run("survey", tiny_plates / "take.%04d.png", "--clean", tiny_plates / "clean_empty.png", "--json").stdout)
    assert len(report["frames"]) == 6
    assert report["screen"]["kind"] == "green"
    assert "green screen" in run("survey", tiny_plates / "take.0002.png").stdout
    still = json.loads(run("survey", tiny_plates / "background_sky.png", "--json").stdout)
    assert still["screen"] is None
    assert json.loads(run("info", tiny_plates, "--json").stdout)["count"] == 6


@pytest.mark.parametrize(
    ("args", "code", "words"),
    [
        (("key", "nowhere.mov", "--out", "x"), 1, "no file"),
        (("open", "--nonsense"), 2, "No such option"),
        (("key",), 2, "Missing argument"),
        (("key", "a.png", "--out", "x", "--screen", "red"), 2, "auto, green or blue"),
        (("check", "nowhere"), 1, "production.json"),
    ],
)
def test_what_is_wrong_is_one_sentence_and_the_right_code(args: tuple, code: int, words: str) -> None:
    err = run(*args, code=code).stderr
    assert words in err
    assert "Traceback" not in err


def test_key_without_a_screen_says_what_to_do(tmp_path: Path, tiny_plates: Path) -> None:
    err = run("key", tiny_plates / "background_sky.png", "--out", tmp_path / "o", code=1).stderr
    assert "No screen to key" in err
    assert len(err.strip().splitlines()) == 1


def test_strict_tells_findings_by_its_code(tmp_path: Path, tiny_plates: Path) -> None:
    from transmixis.media.still import write_still

    for n in range(1, 7):
        write_still(tiny_plates / f"take.{n:04d}.png", tiny_frame(n) * (1.0 if n < 4 else 1.4), kind="uint8")
    run("survey", tiny_plates / "take.0001.png", "--strict", code=3)


def test_demo_without_a_window(tmp_path: Path, demo_copy: Path) -> None:
    made = json.loads(run("demo", "--into", demo_copy, "--headless", "--json").stdout)
    assert made["frames"] == 4
    assert Path(made["window"]).stat().st_size > 30_000
    assert open_source(demo_copy / "delivered" / "KP010.0001.png").info.count == 4


def test_help_of_every_command() -> None:
    """In this process: every command there is, its help made from its own words."""
    from transmixis.cli import app

    names = [c.name or c.callback.__name__ for c in app.registered_commands if c.callback]
    assert {"demo", "open", "new", "add", "survey", "key", "render", "check", "info", "plan", "join"} <= {
        n.replace("_", "-") for n in names
    }
    for name in names:
        assert "Usage" in here(name, "--help").stdout


def test_mends_and_picks_on_a_plate_without_a_production(tmp_path: Path) -> None:
    from movingplates import centred, made_picture, seen

    from transmixis.media.still import write_still

    picture = made_picture(90)
    for n in range(8):
        frame = seen(picture, centred(1.2 * (n % 2), 0)) * (1.0 + 0.03 * (n % 3))
        write_still(tmp_path / f"take.{n + 1:04d}.png", np.clip(frame, 0, 1), kind="uint16")
    take = tmp_path / "take.0001.png"
    even = json.loads(here("even", take, "--out", tmp_path / "even.####.png", "--json").stdout)
    assert even["made"] == 8
    assert all(r["state"] != "fault" for f in even["frames"] for r in f["readings"])
    assert "frames made" in here("steady", take, "--out", tmp_path / "steady.####.png").stdout
    point = here("steady", take, "--out", tmp_path / "p.####.png", "--point", "nonsense", code=1).stderr
    assert "not a point" in point
    assert (
        json.loads(
            here("conform", take, "--out", tmp_path / "slow.####.png", "--speed", "0.5", "--frames", "4", "--json").stdout
        )["made"]
        == 4
    )
    here("dust", take, "--out", tmp_path / "dust.####.png", "--spot", "100,80,6")
    made = json.loads(here("cleanplate", take, "--out", tmp_path / "clean.png", "--json").stdout)
    assert Path(made["plate"]).exists()
    assert Path(made["shown"]).exists()
    assert json.loads(here("bestframe", take, "--json").stdout)["picks"][0]["frame"] >= 1
    assert json.loads(here("join", take, take, "--json").stdout)["joins"]
    fit = json.loads(here("survey", take, "--clean", tmp_path / "clean.png", "--json").stdout)["clean"]
    assert fit["gain"][0] == pytest.approx(1.0, abs=0.06)
    assert "no picture that can be written" in here("cleanplate", take, "--out", tmp_path / "x.gif", code=1).stderr


def test_the_shelf_by_command(tmp_path: Path) -> None:
    film = tmp_path / "film"
    here("new", film)
    sparks = Path(__file__).resolve().parents[1] / "demo" / "kite_post" / "elements" / "sparks.mp4"
    assert "on black" in here("shelf", "add", film, sparks, "--word", "burst").stdout
    assert json.loads(here("shelf", "list", film, "burst", "--json").stdout)["elements"][0]["first"] == 6
    assert "Nothing on the shelf fits" in here("shelf", "list", film, "snow").stdout


def test_plan_answers_questions(demo_copy: Path) -> None:
    done = here("plan", "shutter", "rate=50", "angle=90", "--json")
    data = json.loads(done.stdout)
    assert data["inputs"]["rate"] == 50
    assert {r["name"] for r in data["readings"]} == {"blur", "sharp moment", "flicker", "bands", "strobing"}
    assert "caution" in here("plan", "takes", "tricks=miniature;time lapse").stdout
    assert "inputs: " in here("plan", "lens").stdout
    assert json.loads(here("plan", "shadow", "--project", demo_copy, "--shot", "KP010", "--json").stdout)["answer"]
    assert "is no input of 'lens'" in here("plan", "lens", "colour=3", code=1).stderr
    assert "is no question" in here("plan", "weather", code=1).stderr
    assert "has no shot" in here("plan", "lens", "--project", demo_copy, "--shot", "KP999", code=1).stderr


def test_schedules_and_reports_by_command(tmp_path: Path) -> None:
    """One process for all of it: the commands are the same functions."""
    film = tmp_path / "film"

    def told(*args: object, code: int = 0) -> str:
        done = here(*args, code=code)
        return done.stdout + done.stderr

    told("new", film)
    assert "to be filmed" in told("shot", film, "N010", "--title", "Letter", "--frames", 36, "--plates-due", "2026-05-12")
    assert "already" in told("shot", film, "N010", code=1)
    doc = Document.open(film)
    people = (Worker(name="Mara"),)
    scenarios = (Scenario(name="class version", deadline="2026-05-12"),)
    office = {"people": people, "scenarios": scenarios, "day": "2026-05-12"}
    shot = doc.film.shots[0].model_copy(update={"hours_estimate": 30.0})
    film_now = doc.film.with_shot(shot)
    doc.apply("people", film_now.model_copy(update={"production": film_now.production.model_copy(update=office)}))
    doc.close()
    data = json.loads(told("plan", "schedule", "--project", film, "--json"))
    assert data["drives"] == "N010"
    assert data["working_days_late"] == {"N010": 3}
    assert data["blocks"][0]["who"] == "Mara"
    assert "Mara: N010" in told("plan", "schedule", "--project", film)
    for name in ("schedule.html", "breakdown.csv", "shoot.pdf", "brief.html", "log.csv"):
        told("report", name.split(".")[0], film, "--shot", "N010", "--out", tmp_path / name)
        assert (tmp_path / name).stat().st_size > 10
    assert (tmp_path / "shoot.pdf").read_bytes().startswith(b"%PDF")
    still = Path(__file__).resolve().parents[1] / "demo" / "kite_post" / "plates" / "KP010" / "hero" / "KP010_hero.1001.png"
    boxes = ("--box", "coat:440,330,60,60", "--box", "cloth:30,30,200,300")
    found = json.loads(told("plan", "screen", "--still", still, *boxes, "--json"))
    assert found["inputs"]["measured"][0]["name"] == "coat"
    assert next(r for r in found["readings"] if r["name"] == "separation")["value"] > 8
    for wrong, words in (("coat", "no box"), ("coat:1,2,3", "no box"), ("coat:1,2,0,4", "no box"), ("coat:1,2,2,2", "too small")):
        assert words in told("plan", "screen", "--still", still, "--box", wrong, code=1)
    assert "belongs to a production" in told("plan", "schedule", code=1)
