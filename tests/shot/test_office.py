"""Hours and dates of a film: tasks from its work order, learning, the timetable, what helps, moving blocks, reports, calendars."""

from __future__ import annotations

import csv
import io
import itertools
from datetime import date, timedelta
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from transmixis.core.errors import UserError
from transmixis.core.plan.estimate import learn
from transmixis.media.calendar import DayEvent, calendar_bytes, read_days
from transmixis.shot.logbook import Entry
from transmixis.shot.model import Film, Plate, Production, Shot, Step
from transmixis.shot.office import Agreement, Scenario, Work, Worker
from transmixis.shot.planning import answered, question_of
from transmixis.shot.planning.calendar import events_of, with_days_off
from transmixis.shot.planning.drives import why
from transmixis.shot.planning.helps import with_help, words_for
from transmixis.shot.planning.moving import with_block_moved
from transmixis.shot.planning.overview import overview
from transmixis.shot.planning.report import KINDS, report
from transmixis.shot.planning.reportpage import Table
from transmixis.shot.planning.tasks import shots_without_files, tasks_of
from transmixis.shot.planning.timetable import lay_out, together_by_shot
from transmixis.shot.planning.work import (
    as_finished,
    hours_of,
    learnt,
    left_in,
    record,
    shot_hours,
    stage_hours,
    with_more,
    with_work,
    with_work_from_order,
    without_moves,
    work_from,
)

MONDAY = "2026-05-11"


def shot(code: str, frames: int = 48, **values: object) -> Shot:
    """A shot whose plate is there."""
    hero = Plate(id="hero", role="hero", path=f"{code}.png")
    own = {"plates": (hero,), **values}
    return Shot(code=code, title=f"<{code}>", length=frames, rate="24", width=960, height=540, **own)  # type: ignore[arg-type]


def film(
    *shots: Shot, deadline: str = "2026-06-05", people: tuple[Worker, ...] = (Worker(name="Ada"),), **values: object
) -> Film:
    scenario = Scenario(name="class version", deadline=deadline)
    production = Production(
        name="Film",
        shots=tuple(s.code for s in shots),
        people=people,
        scenarios=(scenario,),
        day=MONDAY,
        **values,  # type: ignore[arg-type]
    )
    return Film(production=production, shots=shots)


KEYED = shot(
    "A", steps=(Step(id="k", kind="screen_key", name="Key"), Step(id="p", kind="place", name="Place")),
    plan={"takes": {"camera": "moving", "tricks": ["extend the set", "no such trick"]}},
)  # fmt: skip


def test_tasks_come_from_the_work_order_and_the_tricks() -> None:
    kinds = [w.kind for w in work_from(KEYED)]
    assert kinds == ["key", "camera solve", "place and match", "set extension", "check"]
    kept = with_work(with_work_from_order(KEYED), work_from(KEYED)[0].model_copy(update={"spent": 2.0}))
    again = with_work_from_order(with_more(kept, Work(id="paint_2", stage="Repair", kind="paint")))
    assert [w.spent for w in again.work if w.kind == "key"] == [2.0]
    assert [w.stage for w in again.work] == ["Matte", "Motion", "Repair", "Build", "Build", "Check"]
    # a shot that has no work order yet takes the steps that its tricks ask for
    planned = shot("B", plan={"takes": {"tricks": ["replace the background"]}})
    assert [w.kind for w in work_from(planned)] == ["key", "place and match", "check"]


