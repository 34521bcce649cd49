"""The command line: every measuring and computing job, with or without a window.

Exit codes: 0 done, 1 failed with one line that says why, 2 wrong usage, 3 done with findings over the limit (--strict).
"""

from __future__ import annotations

import contextlib
import os
import sys
from functools import partial
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import ValidationError

from transmixis import __version__
from transmixis.cli.common import Json, Overwrite, Strict, app, errors, out, show, with_bar
from transmixis.core.errors import Cancelled, UserError, bounded
from transmixis.core.progress import Progress
from transmixis.core.readings import FAULT
from transmixis.demo import copy_demo
from transmixis.media.files import said, why
from transmixis.media.sequence import MOST_FRAMES, is_movie
from transmixis.media.source import SourceInfo, open_source
from transmixis.shot.contract import SurveyKind
from transmixis.shot.cutjob import reading_dict
from transmixis.shot.deliver import deliver
from transmixis.shot.document import Document
from transmixis.shot.keyjob import KeyJob, run_key
from transmixis.shot.model import ROLES, Plate, Shot
from transmixis.shot.record import words_of
from transmixis.shot.render import Renderer, output_ref
from transmixis.shot.session import Session
from transmixis.shot.steps import kind_of
from transmixis.shot.surveyjob import report_text, survey_report
from transmixis.shot.workorder import new_shot, planned_shot, plate_from, with_plates


@app.command()
def demo(
    into: Annotated[Path | None, typer.Option(help="Where to put the copy of the demo film.")] = None,
    headless: Annotated[
        bool, typer.Option("--headless", help="No window: render the first shot and save a picture of the window.")
    ] = False,
    as_json: Json = False,
) -> None:
    """Copy the demo film and open it."""
    folder = copy_demo(into or Path.home() / "Transmixis" / "The Kite Post")
    if not headless:
        _open_window(folder, first_shot=True)
        return
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    target = folder / "delivered" / "KP010.####.png"
    session = Session.open(folder)
    try:
        shot = session.document.film.shots[0]
        ref = output_ref(shot)
        assert ref is not None
        report = with_bar(lambda p: deliver(session.renderer(shot.code), ref, target, range(1, shot.length + 1), p))
    finally:
        session.close()
    from transmixis.desk.snapshot import save_window_picture  # only here and in `open` is Qt wanted

    picture = folder / "delivered" / "window.png"
    save_window_picture(folder, shot.code, picture)
    show(as_json, {"production": str(folder), "frames": report.made + report.kept, "sequence": report.path, "window": str(picture)},
          f"Rendered {report.made + report.kept} frames to {report.path}\nPicture of the window: {picture}")  # fmt: skip


def _open_window(folder: Path | None, *, first_shot: bool = False) -> None:
    from transmixis.desk.app import run

    raise typer.Exit(run(folder, first_shot=first_shot))


@app.command(name="open")
def open_(folder: Annotated[Path | None, typer.Argument(help="A production's folder.")] = None) -> None:
    """Open the window, with a production if one is given."""
    _open_window(folder)


@app.command()
def new(
    folder: Annotated[Path, typer.Argument(help="A new or empty folder.")],
    name: Annotated[str, typer.Option(help="The film's name; else the folder's.")] = "",
    rate: Annotated[str, typer.Option(help="Frames a second, e.g. 24, 25 or 30000/1001.")] = "24",
    as_json: Json = False,
) -> None:
    """Make a new production."""
    doc = Document.create(folder, name or folder.resolve().name, rate)
    doc.close()
    show(as_json, {"production": str(folder)}, f"Made the production '{doc.film.production.name}' in {folder}")


