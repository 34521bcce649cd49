"""A plain list: rows to be chosen whole, nothing to be edited in place."""

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
