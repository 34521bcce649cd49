"""The plan command: questions before the shoot, answered without a window."""

from __future__ import annotations

import os
from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, Overwrite, app, show
from transmixis.core.errors import UserError
from transmixis.core.plan.takes import TRICKS
from transmixis.media.files import said, write_atomically
from transmixis.media.sequence import MOST_FRAMES
from transmixis.media.source import open_source
from transmixis.shot.cutjob import reading_dict
from transmixis.shot.document import Document
from transmixis.shot.logbook import folded
from transmixis.shot.model import Film, Shot
from transmixis.shot.outputs import refuse
from transmixis.shot.planning import QUESTIONS, question_of
from transmixis.shot.planning import report as reports
from transmixis.shot.planning.contract import Answer, Question
from transmixis.shot.planning.drives import why
from transmixis.shot.planning.helps import words_for
from transmixis.shot.planning.overview import overview
from transmixis.shot.planning.picture import shot_png
from transmixis.shot.planning.report import KINDS
from transmixis.shot.planning.screen import measured_from
from transmixis.shot.planning.tasks import shots_without_files
from transmixis.shot.planning.timetable import lay_out
from transmixis.shot.session import Session
from transmixis.shot.steps.params import CLOCK, clock_words, facts

LISTS = {"tricks", "colours"}  # inputs that take several words, parted by semicolons
SAID = {"fault": "FAULT", "watch": "close", "sound": "fine ", "unknown": "open "}


@app.command()
def plan(
    question: Annotated[str, typer.Argument(help=f"One of {', '.join(QUESTIONS)}, schedule.")],
    values: Annotated[
        list[str] | None,
        typer.Argument(help="Inputs as name=value, several words parted by semicolons; without any, the inputs are listed."),
    ] = None,
    project: Annotated[Path | None, typer.Option(help="A production, whose shot's own inputs are taken first.")] = None,
    code: Annotated[str, typer.Option("--shot", help="The shot's code.")] = "",
    width: Annotated[int, typer.Option(help="Width of the frame in px, without a production.")] = 1920,
    rate: Annotated[str, typer.Option(help="Frames a second shown, without a production.")] = "24",
    frames: Annotated[int, typer.Option(min=1, max=MOST_FRAMES, help="The shot's length, without a production.")] = 48,
    still: Annotated[Path | None, typer.Option(help="For 'screen': a still on which colours are measured.")] = None,
    box: Annotated[list[str] | None, typer.Option(help="A box on it, as name:x,y,w,h; the name 'cloth' is the screen.")] = None,
    as_json: Json = False,
) -> None:
    """Answer a question before the shoot or of its hours; 'schedule' lays out a production's work."""
    if question == "schedule":
        _schedule(project, as_json)
        return
    asked = question_of(question)
    film, found = _film_of(project, code)
    shot = found or Shot(code="plan", length=frames, rate=rate, width=width, height=round(width * 9 / 16))
    given = {**shot.plan.get(question, {}), **_measured(still, box or []), **_given(asked, values or [])}
    params = asked.params(given)
    answer = asked.answer_in(params, shot, film)
    data = {
        "question": question, "inputs": params.model_dump(), "answer": answer.words, "readings": [reading_dict(r) for r in answer.readings],
        "figures": dict(answer.rows), "shoot": [asdict(e) for e in answer.entries], "cautions": list(answer.cautions),
        "proposal": asdict(answer.proposal) if answer.proposal else None,
    }  # fmt: skip
    show(as_json, data, _text(asked, answer, inputs=not values and not project))


def _film_of(project: Path | None, code: str) -> tuple[Film | None, Shot | None]:
    if project is None:
        return None, None
    doc = Document.open(project, read_only=True)
    try:
        return doc.film, next(s for s in doc.film.shots if not code or s.code == code)
    except StopIteration:
        raise UserError(f"The production has no shot '{code}'.") from None
    finally:
        doc.close()


def _measured(still: Path | None, boxes: list[str]) -> dict[str, Any]:
    """Inputs of the screen question from boxes on a still."""
    if still is None:
        return {}
    picture = open_source(still).read(1)
    named = [_box(b) for b in boxes]
    cloth = next((b for n, b in named if n == "cloth"), None)
    return measured_from(picture, tuple((n, b) for n, b in named if n != "cloth"), cloth)


def _box(text: str) -> tuple[str, tuple[int, int, int, int]]:
    name, mark, numbers = text.partition(":")
    try:
        x, y, w, h = (int(n) for n in numbers.split(","))
    except ValueError:
        raise UserError(f"'{text}' is no box; write name:x,y,w,h in px.") from None
    if not mark or min(x, y) < 0 or min(w, h) <= 0:
        raise UserError(f"'{text}' is no box; write name:x,y,w,h in px.")
    return name, (x, y, w, h)


