"""The one window: top bar, pages, foot strip; keys, drag and drop, opening and closing."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QRect, QSettings, Qt, QTimer
from PyQt6.QtGui import (
    QCloseEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QKeySequence,
    QShortcut,
)
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QFileDialog,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QSpinBox,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from transmixis.core.errors import UserError
from transmixis.demo import copy_demo
from transmixis.desk.addplates import AddPlates
from transmixis.desk.bench import Bench
from transmixis.desk.board import Board
from transmixis.desk.deliverpage import DeliverPage
from transmixis.desk.dialogs import KeysDialog, NewProduction, NewShot
from transmixis.desk.engine import LOOK, Engine
from transmixis.desk.foot import FootStrip, TroubleBar
from transmixis.desk.logpage import LogPage
from transmixis.desk.plan.page import PlanPage
from transmixis.desk.shelfpage import ShelfPage
from transmixis.desk.startpage import StartPage
from transmixis.desk.state import VIEWS, State
from transmixis.desk.survey.page import SurveyPage
from transmixis.desk.topbar import TopBar
from transmixis.media.source import SourceInfo
from transmixis.shot.document import Document
from transmixis.shot.dropped import Dropped, dropped
from transmixis.shot.lock import Locked
from transmixis.shot.model import STAGES, Film, Plate, Shot
from transmixis.shot.session import Session
from transmixis.shot.workorder import planned_shot, with_plates

SMALLEST = (1180, 720)  # px of the window's inside
FRAME = (8, 36)  # px across and down that a window manager's frame and title take, with room
WATCH_EVERY = 3000  # ms between looks at whether the production's folder is still there and unchanged


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
        self.board = Board(self.state, self.engine, self.ask_plates, self.ask_shot)
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
        self._outside = ""
        self._watcher = self.engine.beside()
        self._watch = QTimer(self)
        self._watch.setInterval(WATCH_EVERY)
        self._watch.timeout.connect(self._look_beside)
        self._watch.start()
        self._connect()
        self._make_keys()
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
            self.start.show_recent(self._recent())
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
        self.start.demo.clicked.connect(self.open_demo)
        self.start.new.clicked.connect(self.ask_new)
        self.start.open.clicked.connect(self.ask_open)
        self.start.recent.itemActivated.connect(lambda item: self.open_folder(Path(item.text())))

    def open_production(self, folder: Path, *, first_shot: bool) -> bool:
        """Open a production on the board, or on the bench with its first shot's matte; False if it cannot be opened."""
        if not self.open_folder(folder):
            return False
        shots = self.state.session.document.film.shots if self.state.session else ()
        if first_shot and shots:
            self.open_shot(shots[0].code, "Matte")
        return True

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

    # -- productions

    def open_folder(self, folder: Path) -> bool:
        """Open a production; says why if it cannot."""
        try:
            session = Session.open(folder, self.cache_bytes())
        except Locked as e:
            if not self.may_look(str(e)):
                self._tell(str(e))
                return False
            return self._open_for_looking(folder)
        except UserError as e:
            self._tell(str(e))
            return False
        self._use(session)
        return True

    def may_look(self, words: str) -> bool:
        """Ask whether a production that another program has open shall be looked at."""
        answer = QMessageBox.question(self, "Open for looking?", f"{words}\n\nOpen it for looking, without changing anything?")
        return answer == QMessageBox.StandardButton.Yes

    def _open_for_looking(self, folder: Path) -> bool:
        try:
            session = Session.open(folder, self.cache_bytes(), read_only=True)
        except UserError as e:
            self._tell(str(e))
            return False
        self._use(session)
        self.state.said.emit("Open for looking only: another Transmixis has it open for changes.", "note")
        return True

    def cache_bytes(self) -> int:
        """The cache setting, in bytes."""
        return int(self.settings.value("cache_mb", 1024)) << 20

    def _use(self, session: Session) -> None:
        self.deliver.leave()
        self.state.open(session)
        self._remember(session.document.folder)
        looking = " (for looking only)" if session.document.read_only else ""
        self.setWindowTitle(f"{session.document.film.production.name}{looking} – Transmixis")
        self._outside = ""
        shots = session.document.film.shots
        self.show_page("bench" if len(shots) == 1 else "board")

    def open_demo(self, into: Path | None = None) -> bool:
        try:
            folder = copy_demo(into or Path.home() / "Transmixis" / "The Kite Post")
        except UserError as e:
            self._tell(str(e))
            return False
        return self.open_production(folder, first_shot=True)

    def ask_new(self) -> None:
        dialog = NewProduction(self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.make_new(Path(dialog.folder.text().strip()), dialog.name.text().strip() or "Film", dialog.rate.currentText())

    def make_new(self, folder: Path, name: str, rate: str = "24") -> bool:
        try:
            document = Document.create(folder, name, rate)
        except UserError as e:
            self._tell(str(e))
            return False
        self._use(Session(document, self.cache_bytes()))
        return True

    def ask_open(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, "Open a production")
        if folder:
            self.open_folder(Path(folder))

    def _recent(self) -> list[str]:
        held = self.settings.value("recent", [])
        folders = [held] if isinstance(held, str) else [str(f) for f in held or []]
        return [f for f in folders if (Path(f) / "production.json").exists()]

    def _remember(self, folder: Path) -> None:
        kept = [str(folder.resolve()), *[f for f in self._recent() if f != str(folder.resolve())]]
        self.settings.setValue("recent", kept[:8])

    def _look_beside(self) -> None:
        """Look on the watcher's thread: a film of many shots has many files, and each look at one may have to wait."""
        session = self.state.session
        if session and not self._watcher.waiting:
            self._watcher.ask(
                LOOK, session.document.outside, lambda words: self.look_outside() if words or self._outside else None
            )

    def look_outside(self) -> None:
        """Say once what happened to the production's folder from outside."""
        session = self.state.session
        words = session.document.outside() if session else ""
        if words and words != self._outside:
            self._tell(words)
        self._outside = words

    # -- plates

    def ask_plates(self, code: str = "") -> None:
        """Choose files for a shot (the one that is open, if none is named)."""
        files, _ = QFileDialog.getOpenFileNames(
            self,
            "Add plates",
            "",
            "Movies and pictures (*.mov *.mp4 *.mkv *.avi *.webm *.png *.tif *.tiff *.jpg *.jpeg *.exr *.dpx)",
        )
        if files:
            self.offer_plates([Path(f) for f in files], code)

    def offer_plates(self, paths: list[Path], code: str = "") -> None:
        """Show what was chosen or dropped, and add it. Without a production, one is made first."""
        if not self.state.session:
            folder = _free_folder(Path.home() / "Transmixis" / "My film")
            if not self.make_new(folder, folder.name):
                return
        session = self.state.session
        assert session is not None
        folder, shots, now = session.document.folder, session.document.film.shots, code or self.state.code
        self.engine.ask(LOOK, lambda: dropped(folder, paths, shots, now), partial(self._list_plates, session), self._tell)

    def _list_plates(self, session: Session, found: Dropped) -> None:
        """The list of what was found; for the production that it was dropped on."""
        if session is not self.state.session:
            return
        if not found.pieces:
            self._tell("\n".join(found.left_out) or "There is nothing to add.")
            return
        dialog = AddPlates(found, session.document.film.shots, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.add_groups(dialog.groups(), dialog.title.text().strip())
        dialog.deleteLater()

    def add_plates(self, code: str, title: str, plates: list[tuple[Plate, SourceInfo]]) -> None:
        """Add plates to one shot."""
        self.add_groups({code: plates}, title)

    def add_groups(self, groups: dict[str, list[tuple[Plate, SourceInfo]]], title: str = "") -> None:
        """Add plates to shots as one change; a shot that is not there is made with a first work order."""
        session = self.state.session
        groups = {code: plates for code, plates in groups.items() if plates}
        if not session or not groups:
            return
        fresh = [c for c in groups if c not in {s.code for s in session.document.film.shots}]
        name = title if len(fresh) == 1 else ""

        def changed(film: Film) -> Film:
            for code, plates in groups.items():
                film = film.with_shot(with_plates(film, code, name if code in fresh else "", plates))
            return film

        if self.state.edits.change_film(f"Add plates to {', '.join(groups)[:80]}", changed):
            for code, plates in groups.items():
                session.document.log.add("plates", f"{len(plates)} plates added to {code}.", code)
            if len(groups) == 1:
                self.open_shot(next(iter(groups)), "")
            else:
                self.state.choose_shot(next(iter(groups)))
                self.show_page("board")

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
            self.open_folder(paths[0])
        elif paths and self.page == "shelf":
            if event.source() is None:  # from outside; a card let go over its own page is nothing
                self.shelf.put(paths)
        elif paths:
            QTimer.singleShot(0, lambda: self.offer_plates(paths))

    # -- keys

    def _make_keys(self) -> None:
        s = self.state

        def key(keys: str, act: Callable[[], object]) -> None:
            QShortcut(QKeySequence(keys), self).activated.connect(lambda: None if _typing() else act())

        key("F", s.known.next_fault)
        key("Shift+F", lambda: s.known.next_fault(back=True))
        key("Z", self.bench.next_zoom)
        key("V", lambda: self._turn_view(1))
        key("Shift+V", lambda: self._turn_view(-1))
        key("O", self.bench.toggle_loupe)
        key("G", self.bench.toggle_ring)
        key("P", self.bench.pin_here)
        key("Delete", self.bench.unpin_here)
        key("U", lambda: self._by_page(plan=self.plan.use_proposal, board=self.board.schedule.use_proposal, bench=s.answers.use))
        key("K", lambda: self._by_page(board=self.board.schedule.keep_mine, bench=s.answers.keep_mine))
        key("W", self.show_what_drives)
        key("M", s.work.again)
        key("C", self.bench.add_cue)
        key("B", lambda: self.show_page("board"))
        key("J", lambda: self.show_page("log"))
        key("S", lambda: self.show_page("findings"))
        key("L", lambda: self.show_page("shelf"))
        key("D", lambda: self.show_page("deliver"))
        key("F1", lambda: KeysDialog(self).exec())
        for i, stage in enumerate(STAGES):
            key(str(i + 1), partial(self.go_to_stage, stage))
        for keys, act in (
            ("Ctrl+Z", s.edits.undo),
            ("Ctrl+Shift+Z", s.edits.redo),
            ("Ctrl+N", self.ask_new),
            ("Ctrl+O", self.ask_open),
            ("Ctrl+Q", self.close),
        ):
            QShortcut(QKeySequence(keys), self).activated.connect(act)

    def _by_page(self, **acts: Callable[[], object]) -> None:
        """What a key does on the page that is shown, if it does anything there."""
        act = acts.get(self.page)
        if act:
            act()

    def show_what_drives(self) -> None:
        """Go to the board and choose the shot that drives the date."""
        now = self.state.planner.now
        if not self.state.session or now is None:
            return
        self.show_page("board")
        self.board.show_part("Schedule")
        if now.table is None or not now.table.schedule.drives:
            self.state.said.emit(now.trouble or "Nothing is left to do.", "note")
            return
        self.board.choose(now.table.schedule.drives)
        self.state.said.emit(now.why, "note")

    def ask_shot(self) -> None:
        """Ask for a shot that is still to be filmed, and make it."""
        session = self.state.session
        if not session:
            return
        dialog = NewShot({s.code for s in session.document.film.shots}, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.make_shot(dialog.code.text().strip(), dialog.title.text().strip(), dialog.frames.value())

    def make_shot(self, code: str, title: str, frames: int) -> None:
        """Make a shot without plates, to be planned."""
        session = self.state.session
        if not session:
            return
        try:
            shot = planned_shot(session.document.film, code, title, frames)
        except UserError as e:
            self.state.said.emit(str(e), "trouble")
            return
        if self.state.edits.change(f"Add {code}", lambda: shot):
            self.open_shot(code, "Plan")

    def _turn_view(self, by: int) -> None:
        self.state.set_view(VIEWS[(VIEWS.index(self.state.view) + by) % len(VIEWS)])

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self.page != "bench" or _typing():
            super().keyPressEvent(event)
            return
        s, shot = self.state, self.state.shot
        second = round(float(shot.fps)) if shot else 24
        moves = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1, Qt.Key.Key_PageUp: -second, Qt.Key.Key_PageDown: second}
        code = Qt.Key(event.key())
        if code in moves:
            s.set_frame(s.frame + moves[code])
        elif code == Qt.Key.Key_Home:
            s.set_frame(1)
        elif code == Qt.Key.Key_End and shot:
            s.set_frame(shot.length)
        elif code in (Qt.Key.Key_Left, Qt.Key.Key_Right) and shot:
            self._turn_step(shot, 1 if code == Qt.Key.Key_Right else -1)
        elif code == Qt.Key.Key_Space:
            self.bench.look.toggle_play()
        elif code == Qt.Key.Key_Y and not event.isAutoRepeat():
            self._held_view = s.view
            s.set_view("Plate")
        elif code in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            next(iter(self.bench.sheet._rulers.values()), self.bench.viewer).setFocus()
        elif code == Qt.Key.Key_Escape:
            self.bench.viewer.setFocus()
        else:
            super().keyPressEvent(event)

    def _turn_step(self, shot: Shot, by: int) -> None:
        ids = [st.id for st in shot.steps]
        if ids:
            at = ids.index(self.state.step_id) if self.state.step_id in ids else 0
            self.state.set_step(ids[(at + by) % len(ids)])

    def keyReleaseEvent(self, event: QKeyEvent | None) -> None:
        if event and event.key() == Qt.Key.Key_Y and not event.isAutoRepeat() and self._held_view:
            self.state.set_view(self._held_view)
            self._held_view = ""
        else:
            super().keyReleaseEvent(event)

    # -- telling, and the window's state

    def _tell(self, words: str) -> None:
        """Say what went wrong, where it cannot be overlooked but need not be pressed away."""
        self.state.said.emit(words, "trouble")

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


def _typing() -> bool:
    """True while a person types into a field, so that letters are not commands."""
    return isinstance(QApplication.focusWidget(), (QLineEdit, QSpinBox, QComboBox))


def _free_folder(wanted: Path) -> Path:
    n, folder = 1, wanted
    while folder.exists() and any(folder.iterdir()):
        n += 1
        folder = wanted.with_name(f"{wanted.name} {n}")
    return folder