def test_finished_tasks_teach_the_next_estimate() -> None:
    """Every key takes twice its rate: with each one that is finished the next estimate comes nearer."""
    shots = []
    for i in range(8):
        s = with_work_from_order(shot(f"S{i}", steps=KEYED.steps))
        plain = hours_of(s.work[0], s, Scenario(name="x"), {}).mean
        done = s.work[0].model_copy(update={"spent": 2 * plain, "done": True, "finished": f"2026-05-{i + 1:02d}"})
        shots.append(with_work(s, done) if i < 7 else s)
    whole = film(*shots)
    past = record(whole)
    errors = [abs(taught - took) / took for _, took, _, taught in past]
    assert errors[0] == pytest.approx(0.5)
    assert errors[-1] < 0.15
    assert all(a > b for a, b in itertools.pairwise(errors))
    known = learnt(whole)["key"]
    assert 1.7 < known.factor < 2
    assert shot_hours(whole, shots[0]).hours.mean > shots[0].work[0].spent
    found = question_of("estimate").of_shot(shots[7], whole)
    assert "7 finished tasks" in dict(found.rows)["learnt from"]
    assert len(found.drawing.record) == 7
    assert found.drawing.simulated[:3].mean() > 1.2 * found.drawing.simulated[25:].mean()  # 40 simulated shots


def test_another_version_does_not_change_what_was_learnt() -> None:
    s = with_work_from_order(shot("A", steps=KEYED.steps))
    f = film(s)
    f = film(with_work(s, as_finished(s.work[0], s, f, "2026-05-01").model_copy(update={"spent": 3.0})))
    finer = (Scenario(name="festival version", quality=0.9),)
    later = f.model_copy(update={"production": f.production.model_copy(update={"scenarios": finer})})
    assert learnt(later)["key"] == learnt(f)["key"]
    wilder = f.shots[0].model_copy(update={"plan": {"estimate": {"motion": 1.0, "edge": 4.0}}})
    assert learnt(f.with_shot(wilder))["key"] == learnt(f)["key"]
    fresh = shot("B", steps=KEYED.steps)
    assert (
        hours_of(work_from(fresh)[0], fresh, finer[0], learnt(later)).mean
        > hours_of(work_from(fresh)[0], fresh, f.production.scenarios[0], learnt(f)).mean
    )


def test_hours_spent_are_counted_and_what_is_left_never_vanishes() -> None:
    s = with_work_from_order(KEYED)
    over = with_work(s, s.work[0].model_copy(update={"spent": 100.0}))
    assert left_in(film(over), over) > 0
    assert stage_hours(film(over), over)["Matte"].hours.mean > 100
    sent = over.model_copy(update={"delivered": "out"})  # what was delivered took what it took
    assert left_in(film(sent), sent) == 0
    assert shot_hours(film(sent), sent).hours.mean == 100.0
    assert overview(film(sent)).hours == overview(film(sent)).spent == 100.0
    by_hand = shot("B", hours_estimate=5.0, hours_spent=2.0)
    assert left_in(film(by_hand), by_hand) == 3.0
    assert left_in(film(by_hand), by_hand.model_copy(update={"delivered": "x"})) == 0


def test_the_timetable_has_dates_and_says_what_drives_and_helps() -> None:
    """By hand: 40 h of a shot whose plates come on Monday 25 May take Ada's five days of 8 h, to Friday 29 May."""
    waiting = shot("A", hours_estimate=40.0, plates_due="2026-05-25", waits_for="storm plate")
    other = shot("B", hours_estimate=8.0)
    table = lay_out(film(waiting, other, deadline="2026-05-27"))
    assert table.done_on("A") == date(2026, 5, 29)
    assert table.done_on("B") == date(2026, 5, 11)
    assert table.missed.keys() == {"A"}
    assert table.working_days_late("A") == 2
    said = why(film(waiting, other, deadline="2026-05-27"), table)
    assert "storm plate" in said
    assert "2 working days late" in said
    assert table.helps[0].saved > 0
    assert [h.kind for h in table.helps][-1] == "date"  # always possible, and always a loss
    assert {h.kind for h in table.helps} == {"hours", "plates", "date"}
    mended = with_help(
        film(waiting, other, deadline="2026-05-27"), next(h for h in table.helps if h.kind == "plates" and h.left == 0)
    )
    assert not lay_out(mended).missed
    assert "sooner" in words_for(next(h for h in table.helps if h.kind == "plates"))
    more = with_help(film(waiting, other), next(h for h in table.helps if h.kind == "hours"))
    assert more.production.people[0].week[0] > 8
    assert more.production.people[0].week[6] == 0
    spare = table.spare(15)
    assert spare[1] == 8
    assert spare[14] == 0


