"""What all reports are made of: pages from templates, tables also as CSV, and one way to write a date."""

from __future__ import annotations

import base64
import csv
import io
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined

from transmixis.shot.planning.dates import long_day

STYLE = (
    "body{font-family:sans-serif;font-size:10pt;margin:2cm;color:#1e1e1e}h1,h2,b{font-weight:600}h1{font-size:16pt}h2{font-size:12pt;margin:1.2em 0 .3em}"
    "table{border-collapse:collapse;width:100%}td,th{vertical-align:top;text-align:left;border-bottom:1px solid #cccccc}"
    "th{color:#5a5a5a;font-weight:normal}.box{width:12pt}.why{color:#5a5a5a}.late{color:#a33e00;font-weight:bold}"
    "table.together{page-break-inside:avoid;margin-top:1em}h2{page-break-after:avoid}"
    "@page{size:A4;margin:1.5cm}@media print{body{margin:0}}"
)


@dataclass(frozen=True)
class Table:
    """A table: its heads and rows of plain values."""

    name: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]

    def csv(self) -> str:
        """As CSV (RFC 4180). A value that a spreadsheet would take for a formula is kept from being one."""
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(self.heads)
        writer.writerows([_plain(v) for v in r] for r in self.rows)
        return out.getvalue()


def _plain(value: str) -> str:
    return f"'{value}" if value[:1] in ("=", "+", "-", "@", "\t") and not _number(value) else value


def _number(value: str) -> bool:
    try:
        float(value)
    except ValueError:
        return False
    return True


def said_day(text: str) -> str:
    """An ISO date, or a moment, as people write it; any other text as it is. Tables for programs keep ISO."""
    if len(text) < 10 or text[4:5] != "-":
        return text
    try:
        at = datetime.fromisoformat(text)
    except ValueError:
        return text
    return long_day(at) if len(text) == 10 else f"{long_day(at)}, {at.hour}:{at.minute:02d}"


@lru_cache(maxsize=1)
def _pages() -> Environment:
    """The templates; every value is escaped."""
    made = Environment(loader=PackageLoader("transmixis.shot.planning"), autoescape=True, undefined=StrictUndefined)
    made.filters["day"] = said_day
    return made


def page(template: str, title: str, picture: bytes | None = None, **values: Any) -> str:
    """A whole page from a template; `picture`: a PNG that becomes part of it."""
    png = base64.b64encode(picture).decode() if picture else ""
    return _pages().get_template(template).render(title=title, style=STYLE, png=png, **values)
