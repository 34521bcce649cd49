"""Colours, type and the few style rules, as docs/look.md gives them."""

from __future__ import annotations

import math
from functools import lru_cache
from importlib import resources

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QFontMetricsF
from PyQt6.QtWidgets import QApplication

PANEL, RAISED, PAPER, WELL = "#DADADA", "#E8E8E8", "#F4F4F4", "#CFCFCF"
RULE, RULE2, EDGE = "#B4B4B4", "#CCCCCC", "#8C8C8C"
INK, INK2, SURROUND, WHITE = "#1E1E1E", "#5A5A5A", "#777777", "#FFFFFF"
BLUE, ORANGE, VERMILION, PURPLE = "#0072B2", "#E69F00", "#D55E00", "#8E4C7C"
BLUE_TEXT, ORANGE_EDGE, VERMILION_TEXT = "#005A8E", "#7A5200", "#A33E00"
BLUE_WASH, VERMILION_WASH, PURPLE_WASH = "#DCE9F1", "#F6E3D6", "#EFE4EC"
TRACE_FILL = "#C9DEEA"

FAMILY = "Inter"


def load_fonts() -> None:
    """Register the application's own font; the offscreen platform has none."""
    folder = resources.files("transmixis.desk") / "fonts"
    for name in ("Regular", "Medium", "SemiBold"):
        QFontDatabase.addApplicationFontFromData((folder / f"Inter-{name}.otf").read_bytes())


@lru_cache(maxsize=64)
def font(px: int, weight: int = 400) -> QFont:
    """The application's font at a size in px, with figures of equal width."""
    f = QFont(FAMILY)
    f.setPixelSize(px)
    f.setWeight(QFont.Weight(weight))
    f.setHintingPreference(QFont.HintingPreference.PreferNoHinting)
    f.setFeature(QFont.Tag("tnum"), 1)
    return f


def text_width(text: str, px: int, weight: int = 400) -> float:
    """Width of a text in px."""
    return QFontMetricsF(font(px, weight)).horizontalAdvance(text)


def elided(text: str, px: int, weight: int, width: float) -> str:
    """The text, cut with an ellipsis to fit."""
    from PyQt6.QtCore import Qt

    return QFontMetricsF(font(px, weight)).elidedText(text, Qt.TextElideMode.ElideRight, width)


def in_lines(text: str, px: int, weight: int, width: float) -> str:
    """The text, broken into lines that fit."""
    lines: list[str] = []
    for word in text.split():
        if lines and text_width(f"{lines[-1]} {word}", px, weight) <= width:
            lines[-1] += f" {word}"
        else:
            lines.append(word)
    return "\n".join(lines)


def colour(name: str, alpha: float | None = None) -> QColor:
    c = QColor(name)
    if alpha is not None:
        c.setAlphaF(alpha)
    return c


MOST_DECIMALS = 3


def figure(value: float, digits: int = 3) -> str:
    """A number with a real minus sign and `digits` figures that count; beyond three decimals it is 0."""
    a = abs(value)
    before = math.floor(math.log10(a)) if a > 0 else 0
    decimals = min(max(digits - 1 - before, 0), MOST_DECIMALS)
    text = f"{value:.{decimals}f}"
    if float(text) == 0:
        text = "0"
    return text.replace("-", "\u2212")


def span_words(first: int, last: int) -> str:
    """'frame 7', 'frames 7–12'."""
    return f"frame {first}" if first == last else f"frames {first}–{last}"


STYLE = f"""
* {{ font-family: {FAMILY}; font-size: 12px; color: {INK}; }}
QMainWindow, QDialog, QWidget#page {{ background: {PANEL}; }}
QToolTip {{ background: {PAPER}; color: {INK}; border: 1px solid {EDGE}; padding: 4px; }}
QPushButton {{ background: {PAPER}; border: 1px solid {EDGE}; border-radius: 2px; padding: 3px 10px; min-height: 18px; font-weight: 500; }}
QPushButton:hover {{ background: {WHITE}; }}
QPushButton:pressed {{ background: {WELL}; }}
QPushButton:disabled {{ color: {INK2}; background: {RAISED}; border-color: {RULE}; }}
QPushButton:focus, QLineEdit:focus, QComboBox:focus, QAbstractSpinBox:focus, QTableWidget:focus {{ border: 2px solid {INK}; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QPushButton#main {{ background: {PURPLE}; color: {WHITE}; border: 1px solid {PURPLE}; font-weight: 600; }}
QPushButton#main, QPushButton#card {{ padding: 3px 4px; }}
QScrollArea, QScrollArea > QWidget > QWidget {{ background: transparent; }}
QPushButton#main:hover {{ background: #7C3F6C; }}
QPushButton#main:focus {{ border: 2px solid {INK}; }}
QPushButton#main:disabled {{ background: {RULE}; border-color: {RULE}; color: {INK2}; }}
QPushButton#act {{ background: {INK}; color: {WHITE}; border-color: {INK}; font-weight: 600; }}
QPushButton#act:hover {{ background: #3A3A3A; }}
QPushButton#act:disabled {{ background: {RULE}; border-color: {RULE}; color: {INK2}; }}
QPushButton#word {{ background: transparent; border: none; padding: 3px 4px; color: {BLUE_TEXT}; }}
QPushButton#word:focus {{ border: 2px solid {INK}; }}
QLineEdit, QComboBox, QAbstractSpinBox {{ background: {PAPER}; border: 1px solid {EDGE}; border-radius: 1px; padding: 2px 6px; min-height: 20px; selection-background-color: {BLUE}; }}
QComboBox QAbstractItemView {{ background: {PAPER}; border: 1px solid {EDGE}; selection-background-color: {BLUE_WASH}; selection-color: {INK}; }}
QProgressBar {{ background: {PAPER}; border: 1px solid {EDGE}; max-height: 8px; min-height: 8px; text-align: center; }}
QProgressBar::chunk {{ background: {INK2}; }}
QTableWidget, QListWidget {{ background: {PAPER}; border: 1px solid {RULE}; gridline-color: {RULE2}; alternate-background-color: {RAISED}; selection-background-color: {BLUE_WASH}; selection-color: {INK}; }}
QHeaderView::section {{ background: {PANEL}; border: none; border-bottom: 1px solid {RULE}; padding: 4px 6px; font-weight: 600; }}
QLabel#title {{ font-size: 13px; font-weight: 600; }}
QLabel#note {{ color: {INK2}; font-size: 11px; }}
QLabel#fault {{ color: {VERMILION_TEXT}; font-weight: 500; }}
QMenu {{ background: {PAPER}; border: 1px solid {EDGE}; }}
QMenu::item:selected {{ background: {BLUE_WASH}; }}
QScrollBar:vertical {{ background: {PANEL}; width: 10px; }}
QScrollBar::handle:vertical {{ background: {EDGE}; min-height: 24px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; }}
"""


def _arrow() -> str:
    """A plain arrow for lists that drop down."""
    path = str(resources.files("transmixis.desk") / "art" / "down.png").replace("\\", "/")
    return f"""
QComboBox::drop-down {{ border: none; border-left: 1px solid {RULE}; width: 20px; }}
QComboBox::down-arrow {{ image: url("{path}"); width: 9px; height: 6px; }}
"""


def dress(app: QApplication) -> None:
    """Give the application its font and style."""
    load_fonts()
    app.setStyle("Fusion")
    app.setFont(font(12))
    app.setStyleSheet(STYLE + _arrow())


def hours_words(value: float) -> str:
    """Hours to a tenth, or whole ones from ten on."""
    return f"{value:.0f}" if value >= 10 else f"{value:.1f}".removesuffix(".0")