def test_the_review_that_makes_a_shot_late_is_named_and_mended() -> None:
    """By hand: Ada needs five whole days from Monday 11 May. Built on Friday, a review of one day passes on Saturday, and nobody works before
    Monday, so the check makes the shot late by one working day. Looked at on the day itself it is in time."""
    tasks = (
        Work(id="place", stage="Build", kind="place and match"),
        Work(id="extend", stage="Build", kind="set extension"),
        Work(id="check", stage="Check", kind="check"),
    )
    s = shot("A", frames=10, work=tasks)
    f = film(s, deadline="2026-05-15")
    five_days = sum(t.hours for t in tasks_of(f, date(2026, 5, 11)).tasks) / 5
    days_full = Worker(name="Ada", week=(five_days,) * 5 + (0, 0))
    f = film(s, deadline="2026-05-15", people=(days_full,))
    assert not lay_out(f).missed
    one = f.production.scenarios[0].model_copy(update={"review_days": 1.0})
    f = f.model_copy(update={"production": f.production.model_copy(update={"scenarios": (one,)})})
    table = lay_out(f)
    assert table.working_days_late("A") == 1
    said = why(f, table)
    assert "A's check waits for the review of 1 day, until Sat 16 May. Ada has no hours then until Mon 18 May." in said
    assert "1 working day late" in said
    best = table.helps[0]
    assert best.kind == "review"
    assert words_for(best).endswith("nothing is late then.")
    assert not lay_out(with_help(f, best)).missed
    for h in table.helps:
        after = lay_out(with_help(f, h), helps=False)
        assert sum(after.schedule.late.values()) == pytest.approx(h.left, abs=0.01)
        assert sum(after.working_days_late(c) for c in after.missed) == h.days


def test_another_person_lower_quality_and_a_later_date_are_tried() -> None:
    work = with_work_from_order(shot("A", 200, steps=KEYED.steps, plan=KEYED.plan))
    f = film(work, work.model_copy(update={"code": "B"}), deadline="2026-05-13", people=(Worker(name="Ada"),))
    table = lay_out(f)
    by_kind = {h.kind: h for h in reversed(table.helps)}
    assert {"hours", "person", "quality", "date"} <= by_kind.keys()
    assert with_help(f, by_kind["person"]).production.people[1].name == "One more person"
    assert with_help(f, by_kind["quality"]).production.scenarios[0].quality < 0.5
    assert by_kind["date"].days == 0
    assert not lay_out(with_help(f, by_kind["date"])).missed
    own = f.with_shot(f.shot("A").model_copy(update={"due": "2026-05-12"}))
    later = [h for h in lay_out(own).helps if h.kind == "date" and h.whose == "A"]
    assert with_help(own, later[0]).shot("A").due > "2026-05-12"


def test_a_shot_whose_plates_are_not_there_stands_in_no_day(tmp_path: Path) -> None:
    nothing = shot("A", plates=(), hours_estimate=6.0)
    f = film(nothing, shot("B", hours_estimate=8.0))
    table = lay_out(f)
    assert {b.task.shot for b in table.schedule.blocks} == {"B"}
    assert table.undated == {"A": 6.0}
    assert "A has plates that are not there and have no day to come: 6.0 h stand in no day." in why(f, table)
    assert overview(f).rows["A"].waits == "plates, no day set"
    past = f.with_shot(nothing.model_copy(update={"plates_due": "2026-05-04"}))
    assert "were due before today" in why(past, lay_out(past))
    dated = f.with_shot(nothing.model_copy(update={"plates_due": "2026-05-18"}))
    assert not lay_out(dated).undated
    assert lay_out(dated).done_on("A") == date(2026, 5, 18)
    # a plate that the shot names but that is not on the disk is not there either
    (tmp_path / "B.png").write_bytes(b"x")
    assert shots_without_files(f, tmp_path) == frozenset()
    (tmp_path / "B.png").unlink()
    assert set(lay_out(f, gone=shots_without_files(f, tmp_path)).undated) == {"A", "B"}
    # what is done before the shoot needs no plates
    planned = nothing.model_copy(
        update={"work": (Work(id="plan", stage="Plan", kind="check"), Work(id="key", stage="Matte", kind="key"))}
    )
    laid = lay_out(film(planned))
    assert [b.task.name for b in laid.schedule.blocks] == ["plan"]
    assert why(film(nothing), lay_out(film(nothing))) != "Nothing is left to do."


