"""The plan command: questions before the shoot, answered without a window."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated, Any

import typer

from transmixis.cli.common import Json, app, show
from transmixis.core.errors import UserError
from transmixis.shot.document import Document
from transmixis.shot.keyjob import reading_dict
from transmixis.shot.model import Shot
from transmixis.shot.planning import QUESTIONS, question_of
from transmixis.shot.planning.contract import Answer, Question

LISTS = {"tricks", "colours"}  # inputs that take several words, parted by semicolons


@app.command()
def plan(
    question: Annotated[str, typer.Argument(help=f"One of {', '.join(QUESTIONS)}.")],
    values: Annotated[list[str] | None, typer.Argument(help="Inputs as name=value; without any, the inputs are listed.")] = None,
    project: Annotated[Path | None, typer.Option(help="A production, whose shot's own inputs are taken first.")] = None,
    code: Annotated[str, typer.Option("--shot", help="The shot's code.")] = "",
    width: Annotated[int, typer.Option(help="Width of the frame in px, without a production.")] = 1920,
    rate: Annotated[str, typer.Option(help="Frames a second shown, without a production.")] = "24",
    as_json: Json = False,
) -> None:
    """Answer a question before the shoot: takes, shutter, lens, shadow, miniature."""
    asked = question_of(question)
    shot = _shot_of(project, code) or Shot(code="plan", length=1, rate=rate, width=width, height=round(width * 9 / 16))
    given = {**shot.plan.get(question, {}), **_given(asked, values or [])}
    params = asked.params(given)
    answer = asked.answer(params, shot)
    data = {
        "question": question, "inputs": params.model_dump(), "answer": answer.words, "readings": [reading_dict(r) for r in answer.readings],
        "figures": dict(answer.rows), "shoot": [asdict(e) for e in answer.entries], "cautions": list(answer.cautions),
        "proposal": asdict(answer.proposal) if answer.proposal else None,
    }  # fmt: skip
    show(as_json, data, _text(asked, answer, inputs=not values and not project))


def _shot_of(project: Path | None, code: str) -> Shot | None:
    if project is None:
        return None
    doc = Document.open(project)
    try:
        return next(s for s in doc.film.shots if not code or s.code == code)
    except StopIteration:
        raise UserError(f"The production has no shot '{code}'.") from None
    finally:
        doc.close()


def _given(question: Question, values: list[str]) -> dict[str, Any]:
    out: dict[str, Any] = {}
    for text in values:
        name, mark, value = text.partition("=")
        if not mark or name not in question.Params.model_fields:
            names = ", ".join(question.Params.model_fields)
            raise UserError(f"'{text}' is no input of '{question.kind}'; write name=value with one of {names}.")
        out[name] = tuple(v.strip() for v in value.split(";") if v.strip()) if name in LISTS else value
    return out


def _text(question: Question, answer: Answer, *, inputs: bool) -> str:
    lines = [f"{question.title} {answer.words}"]
    lines += [f"  {name}: {value}" for name, value in answer.rows]
    for r in answer.readings:
        value = "not measured" if r.value is None else f"{r.value:.3g} {r.unit} of {r.limit:.3g}"
        lines.append(f"  {'FAULT' if r.state == 'fault' else 'fine '}  {r.name} {value}; {r.note}")
    if answer.proposal:
        lines.append(f"  proposal: {', '.join(f'{k}={v}' for k, v in answer.proposal.values.items())}. {answer.proposal.reason}")
    lines += [f"  film: {e.what} ({e.why}){' – often forgotten' if e.forgotten else ''}" for e in answer.entries]
    lines += [f"  caution: {c}" for c in answer.cautions]
    if inputs:
        lines.append("  inputs: " + ", ".join(question.Params.model_fields))
    return "\n".join(lines)
