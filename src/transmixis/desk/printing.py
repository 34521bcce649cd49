"""Writing a report where a person wants it: a page (HTML), a printed page (PDF), or a table (CSV)."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QMarginsF, QSizeF
from PyQt6.QtGui import QPageLayout, QPageSize, QPdfWriter, QTextDocument, QTextFormat

from transmixis.core.errors import UserError
from transmixis.desk.theme import font
from transmixis.media.files import write_atomically


def write_pdf(path: Path, html: str) -> None:
    """Print a page on A4. Raises UserError where it cannot be written."""
    part = path.with_name(f".{path.name}.part")
    writer = QPdfWriter(str(part))
    writer.setResolution(96)  # a document's px are 1/96 inch
    writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
    writer.setPageMargins(QMarginsF(15, 15, 15, 15), QPageLayout.Unit.Millimeter)
    writer.setCreator("Transmixis")
    document = QTextDocument()
    document.setDocumentMargin(0)
    document.setDefaultFont(font(12))
    document.setHtml(html)
    document.setPageSize(QSizeF(writer.width(), writer.height()))
    keep_together(document)
    document.print(writer)
    del writer
    try:
        if not part.exists() or part.stat().st_size == 0:
            raise UserError(f"Cannot write '{path}'; choose another place.")
        part.replace(path)
    except OSError as e:
        raise UserError(f"Cannot write '{path}' ({e.strerror}); choose another place.") from e


def keep_together(document: QTextDocument) -> None:
    """Tables that would be cut by a page's end, and are shorter than a page, begin on the next."""
    root, layout, high = document.rootFrame(), document.documentLayout(), document.pageSize().height()
    assert root is not None
    assert layout is not None
    for frame in root.childFrames():
        box = layout.frameBoundingRect(frame)  # asked anew: a table that moved has moved all that follow
        if box.height() < high and int(box.top() // high) != int((box.bottom() - 1) // high):
            form = frame.frameFormat()
            form.setPageBreakPolicy(QTextFormat.PageBreakFlag.PageBreak_AlwaysBefore)
            frame.setFrameFormat(form)


def write_report(path: Path, text: str) -> None:
    """Write HTML or CSV as it is, or print HTML as PDF, by the name's ending. Raises UserError."""
    if path.suffix.lower() == ".pdf":
        write_pdf(path, text)
    else:
        write_atomically(path, text.encode())


def form_of(path: Path) -> str:
    """The form a file's ending asks for: csv or html (which a PDF is printed from)."""
    return "csv" if path.suffix.lower() == ".csv" else "html"