def test_days_off_stages_and_reviews_are_kept() -> None:
    people = (
        Worker(name="Ada", does=("Matte",), off=("2026-05-12",)),
        Worker(name="Ben", week=(4, 4, 4, 4, 4, 0, 0), does=("Build", "Check", "Motion")),
    )
    s = with_work_from_order(KEYED)
    found = lay_out(film(s, people=people))
    for b in found.schedule.blocks:
        assert b.person == ("Ada" if b.task.name == "key" else "Ben")
    ada = next(p for p in found.people if p.name == "Ada")
    assert ada.hours(1) == 0
    assert ada.hours(0) == 8
    reviewed = film(s, people=people)
    scenario = reviewed.production.scenarios[0].model_copy(update={"review_days": 3})
    reviewed = reviewed.model_copy(update={"production": reviewed.production.model_copy(update={"scenarios": (scenario,)})})
    last = lay_out(reviewed).schedule.blocks[-1]
    built = max(b.end for b in lay_out(reviewed).schedule.blocks if b.task.name != "check")
    assert last.start >= built + 3
    with pytest.raises(UserError, match="Nobody does"):
        lay_out(film(s, people=(Worker(name="Ada", does=("Matte",)),)))
    with pytest.raises(UserError, match="Nobody works"):
        lay_out(film(s, people=()))
    assert overview(film(s, people=())).trouble


def test_a_later_version_asks_for_more_and_leaves_more_time() -> None:
    s = with_work_from_order(KEYED)
    f = film(s)
    two = (f.production.scenarios[0], Scenario(name="festival version", deadline="2026-07-17", quality=0.9))
    both = f.model_copy(update={"production": f.production.model_copy(update={"scenarios": two})})
    later = both.model_copy(update={"production": both.production.model_copy(update={"scenario": "festival version"})})
    first, second = overview(both), overview(later)
    assert second.hours > first.hours
    assert second.deadline == date(2026, 7, 17)
    assert second.scenario == "festival version"


def test_a_block_is_moved_to_somebody_and_to_a_day_and_freed_again() -> None:
    people = (Worker(name="Ada"), Worker(name="Ben"))
    s = with_work_from_order(KEYED)
    f = film(s, people=people)
    table = lay_out(f)
    block, tasks = together_by_shot(table.schedule.blocks, table.people)[0]
    other = "Ben" if block.person == "Ada" else "Ada"
    moved = with_block_moved(f, table, "A", tuple(tasks), other, 3)
    after = lay_out(moved)
    assert all(b.person == other for b in after.schedule.blocks if b.task.name in tasks)
    assert min(b.start for b in after.schedule.blocks if b.task.name in tasks) >= 3
    assert without_moves(moved) == f
    # a block that is held back by hand is no plate that could come sooner: freeing it helps
    held = with_block_moved(f, table, "A", tuple(tasks), other, 40)
    late = lay_out(held)
    assert late.missed
    assert late.helps[0].kind == "freed"
    assert not lay_out(with_help(held, late.helps[0])).missed
    assert "held back by hand" in why(held, late)
    assert all(h.kind != "plates" for h in late.helps)
    for h in late.helps:
        assert with_help(held, h) != held
    plain = film(shot("B", hours_estimate=8.0), people=people)
    later = with_block_moved(plain, lay_out(plain), "B", ("work",), "Ada", 2)
    assert later.shot("B").plates_due == "2026-05-13"
    assert with_block_moved(plain, lay_out(plain), "B", ("work",), "Ada", 0) == plain


