"""The shoot list of a shot as a page that prints on one sheet."""

from __future__ import annotations

from html import escape

from transmixis.shot.model import Shot
from transmixis.shot.planning.contract import Answer

STYLE = (
    "body{font:11pt sans-serif;margin:2cm;color:#1e1e1e}h1{font-size:16pt}h2{font-size:12pt;margin:1.2em 0 .3em}"
    "td{padding:3pt 8pt 3pt 0;vertical-align:top;border-bottom:1px solid #ccc}.box{width:12pt}.why{color:#5a5a5a}"
    "@page{size:A4;margin:1.5cm}"
)


def shoot_list_html(shot: Shot, answers: list[tuple[str, Answer]]) -> str:
    """The shoot list, the answers it rests on, and the cautions; `answers` are (question, answer)."""
    entries = list({e.what: e for _, a in answers for e in a.entries}.values())
    rows = "".join(
        f"<tr><td class=box>{'☒' if e.what in shot.ticked else '☐'}</td><td>{_strong(e.what, e.forgotten)}</td>"
        f"<td class=why>{escape(e.why)}</td></tr>"
        for e in entries
    )
    found = "".join(f"<tr><td>{escape(q)}</td><td>{escape(a.words)}</td></tr>" for q, a in answers)
    cautions = "".join(f"<li>{escape(c)}</li>" for c in dict.fromkeys(c for _, a in answers for c in a.cautions))
    title = escape(f"{shot.code} {shot.title}".strip())
    return (
        f"<!doctype html><html lang=en><meta charset=utf-8><title>Shoot list {title}</title><style>{STYLE}</style>"
        f"<h1>Shoot list: {title}</h1><table>{rows}</table><h2>What it rests on</h2><table>{found}</table>"
        + (f"<h2>Cautions</h2><ul>{cautions}</ul>" if cautions else "")
        + "</html>\n"
    )


def _strong(words: str, strong: bool) -> str:
    return f"<b>{escape(words)}</b>" if strong else escape(words)