def _many(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"


@app.command()
def add(
    project: Annotated[Path, typer.Argument(help="A production's folder.")],
    code: Annotated[str, typer.Argument(help="The shot's code, e.g. KP010; made if it is not there.")],
    plates: Annotated[list[Path], typer.Argument(help="Movies, sequences or stills.")],
    role: Annotated[str, typer.Option(help=f"For all of them: {', '.join(ROLES)}; else guessed from the names.")] = "",
    title: Annotated[str, typer.Option(help="The shot's title.")] = "",
    as_json: Json = False,
) -> None:
    """Add plates to a shot; a new shot gets a first work order."""
    if role and role not in ROLES:
        raise UserError(f"'{role}' is not a role; use one of {', '.join(ROLES)}.")
    doc = Document.open(project)
    try:
        so_far = next((s for s in doc.film.shots if s.code == code), None)
        found: list[tuple[Plate, SourceInfo]] = []
        for path in plates:  # roles are guessed beside what is there already
            plate, info = plate_from(doc.folder, path, so_far, role or None, look=True)
            found.append((plate, info))
            so_far = so_far or new_shot(code, title, info, plate, doc.film.production.rate).model_copy(update={"plates": ()})
            so_far = so_far.model_copy(update={"plates": (*so_far.plates, plate)})
        shot = with_plates(doc.film, code, title, found)
        doc.change_shot(f"Add plates to {code}", shot)
        doc.log.add("plates", f"{len(plates)} plates added to {code}.", code)
    finally:
        doc.close()
    data = {"shot": code, "plates": [p.model_dump() for p in shot.plates], "steps": [s.kind for s in shot.steps]}
    lines = [f"{p.id}: {p.role}, {p.path}" for p in shot.plates]
    show(
        as_json,
        data,
        f"Shot {code} has {_many(len(shot.plates), 'plate')} and {_many(len(shot.steps), 'step')}\n" + "\n".join(lines),
    )


@app.command()
def shot(
    project: Annotated[Path, typer.Argument(help="A production's folder.")],
    code: Annotated[str, typer.Argument(help="The new shot's code, e.g. KP100.")],
    title: Annotated[str, typer.Option(help="What happens in it.")] = "",
    frames: Annotated[int, typer.Option(min=1, max=MOST_FRAMES, help="Its length.")] = 48,
    plates_due: Annotated[
        str, typer.Option(help="The day on which its plates come in, like 2026-05-22; until then it stands in no day.")
    ] = "",
    waits_for: Annotated[str, typer.Option(help="What it waits for.")] = "",
    as_json: Json = False,
) -> None:
    """Make a shot that is still to be filmed, to be planned; plates are added later."""
    doc = Document.open(project)
    try:
        made = planned_shot(doc.film, code, title, frames, plates_due, waits_for)
        doc.change_shot(f"Add {code}", made)
    finally:
        doc.close()
    show(as_json, {"shot": code, "frames": made.length}, f"Made the shot {code}, {made.length} frames, to be filmed")


@app.command()
def survey(
    plates: Annotated[list[Path], typer.Argument(help="Movies, sequences or one of their files.")],
    clean: Annotated[Path | None, typer.Option(help="A clean plate: a still, a sequence or a movie of the empty view.")] = None,
    space: Annotated[str | None, typer.Option(help="Colour space; else guessed.")] = None,
    as_json: Json = False,
    strict: Strict = False,
) -> None:
    """Say what plates can bear: camera, exposure, timing, sharpness, noise, dust, edges, flashes, and the screen if there is one."""
    reports = [with_bar(partial(survey_report, path, clean, space)) for path in plates]
    data = reports[0] if len(reports) == 1 else {"plates": reports}
    show(as_json, data, "\n\n".join(report_text(r) for r in reports))
    for r in reports:
        _exit_if_strict(strict, r["frames"])


def _measure_all(renderer: Renderer, progress: Progress) -> list[dict[str, Any]]:
    shot, table = renderer.shot, list[dict[str, Any]]()
    for step in shot.steps:  # first every frame is looked at, then each is judged by all
        kind = kind_of(step.kind)
        if step.on and isinstance(kind, SurveyKind):
            with contextlib.suppress(UserError):
                renderer.surveys.whole(renderer, step.inputs.get(kind.slots[0].name, ""), progress)
    for n in range(1, shot.length + 1):
        progress.at(n - 1, shot.length, f"frame {n} of {shot.length}")
        row = {s.id: [reading_dict(r) for r in renderer.measure(s.id, n)] for s in shot.steps}
        table.append({"frame": n, "steps": row})
    return table


def _value(r: dict[str, Any]) -> str:
    return f"not measured ({r.get('note', '')})" if r["value"] is None else f"{r['value']:.3g} {r['unit']} of {r['limit']:.3g}"


def _worst_lines(step: str, table: list[dict[str, Any]]) -> list[str]:
    worst: dict[str, tuple[float, int, dict[str, Any]]] = {}
    unknown = 0
    for row in table:
        for r in row["steps"][step]:
            if r["ratio"] is None:
                unknown += 1
            elif r["name"] not in worst or r["ratio"] > worst[r["name"]][0]:
                worst[r["name"]] = (r["ratio"], row["frame"], r)
    lines = [f"{step}: {name} worst {_value(r)} at frame {n} ({r['state']})" for name, (_, n, r) in worst.items()]
    return lines + ([f"{step}: {unknown} readings could not be measured"] if unknown else [])


def _exit_if_strict(strict: bool, table: list[dict[str, Any]]) -> None:
    over = any(r["state"] == FAULT for row in table for rs in row["steps"].values() for r in rs)
    if strict and over:
        raise typer.Exit(3)


@app.command()
def key(
    plate: Annotated[Path, typer.Argument(help="The plate before the screen: a movie, a sequence or one of its files.")],
    to: Annotated[Path, typer.Option("--out", help="Folder for matte, foreground and comp.")],
    clean: Annotated[Path | None, typer.Option(help="One frame of the empty screen, or more.")] = None,
    screen: Annotated[str, typer.Option(help="auto, green or blue.")] = "auto",
    over: Annotated[Path | None, typer.Option(help="A background to put the subject over.")] = None,
    space: Annotated[str | None, typer.Option(help="Colour space of plate and clean plate; else guessed.")] = None,
    black: Annotated[float | None, typer.Option(help="Black point; else proposed.")] = None,
    white: Annotated[float | None, typer.Option(help="White point; else proposed.")] = None,
    shrink: Annotated[float | None, typer.Option(help="Edge shrink, px.")] = None,
    soften: Annotated[float | None, typer.Option(help="Edge soften, px.")] = None,
    spill: Annotated[float | None, typer.Option(help="Spill removal, 0..1.")] = None,
    garbage: Annotated[Path | None, typer.Option(help="What to keep: a .json or .svg of outlines, or a matte.")] = None,
    cache: Annotated[int, typer.Option(min=16, max=1 << 20, help="Frame cache, MB.")] = 1024,
    overwrite: Overwrite = False,
    as_json: Json = False,
    strict: Strict = False,
) -> None:
    """Key a plate: matte, despilled foreground, and the composite. Settings not given are proposed by measurement."""
    if screen not in ("auto", "green", "blue"):
        raise typer.BadParameter("use auto, green or blue", param_hint="--screen")
    given = {
        k: v
        for k, v in {"black": black, "white": white, "shrink": shrink, "soften": soften, "spill": spill}.items()
        if v is not None
    }
    job = KeyJob(plate, clean, over, screen, space, given or None, cache << 20, garbage)
    result = with_bar(lambda p: run_key(job, to, p, overwrite=overwrite))
    w = result["worst"]
    text = f"{len(result['frames'])} frames keyed to {to}; {result['screen']['kind']} screen; " + "; ".join(
        result["screen"]["notes"]
    )
    if w:
        text += f"\nnearest to its limit: {w['name']} {w['value']:.3g} {w['unit']} of {w['limit']:.3g} at frame {w['frame']}"
    for n, reason in result["failed"].items():
        text += f"\nframe {n} left out: {reason}"
    show(as_json, result, text)
    if strict and w and w["ratio"] >= 1:
        raise typer.Exit(3)


@app.command()
def render(
    project: Annotated[Path, typer.Argument(help="A production's folder.")],
    code: Annotated[str, typer.Argument(help="The shot's code.")],
    to: Annotated[
        Path, typer.Option("--out", help="name.####.exr, .png or .tif; or name.mov (ProRes), .mp4 (H.264), .mkv (FFV1).")
    ],
    frames: Annotated[str, typer.Option("--range", help="First and last frame, e.g. 10-48.")] = "",
    step: Annotated[str, typer.Option(help="Which step to render; else the shot's output.")] = "",
    resume: Annotated[bool, typer.Option("--resume/--afresh", help="Keep finished frames of a cut-off render.")] = True,
    cache: Annotated[int, typer.Option(min=16, max=1 << 20, help="Frame cache, MB.")] = 1024,
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Render a shot to a sequence or a movie."""
    session = Session.open(project, cache << 20, read_only=True)
    try:
        shot = session.document.shot(code)
        ref = f"step:{step}" if step else output_ref(shot)
        if ref is None:
            raise UserError(f"Shot {code} has nothing to render; add plates first.")
        report = with_bar(
            lambda p: deliver(session.renderer(code), ref, to, _range(frames, shot), p, resume=resume, overwrite=overwrite)
        )
    finally:
        session.close()
    text = f"{report.made} frames made, {report.kept} kept from before: {report.path}"
    text += f"\n{report.sound}" if report.sound else ""
    text += "".join(f"\nframe {n} could not be made: {why}" for n, why in report.failed.items())
    show(as_json, report.__dict__, text)
    if report.failed:
        raise typer.Exit(1)


def _range(text: str, shot: Shot) -> range:
    if not text:
        return range(1, shot.length + 1)
    a, _, b = text.partition("-")
    try:
        first, last = int(a), int(b or a)
    except ValueError:
        raise UserError(f"'{text}' is not a range; write it like 10-48.") from None
    if not 1 <= first <= last <= shot.length:
        raise UserError(f"The range {text} does not lie within the shot's frames 1-{shot.length}.")
    return range(first, last + 1)


@app.command()
def check(
    project: Annotated[Path, typer.Argument(help="A production's folder.")],
    code: Annotated[str, typer.Argument(help="The shot's code; else all.")] = "",
    as_json: Json = False,
    strict: Strict = False,
) -> None:
    """Measure every step on every frame, and list what is over its limit."""
    session = Session.open(project, read_only=True)
    tables: dict[str, list[dict[str, Any]]] = {}
    try:
        for shot in [session.document.shot(code)] if code else session.document.film.shots:
            renderer = session.renderer(shot.code)
            tables[shot.code] = with_bar(partial(_measure_all, renderer))
    finally:
        session.close()
    lines = []
    for name, table in tables.items():
        lines.append(f"{name}: {len(table)} frames")
        for step in table[0]["steps"] if table else []:
            lines += ["  " + line for line in _worst_lines(step, table)]
    show(as_json, tables, "\n".join(lines))
    for table in tables.values():
        _exit_if_strict(strict, table)


@app.command()
def info(path: Annotated[Path, typer.Argument(help="A movie, a sequence or a still.")], as_json: Json = False) -> None:
    """Say what a recording is: size, rate, colour space, holes."""
    i = open_source(path).info
    data = {**i.__dict__, "rate": str(i.rate) if i.rate else None, "movie": is_movie(path)}
    show(as_json, data, "\n".join(f"{k}: {v}" for k, v in data.items()))


def _version(value: bool) -> None:
    if value:
        out.print(__version__)
        raise typer.Exit


@app.callback()
def _common(
    version: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True, help="Say the version.")] = False,
) -> None:
    """Measured compositing for short film shots."""


def main(args: list[str] | None = None) -> None:
    """Run the command line (with `args`; else what was typed); whatever goes wrong becomes one line and exit code 1."""
    try:
        app(args)
    except UserError as e:
        _fail(str(e))
    except Cancelled:
        _fail("Cancelled.")
    except ValidationError as e:
        _fail(f"What was given cannot be used: {words_of(e)}.")
    except OSError as e:
        _fail(f"{said(e.filename or 'A file')}: {why(e)}; check that it is there and may be written.")
    except MemoryError:
        _fail("There is not enough memory for this; give smaller frames, or a smaller --cache.")
    except Exception as e:  # a fault of ours: one line for people, the details for those who ask for them
        if os.environ.get("TRANSMIXIS_DETAILS"):
            raise
        _fail(f"Something went wrong inside the program ({type(e).__name__}: {why(e)}); set TRANSMIXIS_DETAILS=1 to see where.")


def _fail(words: str) -> None:
    errors.print(bounded(said(words)), markup=False, soft_wrap=True)
    sys.exit(1)


import transmixis.cli.build  # noqa: E402
import transmixis.cli.lens  # noqa: E402
import transmixis.cli.mattes  # noqa: E402
import transmixis.cli.parts  # noqa: E402
import transmixis.cli.plan  # noqa: E402
import transmixis.cli.plates  # noqa: E402  (its commands join the application)
import transmixis.cli.presets  # noqa: E402
import transmixis.cli.repairs  # noqa: E402
import transmixis.cli.shelf  # noqa: E402
import transmixis.cli.steps  # noqa: E402
import transmixis.cli.track  # noqa: E402, F401