def test_three_hundred_shots_are_told_of() -> None:
    shots = tuple(with_work_from_order(shot(f"S{i:03d}", 24 + i % 50, steps=KEYED.steps)) for i in range(300))
    found = overview(film(*shots, people=tuple(Worker(name=n) for n in ("Ada", "Ben", "Cem"))), search=False)
    assert len(found.rows) == 300
    assert found.table is not None
    assert len(found.table.missed) > 10
    assert found.rows["S000"].risk in ("low", "some", "high")


def test_what_was_learnt_is_worked_out_once_a_film(monkeypatch: pytest.MonkeyPatch) -> None:
    """Asked anew for every task it was nine tenths of laying a long film out."""
    asked: list[int] = []
    monkeypatch.setattr("transmixis.shot.planning.work.learn", lambda log: asked.append(len(log)) or learn(log))
    shots = tuple(with_work_from_order(shot(f"S{i:03d}", steps=KEYED.steps)) for i in range(40))
    overview(film(*shots), search=False)
    assert len(asked) < 5


def test_a_kind_of_work_that_nobody_knows_is_refused() -> None:
    with pytest.raises(ValueError, match="no kind of work"):
        Work(id="x", stage="Matte", kind="luck")


def test_agreements_are_told() -> None:
    said = (
        Agreement(who="director", when="2026-05-04", said="yes"),
        Agreement(who="producer", when="2026-05-05", said="too dear", answer="against"),
    )
    s = shot("A", agreements=said)
    found = question_of("agree").of_shot(s)
    assert found.words == "Against: producer."
    assert "agree" in answered(s)
    changed = shot("A", agreements=(*said, Agreement(who="producer", when="2026-05-09", said="one day", answer="agreed if")))
    assert question_of("agree").of_shot(changed).words == "Not asked yet: post supervisor."


@pytest.mark.parametrize("kind", KINDS)
def test_reports_are_pages_and_tables(kind: str) -> None:
    s = with_work_from_order(KEYED).model_copy(update={"plates": (Plate(id="h", role="hero", path="a.png", name="hero"),)})
    f = film(s, shot("B"))
    entries = [Entry("2026-05-11T09:00:00", "made", "", "=1+1 & <b>", {})]
    page = report(kind, f, "A", overview(f), entries, "html", b"\x89PNG")
    assert page.startswith("<!doctype html>")
    assert "<b>" not in page or kind in ("shoot", "brief", "breakdown")
    if kind == "brief":
        with pytest.raises(UserError, match="page"):
            report(kind, f, "A", overview(f), entries, "csv")
        assert "data:image/png" in page
        return
    rows = list(csv.reader(io.StringIO(report(kind, f, "A", overview(f), entries, "csv"))))
    assert len(rows) > 1
    assert len({len(r) for r in rows}) == 1
    if kind == "log":
        assert rows[1][3] == "'=1+1 & <b>"  # no formula for a spreadsheet


def test_a_report_that_there_is_none_of_is_told() -> None:
    with pytest.raises(UserError, match="no shot"):
        report("shoot", film(shot("A")), "Z", overview(film(shot("A"))), [], "html")
    with pytest.raises(UserError, match="no shots"):
        report("brief", film(), "", overview(film()), [], "html")
    with pytest.raises(UserError, match="no report"):
        report("novel", film(shot("A")), "A", overview(film(shot("A"))), [], "html")
    assert Table("t", ("a",), (("-3",), ("-x",))).csv().split() == ["a", "-3", "'-x"]


# -- calendars


