"""Tables: lists whose rows are chosen whole, and tables that are filled in."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHeaderView, QTableWidget


def plain_table(heads: tuple[str, ...], widths: tuple[int, ...], stretched: tuple[int, ...]) -> QTableWidget:
    """A table with these heads; `widths` px of the first columns, `stretched` columns share the rest."""
    table = QTableWidget(0, len(heads))
    table.setHorizontalHeaderLabels(list(heads))
    table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    table.setAlternatingRowColors(True)
    table.setShowGrid(False)
    table.setWordWrap(True)
    rows, columns = table.verticalHeader(), table.horizontalHeader()
    assert rows is not None and columns is not None
    rows.hide()
    columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for i, width in enumerate(widths):
        table.setColumnWidth(i, width)
    for i in stretched:
        columns.setSectionResizeMode(i, QHeaderView.ResizeMode.Stretch)
    return table


def open_table(heads: tuple[str, ...], widths: tuple[int, ...], row: int) -> QTableWidget:
    """A table that is filled in, its rows `row` px high; `widths` px of the first columns, the last takes the rest."""
    table = QTableWidget(0, len(heads))
    table.setHorizontalHeaderLabels(list(heads))
    rows, columns = table.verticalHeader(), table.horizontalHeader()
    assert rows is not None
    assert columns is not None
    rows.hide()
    rows.setDefaultSectionSize(row)
    columns.setStretchLastSection(True)
    columns.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
    for i, width in enumerate(widths):
        table.setColumnWidth(i, width)
    return table