def _schedule(project: Path | None, as_json: bool) -> None:
    """Who does what when, what drives the date, and what would help."""
    if project is None:
        raise UserError("A schedule belongs to a production; name its folder with --project.")
    film, _ = _film_of(project, "")
    assert film is not None
    table = lay_out(film, gone=shots_without_files(film, project))
    rows = [
        {"who": b.person, "shot": b.task.shot, "task": b.task.name, "hours": round(b.task.hours, 2),
         "from": table.day(b.start + 1e-3).isoformat(), "to": table.day(b.end).isoformat()}
        for b in table.schedule.blocks
    ]  # fmt: skip
    late = {code: table.working_days_late(code) for code in table.missed}
    helps = [words_for(h) for h in table.helps]
    data = {
        "from": table.start.isoformat(), "blocks": rows, "drives": table.schedule.drives, "working_days_late": late, "undated": {c: round(h, 2) for c, h in table.undated.items()},
        "done": {c: table.done_on(c).isoformat() for c in table.schedule.done}, "why": why(film, table), "helps": helps,  # type: ignore[union-attr]
    }  # fmt: skip
    lines = [f"{r['from']} to {r['to']}  {r['who']}: {r['shot']} {r['task']}, {r['hours']} h" for r in rows]
    show(as_json, data, "\n".join([*lines, why(film, table), *(f"  would help: {h}" for h in helps[:4])]))


@app.command()
def report(
    kind: Annotated[str, typer.Argument(help=f"One of {', '.join(KINDS)}.")],
    project: Annotated[Path, typer.Argument(help="A production's folder.")],
    out: Annotated[Path, typer.Option(help="Where it goes: .html, .pdf or .csv.")],
    code: Annotated[str, typer.Option("--shot", help="The shot's code, for shoot and brief.")] = "",
    overwrite: Overwrite = False,
    as_json: Json = False,
) -> None:
    """Write a report that prints: shoot list, brief, breakdown, schedule, log book."""
    refuse([out], productions=[project], overwrite=overwrite)
    session = Session.open(project, read_only=True)
    try:
        film = session.document.film
        shot = next((s for s in film.shots if s.code == code), None)
        picture = shot_png(session.renderer_for(shot)) if kind == "brief" and shot else None
        form = "csv" if out.suffix.lower() == ".csv" else "html"
        entries = folded(session.document.log.entries())
        text = reports.report(kind, film, code, overview(film, gone=shots_without_files(film, project)), entries, form, picture)
    finally:
        session.close()
    if out.suffix.lower() == ".pdf":
        _print(out, text)
    else:
        write_atomically(out, text.encode())
    show(as_json, {"report": kind, "file": str(out)}, f"Written: {out}")


def _print(out: Path, text: str) -> None:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from transmixis.desk.app import application  # only here is Qt wanted
    from transmixis.desk.printing import write_pdf

    keep = application()
    write_pdf(out, text)
    del keep


def _given(question: Question, values: list[str]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for text in values:
        name, mark, value = text.partition("=")
        if not mark or name not in question.Params.model_fields:
            names = ", ".join(question.Params.model_fields)
            raise UserError(f"'{text}' is no input of '{question.kind}'; write name=value with one of {names}.")
        out[name] = tuple(v.strip() for v in value.split(";") if v.strip()) if name in LISTS else value
    strange = [t for t in out.get("tricks", ()) if t not in TRICKS]
    if strange:
        raise UserError(f"'{said(strange[0])[:60]}' is no trick; use {'; '.join(TRICKS)} (several are parted by semicolons).")
    return out


def _written(question: Question, name: str, value: Any) -> str:
    """A value as it can be typed."""
    if facts(question.Params.model_fields[name]).get("unit") == CLOCK:
        return clock_words(value)
    return f"{value:g}" if isinstance(value, float) else str(value)


def _text(question: Question, answer: Answer, *, inputs: bool) -> str:
    lines = [f"{question.title} {answer.words}"]
    lines += [f"  {name}: {value}" for name, value in answer.rows]
    for r in answer.readings:
        value = "not measured" if r.value is None else f"{r.value:.3g} {r.unit} of {r.limit:.3g}"
        lines.append(f"  {SAID[r.state]}  {r.name} {value}; {r.note}")
    if answer.proposal:
        values = ", ".join(f"{k}={_written(question, k, v)}" for k, v in answer.proposal.values.items())
        lines.append(f"  proposal: {values}. {answer.proposal.reason}")
    lines += [f"  film: {e.what} ({e.why}){' – often forgotten' if e.forgotten else ''}" for e in answer.entries]
    lines += [f"  caution: {c}" for c in answer.cautions]
    if inputs:
        lines.append("  inputs: " + ", ".join(question.Params.model_fields))
    return "\n".join(lines)