@settings(max_examples=30)
@given(
    first=st.dates(date(2000, 1, 1), date(2090, 1, 1)),
    days=st.integers(0, 40),
    words=st.text(st.characters(codec="utf-8", exclude_categories=["C"]), min_size=1),
)
def test_calendars_come_back_as_they_were_written(
    tmp_path_factory: pytest.TempPathFactory, first: date, days: int, words: str
) -> None:
    path = tmp_path_factory.mktemp("cal") / "a.ics"
    path.write_bytes(calendar_bytes([DayEvent("x@y", first, first + timedelta(days=days), words)], "Film"))
    assert read_days(path) == [first + timedelta(days=k) for k in range(days + 1)]


def test_calendars_of_others(tmp_path: Path) -> None:
    """RFC 5545: a timed event over midnight, one with a duration, one that ends at midnight."""
    path = tmp_path / "b.ics"
    events = (
        "DTSTART:20260522T220000Z\nDTEND:20260523T020000Z",
        "DTSTART;VALUE=DATE:20260601\nDURATION:P2D",
        "DTSTART:20260610T080000Z\nDTEND:20260611T000000Z",
        "DTSTART;VALUE=DATE:20260615",
    )
    body = "".join(f"BEGIN:VEVENT\nUID:{i}\nDTSTAMP:20260101T000000Z\n{e}\nEND:VEVENT\n" for i, e in enumerate(events))
    path.write_text(f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//x//y//EN\n{body}END:VCALENDAR\n".replace("\n", "\r\n"))
    assert [d.isoformat() for d in read_days(path)] == [
        "2026-05-22",
        "2026-05-23",
        "2026-06-01",
        "2026-06-02",
        "2026-06-10",
        "2026-06-15",
    ]
    off = with_days_off(film(shot("A")), "Ada", read_days(path)).production.people[0].off
    assert "2026-06-01" in off


@pytest.mark.parametrize(
    "text", ["", "no calendar", "BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n", "BEGIN:VEVENT\r\nDTSTART:x\r\nEND:VEVENT\r\n"]
)
def test_files_that_are_no_calendars_are_told(tmp_path: Path, text: str) -> None:
    path = tmp_path / "c.ics"
    path.write_text(text)
    with pytest.raises(UserError):
        read_days(path)
    with pytest.raises(UserError, match="Cannot read"):
        read_days(tmp_path / "none.ics")


def test_the_schedule_as_a_calendar() -> None:
    f = film(shot("A", hours_estimate=20.0), shot("B", hours_estimate=8.0), deadline="2026-05-12")
    events = events_of(f, lay_out(f))
    assert {e.summary.split()[0].rstrip(":") for e in events} == {"A", "B"}
    assert sum("deadline" in e.summary for e in events) == 2
    assert any("missed" in e.summary for e in events)
    first = min(e.first for e in events)
    assert first == date(2026, 5, 11)
    assert len({e.uid for e in events}) == len(events)


@pytest.mark.parametrize("by_hand", [None, 11.0])
def test_board_and_page_say_the_same_hours(by_hand: float | None) -> None:
    for s in (shot("A", steps=KEYED.steps, hours_estimate=by_hand), with_work_from_order(shot("A", steps=KEYED.steps))):
        f = film(s)
        row = overview(f).rows["A"]
        said = question_of("estimate").of_shot(s, f).words
        assert said.startswith(f"{row.whole.hours.mean:.1f} h, give or take {row.whole.hours.deviation:.1f} h")
        assert sum(t.hours for t in tasks_of(f, date(2026, 5, 11)).tasks) == pytest.approx(row.left)


def test_what_is_cut_out_to_freeze_it_is_cut_on_one_frame() -> None:
    frozen = shot("A", 96, plan={"takes": {"tricks": ["freeze a moment and move it"]}})
    cut = next(w for w in work_from(frozen) if w.kind == "cut by hand")
    assert cut.frames == 1
    assert hours_of(cut, frozen, Scenario(name="x"), {}).mean < 0.5
    flown = shot("A", 96, plan={"takes": {"tricks": ["freeze a moment and move it", "float or throw an object"]}})
    assert next(w for w in work_from(flown) if w.kind == "cut by hand").frames is None


def test_reports_say_who_must_agree_what_may_go_wrong_where_and_when() -> None:
    plan = {
        "takes": {"tricks": ["duplicate a performer"], "place": "The old slip"},
        "lens": {"depth": 2.0},
        "shadow": {"latitude": 57.6, "longitude": -5.8, "second_day": "2026-05-22", "second_hour": 10.7},
    }
    said = (Agreement(who="producer", when="2026-05-05", said="too <dear>", answer="against"),)
    f = film(shot("A", plan=plan, agreements=said, hours_estimate=400.0), shot("B", plates=()), deadline="2026-06-05")
    view = overview(f)
    brief = report("brief", f, "A", view, [], "html")
    for words in ("director", "actor", "post supervisor", "not yet", "Tue 5 May 2026", "too &lt;dear&gt;", "working days late"):
        assert words in brief
    assert "The producer is against it" in brief
    assert "2026-05-05" not in brief
    assert "Which lens, how far?" in brief
    assert "have no day on which they come" in report("brief", f, "B", view, [], "html")
    assert "none found" in report("brief", film(shot("C")), "C", overview(film(shot("C"))), [], "html")
    shoot = report("shoot", f, "A", view, [], "html")
    for words in ("The old slip (57.60° N, 5.80° W)", "Fri 22 May 2026 at 10:42"):
        assert words in shoot
    # an hour whose shadows were found wrong is not printed, nor a place that nobody has said
    wrong = shot("D", plan={"shadow": {"second_day": "2026-05-22", "second_hour": 15.0}})
    printed = report("shoot", film(wrong), "D", overview(film(wrong)), [], "html")
    assert "15:00" not in printed
    assert "not settled yet: the shadows do not agree" in printed
    assert "50.00" not in printed
    broken = shot("D", plan={"shadow": {"second_hour": "luck"}})
    assert "not set" in report("shoot", film(broken), "D", overview(film(broken)), [], "html")
    assert "not set" in report("shoot", film(shot("C")), "C", overview(film(shot("C"))), [], "html")
    rows = list(csv.reader(io.StringIO(report("schedule", f, "A", view, [], "csv"))))
    assert rows[0][4] == "hours"
    assert sum(float(r[4]) for r in rows[1:]) == pytest.approx(400.0, abs=0.2)
    assert rows[1][5] == "2026-05-11"  # a table is for programs
    assert "Mon 11 May 2026" in report("schedule", f, "A", view, [], "html")
    assert "2026-05-11" not in report("schedule", f, "A", view, [], "html")
    assert "Mon 4 May 2026, 10:00" in report("log", f, "A", view, [Entry("2026-05-04T10:00:00", "note", "A", "x", {})], "html")


def test_the_words_name_who_works_on_it_and_what_leaves_time() -> None:
    work = (Work(id="key", stage="Matte", kind="key", who=("Ada",)), Work(id="roto", stage="Matte", kind="roto", who=("Ben",)))
    people = (Worker(name="Ada"), Worker(name="Ben"))
    s, other = shot("A", work=work), shot("B", hours_estimate=3.0)
    f = film(s, other, people=people, deadline="2026-05-15")
    f = f.with_shot(f.shot("A").model_copy(update={"due": "2026-05-13"}))
    table = lay_out(f)
    hours = {b.task.name: b.task.hours for b in table.schedule.blocks if b.task.shot == "A"}
    said = why(f, table)
    assert table.schedule.drives == "A"
    for name, who in (("key", "Ada"), ("roto", "Ben")):
        assert f"{hours[name]:.1f} h {who}" in said
    assert "working day" in said
    assert "late" not in said
    idle = f.with_shot(f.shot("A").model_copy(update={"plates_due": "2026-05-16"}))  # a Saturday
    assert "Ada has no hours then until Mon 18 May." in why(idle, lay_out(idle))
