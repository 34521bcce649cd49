"""The window's commands and their keys."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from transmixis.desk.bench import Bench
from transmixis.desk.board import Board
from transmixis.desk.commands import Act, Command, Commands
from transmixis.desk.plan.page import PlanPage
from transmixis.desk.state import VIEWS, State
from transmixis.shot.model import STAGES
from transmixis.shot.steps import kind_of

PAGES = (("board", "B", "board"), ("findings", "S", "findings of all plates"), ("shelf", "L", "shelf of stock elements"), ("log", "J", "log book"), ("deliver", "D", "hand over"))  # fmt: skip
POINTER = (  # of the viewer and its tools
    ("hold Y", "look at the plate"),
    ("+, −, 0", "in the viewer: closer, further, whole frame"),
    (". ,", "outline: next, previous point"),
    ("X", "outline: the point a corner, or round"),
    ("Ctrl ↑ ↓", "outline: the point softer or harder outwards; with Shift inwards"),
)
WHEN = "built: begins a frame earlier, later; with Shift ends"
FOLLOW = "follow on, back, to the next frame that asks; again: stop"


def moving(s: State, bench: Bench) -> list[Command]:
    """Over frames, steps and views."""

    def by(frames: int) -> Act:
        return lambda: s.set_frame(s.frame + frames)

    def by_seconds(seconds: int) -> None:
        s.set_frame(s.frame + seconds * (round(float(s.shot.fps)) if s.shot else 24))

    def last() -> None:
        s.set_frame(s.shot.length if s.shot else 1)

    def turn_step(way: int) -> None:
        ids = [step.id for step in s.shot.steps] if s.shot else []
        if ids:
            s.set_step(ids[((ids.index(s.step_id) if s.step_id in ids else 0) + way) % len(ids)])

    def turn_view(way: int) -> None:
        s.set_view(VIEWS[(VIEWS.index(s.view) + way) % len(VIEWS)])

    return [
        Command("frame.back", "Up", "one frame back, on", by(-1), bench=True),
        Command("frame.on", "Down", "one frame back, on", by(1), bench=True),
        Command("second.back", "PgUp", "one second back, on", lambda: by_seconds(-1), bench=True),
        Command("second.on", "PgDown", "one second back, on", lambda: by_seconds(1), bench=True),
        Command("frame.first", "Home", "first, last frame", lambda: s.set_frame(1), bench=True),
        Command("frame.last", "End", "first, last frame", last, bench=True),
        Command("step.before", "Left", "previous, next step", partial(turn_step, -1), bench=True),
        Command("step.next", "Right", "previous, next step", partial(turn_step, 1), bench=True),
        Command("play", "Space", "play, stop", bench.look.toggle_play, bench=True),
        Command("fault.next", "F", "next, previous fault", s.known.next_fault),
        Command("fault.before", "Shift+F", "next, previous fault", lambda: s.known.next_fault(back=True)),
        Command("ledger.zoom", "Z", "next zoom of the ledger", bench.next_zoom),
        Command("view.next", "V", "next, previous view", partial(turn_view, 1)),
        Command("view.before", "Shift+V", "next, previous view", partial(turn_view, -1)),
        Command("size", "H", "full, half or quarter size on screen", s.next_size),
        Command("ground", "Shift+B", "ground that a cut-out is shown on", s.next_ground),
        Command("loupe", "O", "loupe on or off", bench.toggle_loupe),
        Command("panel", "E", "what a tool shows beside its thing, on or off", bench.toggle_panel),
        Command("ring", "G", "ring of the fault on or off", bench.toggle_ring),
    ]


def next_asked(s: State, *, back: bool = False) -> None:
    """To the next frame of the chosen step that wants a hand: those that its proposal asks for in their order, else those over a limit."""
    proposal = s.answers.made.get(s.step_id)
    asks = proposal.asks if proposal and s.step_id not in s.answers.folded else ()
    if not asks:
        s.known.next_fault(back=back, own=True)
        return
    at = asks.index(s.frame) + (-1 if back else 1) if s.frame in asks else 0
    s.set_frame(asks[at % len(asks)])


BEGINNING, END = ("begin", "begins"), ("end",)


def by_frames(s: State, names: tuple[str, ...], by: int) -> None:
    """The chosen step begins, or ends, so many frames later."""
    fields = kind_of(s.step.kind).Params.model_fields if s.step else {}
    name = next((n for n in names if n in fields), "")
    if not name or s.shot is None:
        s.said.emit("This step has no frame at which it begins or ends.", "note")
        return
    now = int(s.edits.param(name)) or s.shot.length
    s.edits.set_param(name, float(min(max(now + by, 1), s.shot.length)))


def working(s: State, bench: Bench, board: Board, plan: PlanPage, page: Callable[[], str]) -> list[Command]:
    """On the step, its pins and proposals."""

    def on_page(**acts: Act) -> Act:
        """What a key does on the page that is shown, if it does anything there."""
        return lambda: acts.get(page(), lambda: None)()

    use = on_page(plan=plan.use_proposal, board=board.schedule.use_proposal, bench=s.answers.use)
    keep = on_page(board=board.schedule.keep_mine, bench=s.answers.keep_mine)
    return [
        Command("pin", "P", "pin here, take the pin out", bench.acts.pin_here),
        Command("unpin", "Delete", "pin here, take the pin out", bench.acts.unpin_here),
        Command("reseat", "R", "track: a new look from here, hidden or in sight from here", partial(bench.acts.act, "reseat")),
        Command("sight", "I", "track: a new look from here, hidden or in sight from here", partial(bench.acts.act, "sight")),
        Command("asks.next", "N", "next, previous frame of this step that asks for a hand", partial(next_asked, s)),
        Command(
            "asks.before",
            "Shift+N",
            "next, previous frame of this step that asks for a hand",
            partial(next_asked, s, back=True),
        ),
        Command("follow.on", "T", FOLLOW, partial(bench.follow_on.start, 1)),
        Command("follow.back", "Shift+T", FOLLOW, partial(bench.follow_on.start, -1)),
        Command("layer.nearer", "[", "built: nearer, farther", partial(bench.section.nearer, forward=True)),
        Command("layer.farther", "]", "built: nearer, farther", partial(bench.section.nearer, forward=False)),
        Command("tie", "Ctrl+T", "built: hang the card on a track, or let it go", bench.section.tying.tie_here),
        Command("begin.earlier", "Alt+Up", WHEN, partial(by_frames, s, BEGINNING, -1)),
        Command("begin.later", "Alt+Down", WHEN, partial(by_frames, s, BEGINNING, 1)),
        Command("end.earlier", "Alt+Shift+Up", WHEN, partial(by_frames, s, END, -1)),
        Command("end.later", "Alt+Shift+Down", WHEN, partial(by_frames, s, END, 1)),
        Command("part.gather", "A", "gather steps to a part, fold the part", bench.acts.gather),
        Command("part.fold", "Shift+A", "gather steps to a part, fold the part", bench.acts.fold_here),
        Command("proposal.use", "U", "use the proposal, keep mine", use),
        Command("proposal.keep", "K", "use the proposal, keep mine", keep),
        Command("measure", "M", "look at the files anew and measure again", s.work.again),
        Command("cue", "C", "add a cue", bench.acts.add_cue),
        Command("undo", "Ctrl+Z", "undo, do again", s.edits.undo, typing=True),
        Command("redo", "Ctrl+Shift+Z", "undo, do again", s.edits.redo, typing=True),
    ]


def stages(go: Callable[[str], object]) -> list[Command]:
    """The stages by their numbers."""
    return [Command(f"stage.{stage}", str(i + 1), "go to a stage", partial(go, stage)) for i, stage in enumerate(STAGES)]


def pages(show: Callable[[str], object]) -> list[Command]:
    """The pages by their letters."""
    return [Command(f"page.{name}", key, words, partial(show, name)) for name, key, words in PAGES]


def sheet_of(commands: Commands) -> list[tuple[str, str]]:
    """The sheet of keys: the commands, and what the viewer does itself."""
    return [*commands.sheet(), *POINTER]
