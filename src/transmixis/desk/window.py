"""The one window: top bar, pages, foot strip; keys, drag and drop, opening and closing."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QRect, QSettings, Qt, QTimer
from PyQt6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
)
from PyQt6.QtWidgets import (
    QMainWindow,
    QMessageBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from transmixis.desk.adding import Adding
from transmixis.desk.bench import Bench
from transmixis.desk.board import Board
from transmixis.desk.commands import Command, Commands, typing
from transmixis.desk.deliverpage import DeliverPage
from transmixis.desk.dialogs import KeysDialog
from transmixis.desk.engine import Engine
from transmixis.desk.foot import FootStrip, TroubleBar
from transmixis.desk.logpage import LogPage
from transmixis.desk.plan.page import PlanPage
from transmixis.desk.productions import Productions
from transmixis.desk.shelfpage import ShelfPage
from transmixis.desk.startpage import StartPage
from transmixis.desk.state import State
from transmixis.desk.survey.page import SurveyPage
from transmixis.desk.topbar import TopBar
from transmixis.desk.windowkeys import moving, pages, sheet_of, stages, working
from transmixis.shot.steps import endings_read

SMALLEST = (1180, 720)  # px of the window's inside
FRAME = (8, 36)  # px across and down that a window manager's frame and title take, with room


class MainWindow(QMainWindow):
    """Holds the pages and routes keys to them."""

    def __init__(self, engine: Engine | None = None, settings: QSettings | None = None) -> None:
        super().__init__()
        self.setWindowTitle("Transmixis")
        self.setAcceptDrops(True)
        self.setMinimumSize(*SMALLEST)
        self.settings = settings or QSettings("Transmixis", "Transmixis")
        self.engine = engine or Engine(self)
        self.state = State(self.engine)
        self.top, self.foot, self.trouble = TopBar(self.state), FootStrip(self.state), TroubleBar(self.state)
        self.start, self.bench = StartPage(), Bench(self.state, self.engine)
        self.productions = Productions(self, self.state, self.settings)
        self.adding = Adding(self, self.state, self.productions)
        self.board = Board(self.state, self.engine, self.adding.ask_plates, self.adding.ask_shot)
        self.deliver, self.log = DeliverPage(self.state, self.engine), LogPage(self.state)
        self.pages = QStackedWidget()
        self.survey, self.shelf = SurveyPage(self.state), ShelfPage(self.state)
        self.findings = self.survey.findings
        self.plan = PlanPage(self.state)
        self._named = {
            "start": self.start,
            "bench": self.bench,
            "board": self.board,
            "findings": self.survey,
            "shelf": self.shelf,
            "plan": self.plan,
            "deliver": self.deliver,
            "log": self.log,
        }
        for page in self._named.values():
            page.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
            self.pages.addWidget(page)
        middle = QWidget()
        box = QVBoxLayout(middle)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(0)
        for w in (self.top, self.trouble, self.pages, self.foot):
            box.addWidget(w, 1 if w is self.pages else 0)
        self.setCentralWidget(middle)
        self._held_view = ""
        self._connect()
        self.commands = self._registered()
        self.commands.bind(self)
        self._restore()
        self.show_page("start")

    # -- pages

    def show_page(self, name: str) -> None:
        """Show start, plan, bench, board, findings, shelf, deliver or log."""
        if name != "start" and not self.state.session:
            name = "start"
        self.pages.setCurrentWidget(self._named[name])
        self.top.page = self.foot.page = name
        for word in self.foot.words.values():
            word.setVisible(self.state.session is not None)
        self.top.update()
        self.foot.update()
        if name == "bench":
            self.bench.viewer.setFocus()
            self.bench.look.refresh()
        elif name == "board":
            self.board.table.setFocus()
        elif name == "start":
            self.start.show_recent(self.productions.recent())
        else:
            self._named[name].setFocus()  # not into a field, so that single keys stay commands

    @property
    def page(self) -> str:
        return self.top.page

    def _connect(self) -> None:
        self.top.board_pressed.connect(lambda: self.show_page("board"))
        self.top.stage_pressed.connect(self.go_to_stage)
        self.foot.page_pressed.connect(self.show_page)
        self.state.page_wanted.connect(self.show_page)
        self.board.table.open_shot.connect(self.open_shot)
        self.productions.leaving.connect(self.deliver.leave)
        self.productions.entered.connect(self._entered)
        self.productions.shot_wanted.connect(self.open_shot)
        self.adding.shot_wanted.connect(self.open_shot)
        self.start.demo.clicked.connect(lambda: self.productions.open_demo())
        self.start.new.clicked.connect(self.productions.ask_new)
        self.start.open.clicked.connect(self.productions.ask_open)
        self.start.recent.itemActivated.connect(lambda item: self.productions.open_folder(Path(item.text())))

    def _registered(self) -> Commands:
        """Every command, once."""
        out = Commands()
        out.add(*moving(self.state, self.bench), *stages(self.go_to_stage))
        out.add(*working(self.state, self.bench, self.board, self.plan, lambda: self.page))
        out.add(Command("drives", "W", "what drives the date", self.show_what_drives), *pages(self.show_page))
        out.add(
            Command("production.new", "Ctrl+N", "new production, open one", self.productions.ask_new, typing=True),
            Command("production.open", "Ctrl+O", "new production, open one", self.productions.ask_open, typing=True),
            Command("close", "Ctrl+Q", "close the window", self.close, typing=True),
            Command("keys", "F1", "this sheet", lambda: KeysDialog(sheet_of(self.commands), self).exec()),
        )
        return out

    def _entered(self) -> None:
        """A production has been opened."""
        session = self.state.session
        assert session is not None
        looking = " (for looking only)" if session.document.read_only else ""
        self.setWindowTitle(f"{session.document.film.production.name}{looking} – Transmixis")
        self.show_page("bench" if len(session.document.film.shots) == 1 else "board")

    def open_shot(self, code: str, stage: str) -> None:
        """Open a shot on the bench, at a stage if one is named."""
        self.state.choose_shot(code)
        self.show_page("bench")
        if stage:
            self.go_to_stage(stage)

    def go_to_stage(self, stage: str) -> None:
        if not self.state.shot:
            return
        if stage == "Hand over":
            self.show_page("deliver")
            return
        if stage == "Plan":
            self.show_page("plan")
            return
        self.show_page("bench")
        if not self.bench.go_to_stage(stage):
            self.state.said.emit(f"This shot has no step under {stage}; add one with Add step above the ledger.", "note")

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event else None
        if event and data and data.hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event else None
        if not event or not data:
            return
        paths = [Path(u.toLocalFile()) for u in data.urls() if u.isLocalFile()]
        event.acceptProposedAction()
        if len(paths) == 1 and (paths[0] / "production.json").exists():
            self.productions.open_folder(paths[0])
        elif paths and self.page == "shelf":
            if event.source() is None:  # from outside; a card let go over its own page is nothing
                self.shelf.put(paths)
        elif len(paths) == 1 and paths[0].suffix.lower() in endings_read() and self.state.shot:
            self.show_page("bench")
            self.bench.acts.add_from_file(paths[0])
        elif paths:
            QTimer.singleShot(0, lambda: self.adding.offer_plates(paths))

    def show_what_drives(self) -> None:
        """Go to the board and choose the shot that drives the date."""
        if self.state.session and self.state.planner.now is not None:
            self.show_page("board")
            self.board.show_what_drives()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.page != "bench" or typing():
            super().keyPressEvent(event)
            return
        code = Qt.Key(event.key())
        if code == Qt.Key.Key_Y and not event.isAutoRepeat():
            self._held_view = self.state.view
            self.state.set_view("Plate")
        elif code in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.bench.sheet.take_focus(self.bench.viewer)
        elif code == Qt.Key.Key_Escape:
            self.bench.viewer.setFocus()
        elif not self.commands.pressed(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() == Qt.Key.Key_Y and not event.isAutoRepeat() and self._held_view:
            self.state.set_view(self._held_view)
            self._held_view = ""
        else:
            super().keyReleaseEvent(event)

    # -- telling, and the window's state

    def ask_trouble(self, words: str) -> None:
        """A fault of ours, in a box."""
        QMessageBox.warning(self, "Transmixis", words)

    def _room(self) -> QRect:
        """What the screen has for a window's inside, its frame and title taken off."""
        screen = self.screen()
        whole = screen.availableGeometry() if screen else QRect(0, 0, 1280, 800)
        return whole.adjusted(0, 0, -FRAME[0], -FRAME[1])

    def _restore(self) -> None:
        room = self._room()
        self.setMinimumSize(min(SMALLEST[0], room.width()), min(SMALLEST[1], room.height()))
        shape = self.settings.value("geometry")
        if shape is not None:
            self.restoreGeometry(shape)
            self.resize(self.settings.value("size", self.size()))
        else:
            self.resize(min(1280, room.width()), min(800, room.height()))
            self.move(room.topLeft())
        self.resize(min(self.width(), room.width()), min(self.height(), room.height()))
        split = self.settings.value("split")
        if split is not None:
            self.bench.split.restoreState(split)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.settings.setValue("geometry", self.saveGeometry())
        self.settings.setValue("size", self.size())
        self.settings.setValue("split", self.bench.split.saveState())
        self.deliver.leave()
        self.state.close()
        self.engine.stop()
        super().closeEvent(event)
