"""Proving a repair: how long it must stay clean, what became of findings, and what state that gives."""

from dataclasses import replace as replaced
from datetime import UTC, date, datetime, timedelta
from math import comb, inf
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from scipy import stats
from statsmodels.stats.rates import test_poisson_2indep as two_rates

from jobs import change, job_of, recorded
from nervus.cli import main
from nervus.domain.analysis import Analysis
from nervus.domain.channel import CHANNEL_KINDS, Channel, Mark, Recording
from nervus.domain.entry import Source
from nervus.domain.finding import Disagreement, OffRest, RestCause
from nervus.domain.job import (
    CELLS,
    AnyEntry,
    Findings,
    Job,
    JobState,
    Moved,
    Reading,
    SeenPlace,
    Stayed,
    TakenOff,
    Watch,
    new_id,
    now,
)
from nervus.domain.job_list import JobRow
from nervus.domain.repair import Exposure
from nervus.judge.analyse import analyse
from nervus.judge.how_long import (
    chance_cured,
    chance_of_clean,
    clean_needed,
    needed_for,
    rates_alike,
)
from nervus.judge.of_job import judge_job, kept
from nervus.knowledge import judging
from nervus.logbook import Logbook
from nervus.proof.again import Asked, AskedAgain, ask_again
from nervus.proof.calendar import as_calendar, due_rows
from nervus.proof.differences import differences, measures, readings_again
from nervus.proof.proposing import PlanUnreadable, planned, propose_watch
from nervus.proof.states import StateNotYet, due_day, moved_to
from nervus.proof.telling import due_on, standing_told
from nervus.proof.watching import from_recording, prior_of, standing, uncounted
from nervus.report.due_jobs import CalendarUnwritable, due_told, write_calendar
from nervus.standin.demo import case_named
from signals import sweep_recording


def watch(exposure: Exposure, events: int, amount: float, sure: float = 0.95) -> Watch:
    return Watch(
        id=new_id(), at=now(), source=Source.TYPED, exposure=exposure, events=events, amount=amount,
        sure=sure,
    )  # fmt: skip


# -- how long ---------------------------------------------------------------------------------------


@given(st.integers(1, 40), st.floats(0.1, 1e4), st.floats(0.0, 1e4))
def test_time_without_an_event_is_judged_by_the_exact_conditional_test(
    n: int, t: float, later: float
) -> None:
    """Source: SciPy's binomial: given n events in all, each falls before with the share of that time."""
    share = t / (t + later)
    expected = float(stats.binom.sf(n - 1, n, share))
    assert chance_of_clean(watch(Exposure.DRIVEN, n, t), later) == pytest.approx(expected, rel=1e-9)


@given(st.integers(1, 30), st.integers(0, 60), st.integers(0, 200))
def test_trials_without_an_event_are_judged_by_fishers_exact_test(k: int, more: int, later: int) -> None:
    """Source: SciPy's Fisher exact test, one-sided."""
    n = k + more
    table = np.asarray([[k, n - k], [0, later]])
    expected = float(stats.fisher_exact(table, alternative="greater").pvalue) if later else 1.0
    got = chance_of_clean(watch(Exposure.PASSES, k, float(n)), float(later))
    assert got == pytest.approx(expected, rel=1e-6, abs=1e-12)


@pytest.mark.parametrize(
    ("exposure", "events", "amount", "sure", "needed"),
    [
        # By hand: (T / (T + t))^n = 0.05; the 19-fold time after a single event.
        (Exposure.DRIVEN, 1, 2.0, 0.95, 38.0),
        (Exposure.DRIVEN, 3, 1.0, 0.95, 20 ** (1 / 3) - 1),
        (Exposure.SHAKEN, 2, 5.0, 0.99, 5.0 * 9.0),
        # By hand: all of 3 showed it: 1 / C(3 + m, 3) <= 0.05 at m = 3, for C(6, 3) = 20.
        (Exposure.PASSES, 3, 3.0, 0.95, 3.0),
        # One of one: 1 / (1 + m) <= 0.05 at m = 19.
        (Exposure.STARTED, 1, 1.0, 0.95, 19.0),
    ],
)
def test_what_has_to_stay_clean_as_worked_by_hand(
    exposure: Exposure, events: int, amount: float, sure: float, needed: float
) -> None:
    assert clean_needed(watch(exposure, events, amount, sure)) == pytest.approx(needed)


@given(st.integers(1, 20), st.integers(0, 30), st.sampled_from([0.9, 0.95, 0.99]))
def test_one_trial_fewer_would_not_do(k: int, more: int, sure: float) -> None:
    plan = watch(Exposure.WET, k, float(k + more), sure)
    needed = clean_needed(plan)
    assert chance_of_clean(plan, needed) <= 1 - sure + 1e-12
    assert chance_of_clean(plan, needed - 1) > 1 - sure
    assert comb(k + more, k) / comb(k + more + int(needed), k) == pytest.approx(
        chance_of_clean(plan, needed)
    )


@given(st.integers(1, 30), st.floats(0.5, 100), st.integers(0, 30), st.floats(0.5, 100))
def test_two_rates_are_compared_as_the_reference_does(a: int, ta: float, b: int, tb: float) -> None:
    """Source: statsmodels' exact conditional test of two Poisson rates, one-sided."""
    expected = float(two_rates(b, tb, a, ta, method="exact-cond", alternative="smaller").pvalue)
    assert rates_alike(a, ta, b, tb) == pytest.approx(expected, rel=1e-6, abs=1e-12)


def test_two_rates_as_a_published_example() -> None:
    """41 cases in 28 010 person-years against 15 in 19 017: K. Krishnamoorthy, J. Thomson, "A more
    powerful test for comparing two Poisson means", J. Stat. Plan. Inference 119 (2004) 23-35, example
    from K. J. Rothman and S. Greenland; the conditional test is the binomial, computed by SciPy."""
    expected = float(stats.binom.cdf(15, 56, 19_017 / (19_017 + 28_010)))
    assert rates_alike(41, 28_010, 15, 19_017) == pytest.approx(expected)
    assert 0.02 < rates_alike(41, 28_010, 15, 19_017) < 0.03
    with pytest.raises(ValueError, match="above 0"):
        rates_alike(1, 0.0, 0, 1.0)


def test_zero_failures_prove_as_many_trials_as_the_handbook_says() -> None:
    """Success run (Clopper and Pearson, Biometrika 26 (1934) 404-413): 59 of 59 show 95 in 100 at 95 %.

    In the limit of many trials before, a share of 5 in 100 takes as many clean ones.
    """
    assert clean_needed(watch(Exposure.PASSES, 50_000, 1_000_000.0)) == pytest.approx(59, abs=1)


def test_the_probability_of_a_cure_follows_bayes_and_asks_more_of_an_unlikely_one() -> None:
    assert chance_cured(0.5, 0.05) == pytest.approx(0.5 / 0.525)
    assert chance_cured(0.0, 0.05) == 0.0
    plan = watch(Exposure.DRIVEN, 3, 2.0)
    assert needed_for(plan, 0.9) == pytest.approx(clean_needed(plan))
    doubtful = needed_for(plan, 0.1)
    assert chance_cured(0.1, chance_of_clean(plan, doubtful)) == pytest.approx(0.95)
    assert needed_for(plan, 0.0) == inf


# -- the watch of a job -----------------------------------------------------------------------------


def mended_job(*more: AnyEntry) -> Job:
    return job_of(change("throttle sensor renewed"), *more)


def planned_watch(job: Job, exposure: Exposure = Exposure.DRIVEN) -> Watch:
    return planned(exposure, "3", "1,5", 0.95, "over bumps", propose_watch(job), job)


def stayed(plan: Watch, amount: float, events: int = 0, exposure: Exposure | None = None) -> Stayed:
    return Stayed(
        id=new_id(), at=plan.at + timedelta(seconds=1), source=Source.TYPED,
        exposure=exposure or plan.exposure, amount=amount, events=events,
    )  # fmt: skip


def with_entries(job: Job, *entries: AnyEntry) -> Job:
    return replace(job, entries=(*job.entries, *entries))


def test_a_watch_counts_its_own_exposure_only_and_is_met_when_enough_stayed_clean() -> None:
    job = mended_job()
    plan = planned_watch(job)
    needed = clean_needed(plan)
    half = with_entries(
        job, plan, stayed(plan, needed / 2), stayed(plan, 500, exposure=Exposure.STARTED)
    )
    stands = standing(half, 0.8)
    assert stands is not None
    assert not stands.is_met
    assert stands.clean == pytest.approx(needed / 2)
    assert stands.left == pytest.approx(needed / 2)
    whole = standing(with_entries(half, stayed(plan, needed / 2)), 0.8)
    assert whole is not None
    assert whole.is_met
    assert whole.cured == pytest.approx(0.8 / (0.8 + 0.2 * 0.05))
    assert "The plan is met" in " ".join(standing_told(whole))


def test_an_event_ends_the_watch_whatever_was_clean_before() -> None:
    job = mended_job()
    plan = planned_watch(job)
    stands = standing(with_entries(job, plan, stayed(plan, 50.0), stayed(plan, 1.0, events=1)), 0.8)
    assert stands is not None
    assert not stands.is_met
    assert stands.cured == 0.0
    assert stands.alike == pytest.approx(rates_alike(3, 1.5, 1, 51.0))
    assert "not mended" in " ".join(standing_told(stands))


def test_a_plan_ends_with_the_next_change_and_two_changes_are_confounded() -> None:
    job = mended_job()
    plan = planned_watch(job)
    later = replace(change("plug cleaned and seated"), at=plan.at + timedelta(seconds=5))
    assert standing(with_entries(job, plan, stayed(plan, 50.0), later), 0.8) is None
    both = job_of(change("throttle sensor renewed"), change("plug cleaned and seated"))
    stands = standing(with_entries(both, planned_watch(both)), 0.8)
    assert stands is not None
    assert [c.done for c in stands.together] == ["throttle sensor renewed", "plug cleaned and seated"]
    assert "Confounded" in " ".join(standing_told(stands))


def found_in(recording: AnyEntry, **more: object) -> Findings:
    base = Findings(
        id=new_id(), at=recording.at, source=Source.ANALYSIS, recording=recording.id, headline="worn"
    )
    return replace(base, **more)


def test_a_worn_place_is_watched_in_passes_over_it() -> None:
    before = recorded("before")
    place = SeenPlace(channel="tps1_v", travel_pct=(18.0, 21.0), seen_in=14, crossed=18)
    job = job_of(before, found_in(before, places=(place,)), change("throttle sensor renewed"))
    like = propose_watch(job)
    assert (like.exposure, like.events, like.amount) == (Exposure.PASSES, 14, 18.0)
    plan = planned(like.exposure, "14", "18", 0.95, "", like, job)
    after = replace(recorded("after"), at=plan.at + timedelta(seconds=2), duration_s=30.0)
    crossed = tuple(9 if 8 <= n <= 12 else 3 for n in range(CELLS))
    clean = found_in(after, crossed=crossed)
    job = with_entries(job, plan, after, clean)
    assert uncounted(job) == ((after, clean),)
    assert from_recording(plan, clean, 30.0) == (9.0, 0)
    again = replace(clean, places=(replace(place, seen_in=5, crossed=9),))
    assert from_recording(plan, again, 30.0) == (9.0, 5)
    elsewhere = replace(clean, places=(replace(place, travel_pct=(60.0, 62.0)),))
    assert from_recording(plan, elsewhere, 30.0) == (9.0, 0)
    counted = replace(stayed(plan, 9.0), recording=after.id)
    assert uncounted(with_entries(job, counted)) == ()
    assert from_recording(replace(plan, exposure=Exposure.DRIVEN), clean, 30.0) is None


def test_what_was_counted_as_watched_does_not_weigh_twice() -> None:
    job = mended_job()
    plan = planned_watch(job, Exposure.WATCHED)
    after = replace(recorded("after"), at=plan.at + timedelta(seconds=2), duration_s=600.0)
    clean = found_in(after)
    known = with_entries(job, plan, after, clean)
    counted = with_entries(known, replace(stayed(plan, 10.0), recording=after.id))
    assert prior_of(counted) == pytest.approx(prior_of(with_entries(job, plan)))
    assert prior_of(job_of()) == 0.5


@pytest.mark.parametrize(
    ("events", "amount", "exposure", "says"),
    [
        ("0", "2", Exposure.DRIVEN, "from 1 on"),
        ("two", "2", Exposure.DRIVEN, "no number"),
        ("1.5", "2", Exposure.DRIVEN, "whole number"),
        ("1", "-2", Exposure.DRIVEN, "no number"),
        ("1", "0", Exposure.DRIVEN, "more than 0"),
        ("5", "3", Exposure.PASSES, "can't be"),
        ("nan", "3", Exposure.PASSES, "no number"),
    ],
)
def test_a_plan_that_cannot_be_is_refused_in_a_sentence(
    events: str, amount: str, exposure: Exposure, says: str
) -> None:
    job = mended_job()
    with pytest.raises(PlanUnreadable, match=says):
        planned(exposure, events, amount, 0.95, "", propose_watch(job), job)


# -- states -----------------------------------------------------------------------------------------


def test_mended_before_the_plan_is_met_needs_words_and_is_tentative() -> None:
    job = mended_job()
    plan = planned_watch(job)
    stands = standing(with_entries(job, plan), 0.8)
    with pytest.raises(StateNotYet, match="to go"):
        moved_to(job, JobState.MENDED, stands)
    with pytest.raises(StateNotYet, match="not planned"):
        moved_to(job, JobState.MENDED, None)
    early = moved_to(job, JobState.MENDED, stands, "customer leaves the island")
    assert early.tentative
    met = standing(with_entries(job, plan, stayed(plan, 100.0)), 0.8)
    assert not moved_to(job, JobState.MENDED, met).tentative


def test_nothing_is_watched_while_something_is_off() -> None:
    off = TakenOff(id=new_id(), at=now(), source=Source.SEEN, what="coolant hose")
    for state in (JobState.WATCHING, JobState.MENDED):
        with pytest.raises(StateNotYet, match="coolant hose"):
            moved_to(mended_job(off), state, None, "why")
    assert moved_to(mended_job(off), JobState.WAITING, None).state is JobState.WAITING
    for settled in (replace(off, put_back=True), replace(off, waived="none on this engine")):
        assert moved_to(mended_job(settled), JobState.WATCHING, None).due is not None


def test_a_come_back_says_which_repair_did_not_hold() -> None:
    job = mended_job()
    assert moved_to(job, JobState.CAME_BACK, None).about == job.entries[0].id


def test_a_due_day_is_no_day_that_is_over() -> None:
    today = date(2026, 5, 4)
    assert due_day("10", today) == date(2026, 5, 14)
    assert due_day("2026-05-04", today) == today
    for typed in ("2026-05-03", "soon", "99999999999"):
        with pytest.raises(StateNotYet):
            due_day(typed, today)


def test_the_watch_is_due_when_a_usual_vehicle_has_met_it() -> None:
    job = mended_job()
    stands = standing(with_entries(job, planned_watch(job)), 0.8)
    assert stands is not None
    # 1.5 h x (20^(1/3) - 1) = 2.6 h of driving at 1.5 h a day.
    assert due_on(stands, date(2026, 5, 4)) == date(2026, 5, 6)


def test_due_jobs_go_out_as_a_calendar_that_a_reference_reads() -> None:
    """RFC 5545, read by vobject; line length by the standard's 75 octets."""
    import vobject

    made = datetime(2026, 5, 4, 7, 0, tzinfo=UTC)
    long = "stumbles; hunts, and a comma, " * 6 + "\\ Ω"
    row = JobRow(
        "0" * 16, "1" * 16, "No 2 · parcel van", long, "P0121", "", JobState.WATCHING,
        date(2026, 5, 3), made, made,
    )  # fmt: skip
    none = JobRow("1" * 16, "1" * 16, "No 3", "", "", "", JobState.OPEN, None, made, made)
    written = as_calendar([row, none], made)
    assert max(len(line) for line in written.split(b"\r\n")) <= 75
    event = vobject.readOne(written.decode()).vevent
    assert event.dtstart.value == date(2026, 5, 3)
    assert event.dtend.value == date(2026, 5, 4)
    assert long.strip() in event.description.value
    assert len(vobject.readOne(written.decode()).contents["vevent"]) == 1
    assert due_rows([row, none], date(2026, 5, 4)) == [row]
    assert due_rows([row, none], date(2026, 5, 2)) == []


# -- before and after -------------------------------------------------------------------------------


def seen(case: str) -> tuple[Analysis, Recording]:
    made = case_named(case).make()
    return analyse(made), made


def again(before: Analysis, after: Recording) -> tuple[AskedAgain, ...]:
    return ask_again(before, analyse(after), after)


def test_a_dead_spot_is_gone_in_a_sound_recording_and_still_there_in_itself() -> None:
    (worn, worn_made), (sound, sound_made) = seen("dead-spot"), seen("healthy")
    assert {a.outcome for a in again(worn, worn_made)} == {Asked.STILL}
    assert {a.outcome for a in again(worn, sound_made)} == {Asked.GONE}
    new = again(sound, worn_made)
    assert new
    assert {a.outcome for a in new} == {Asked.NEW}


def test_a_place_that_was_not_swept_again_is_not_told_as_gone() -> None:
    worn, _ = seen("dead-spot")
    assert again(worn, sweep_recording(low_pct=40.0, passes=6))[0].outcome is Asked.NOT_TESTED
    assert again(worn, sweep_recording(passes=2))[0].outcome is Asked.NOT_YET
    assert again(worn, sweep_recording(passes=12))[0].outcome is Asked.GONE


def test_a_loose_wire_that_nobody_shook_is_not_told_as_gone() -> None:
    """The drops came with marks of shaking; a still recording, however long, tests another thing."""
    loose, made = seen("loose-wire")
    assert {a.outcome for a in again(loose, made)} == {Asked.STILL}
    still = sweep_recording(passes=40)
    both = [
        replaced(c, kind=CHANNEL_KINDS[n])
        for c, n in zip(still.channels, ("tps2_v", "vref_v"), strict=True)
    ]
    quiet = Recording((still.channels[0], *both))
    outcomes = {a.outcome for a in again(loose, quiet)} - {Asked.NEW}
    assert outcomes == {Asked.NOT_TESTED}
    shaken = replaced(quiet, marks=(Mark(5.0, "shake, plug"),))
    assert Asked.NOT_TESTED not in {a.outcome for a in again(loose, shaken)}
    other = Recording((still.channels[1],))
    assert {a.why.endswith("was not recorded again") for a in again(loose, other)} == {True}


def test_a_rest_that_was_off_when_hot_is_asked_for_as_hot() -> None:
    off = OffRest(
        channels=("tps1_v",), times_s=((1.0, 2.0),), confidence=0.9, text="rests at 8 %", rest_pct=8.0,
        usual_rest_pct=1.0, cause=RestCause.PLATE, ect_c=92.0,
    )  # fmt: skip
    sound = sweep_recording(passes=8)
    before = analyse(sound)
    before = replaced(before, examination=replaced(before.examination, findings=(off,)))

    def at(ect_c: float) -> Recording:
        time_s = sound.channels[0].time_s.copy()
        coolant = Channel(CHANNEL_KINDS["ect_c"], time_s, np.full_like(time_s, ect_c))
        return Recording((*sound.channels, coolant))

    assert again(before, at(90.0))[0].outcome is Asked.GONE
    assert "this time at 40" in again(before, at(40.0))[0].why
    assert "coolant was not recorded" in again(before, sound)[0].why
    held = sweep_recording(low_pct=40.0)
    assert again(before, held)[0].why == "the throttle was not let go"


def test_numbers_differ_only_beyond_their_uncertainty() -> None:
    """Source: JCGM 100:2008, expanded uncertainty with coverage factor 2."""
    from signals import sweep_recording

    base = [sweep_recording(passes=8, seed=s) for s in (1, 2)]
    moved = sweep_recording(passes=8, seed=3, shift_v=0.12)
    analysed = [analyse(r) for r in (*base, moved)]
    numbers = [measures(r, a) for r, a in zip((*base, moved), analysed, strict=True)]
    same = differences(numbers[0], numbers[1])
    assert same
    assert not any(d.has_changed for d in same if d.what != "track 1 noise")
    shifted = differences(numbers[0], numbers[2])
    rest = next(d for d in shifted if d.what == "track 1 at rest")
    assert rest.has_changed
    assert rest.after - rest.before == pytest.approx(0.12, abs=rest.uncertainty)


def test_a_line_is_read_again_with_the_meters_uncertainty() -> None:
    repaired = change("ground wire repaired")

    def reading(value: float, seconds: int) -> Reading:
        return Reading(
            id=new_id(), at=repaired.at + timedelta(seconds=seconds), source=Source.TYPED,
            where="ground, unit to body", value=value, unit="Ω", conditions="key off",
        )  # fmt: skip

    rows = readings_again(job_of(reading(3.5, -9), repaired, reading(0.2, 9)), repaired)
    assert [(r.before, r.after, r.has_changed) for r in rows] == [(3.5, 0.2, True)]
    rows = readings_again(job_of(reading(3.5, -9), repaired, reading(3.505, 9)), repaired)
    assert not rows[0].has_changed
    assert np.isfinite(rows[0].uncertainty)


# -- the judgement hears of it ----------------------------------------------------------------------


def cured(job: Job) -> float:
    judged = judge_job(job).cured
    assert judged is not None
    return judged


def moved(job: Job, state: JobState, *, tentative: bool = False) -> Moved:
    at = job.entries[-1].at + timedelta(seconds=1)
    return Moved(id=new_id(), at=at, source=Source.TYPED, state=state, tentative=tentative, words="why")


def test_what_was_watched_weighs_in_the_judgement_by_how_much_it_was() -> None:
    job = with_entries(mended_job(), planned_watch(mended_job()))
    plan = job.entries[-1]
    assert isinstance(plan, Watch)
    nothing, little, much, again = (
        cured(with_entries(job, *more))
        for more in ((), (stayed(plan, 0.5),), (stayed(plan, 40.0),), (stayed(plan, 1.0, events=2),))
    )
    assert again < 0.1 < nothing < little < much
    # Two stretches of a watch are one: the chance of both is not that of each, multiplied.
    assert cured(with_entries(job, stayed(plan, 20.0), stayed(plan, 20.0))) == pytest.approx(much)


def test_mended_said_too_early_is_no_evidence_and_a_come_back_always_is() -> None:
    job = with_entries(mended_job(), planned_watch(mended_job()))
    plan = job.entries[-1]
    assert isinstance(plan, Watch)
    clean = with_entries(job, stayed(plan, 1.0))
    early = with_entries(job, moved(job, JobState.MENDED, tentative=True))
    assert cured(early) == pytest.approx(cured(job))
    assert cured(with_entries(clean, moved(clean, JobState.CAME_BACK))) < 0.5 * cured(clean)
    assert judge_job(with_entries(clean, moved(clean, JobState.MENDED))).standing.mended
    assert not judge_job(early).standing.mended


def test_an_untested_repair_is_not_told_as_a_cure() -> None:
    worn = recorded("before")
    place = SeenPlace(channel="tps1_v", travel_pct=(18.0, 21.0), seen_in=14, crossed=18)
    analysed = kept(analyse(case_named("dead-spot").make()), worn, judging())
    found = replace(analysed, at=worn.at, places=(place,))
    job = job_of(worn, found, change("throttle sensor renewed"))
    assert "not tested yet" in judge_job(job).standing.headline
    plan = planned_watch(job, Exposure.DRIVEN)
    tested = judge_job(with_entries(job, plan, stayed(plan, 60.0)))
    assert "it is cured" in tested.standing.headline


def test_the_command_lists_and_writes_due_jobs(
    tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    book = Logbook(tmp_path / "logbook.db")
    job = job_of(change("plug cleaned"))
    due = replace(moved(job, JobState.WATCHING), due=date.today() - timedelta(days=3))
    book.put_job(with_entries(job, due))
    book.close()
    where = ["--logbook", str(tmp_path / "logbook.db")]
    assert main(["due", *where]) == 0
    assert job.id in capsys.readouterr().out
    to = tmp_path / "due.ics"
    assert main(["due", "-o", str(to), *where]) == 0
    assert b"BEGIN:VEVENT" in to.read_bytes()
    assert main(["due", "-o", str(to), *where]) == 2
    assert "there already" in capsys.readouterr().err
    with pytest.raises(CalendarUnwritable, match="no such file"):
        write_calendar([], tmp_path / "none" / "due.ics")
    assert due_told([], date.today()) == ""


# -- numbers, by hand -------------------------------------------------------------------------------


def test_ends_and_their_uncertainty_as_worked_by_hand() -> None:
    """Three visits to the closed stop at 0.50, 0.52 and 0.54 V: median 0.52, spread by the middle of
    deviations 1.4826 x 0.02, over the root of three visits (JCGM 100:2008, 4.2; factor from memory)."""
    time_s = np.arange(0.0, 9.0, 0.01)
    rest = np.repeat([0.50, 0.52, 0.54], 300)
    moved = np.where((time_s % 3.0) < 1.5, rest, 4.5)
    channel = Channel(CHANNEL_KINDS["tps1_v"], time_s, moved)
    seen = analyse(sweep_recording(passes=8)).examination
    assert seen.travel is not None
    percent = np.where((time_s % 3.0) < 1.5, 0.0, 100.0)
    travel = replaced(seen.travel, time_s=time_s, percent=percent)
    plain = replaced(seen.channels[0], id="tps1_v", step=0.012, noise=0.004, samples=51)
    analysis = replaced(
        analyse(sweep_recording(passes=8)),
        examination=replaced(seen, travel=travel, channels=(plain,)),
    )
    rows = {m.what: m for m in measures(Recording((channel,)), analysis)}
    at_rest = rows["track 1 at rest"]
    assert at_rest.value == pytest.approx(0.52)
    spread = 1.2533 * 1.4826 * 0.02 / np.sqrt(3)
    assert at_rest.unsure == pytest.approx(np.hypot(spread, 0.012 / np.sqrt(12)), rel=1e-6)
    assert rows["track 1 wide open"].value == pytest.approx(4.5)
    noise = rows["track 1 noise"]
    assert noise.unsure == pytest.approx(np.hypot(0.004 / 10.0, 0.012 / np.sqrt(12)), rel=1e-6)


def test_only_opposite_tracks_have_a_sum() -> None:
    time_s = np.arange(0.0, 20.0, 0.05)
    up = 14.0 + 0.0 * time_s

    def total(second: float) -> list[float]:
        made = Recording(
            (
                Channel(CHANNEL_KINDS["tps1_pct"], time_s.copy(), up.copy()),
                Channel(CHANNEL_KINDS["tps2_pct"], time_s.copy(), up * 0.0 + second),
            )
        )
        return [m.value for m in measures(made, analyse(made)) if m.what == "sum of both tracks"]

    assert total(85.9) == pytest.approx([99.9])
    assert total(57.0) == pytest.approx([71.0])
    assert total(55.0) == []
    assert total(28.0) == []


def test_a_meters_uncertainty_is_percent_and_digits_of_the_last_place() -> None:
    """0.5 % + 2 digits of 6000 counts, by hand: 3.5 Ω ± 0.0195, 0.2 Ω ± 0.0012; evenly spread."""
    repaired = change("ground wire repaired")

    def reading(value: float, seconds: int) -> Reading:
        return Reading(
            id=new_id(), at=repaired.at + timedelta(seconds=seconds), source=Source.TYPED,
            where="ground", value=value, unit="Ω",
        )  # fmt: skip

    (row,) = readings_again(job_of(reading(3.5, -9), repaired, reading(0.2, 9)), repaired)
    assert row.uncertainty == pytest.approx(2.0 * np.hypot(0.0195, 0.0012) / np.sqrt(3.0), rel=1e-3)
    assert row.cells[1:3] == ("3.5 Ω", "0.2 Ω")
    other = replace(reading(0.2, 9), conditions="key on")
    assert readings_again(job_of(reading(3.5, -9), repaired, other), repaired) == ()


@pytest.mark.parametrize(
    ("channel", "place", "counts"),
    [
        ("tps1_v", (18.0, 21.0), 5),
        ("tps1_v", (23.9, 25.0), 5),
        ("tps1_v", (24.1, 25.0), 0),
        ("tps1_v", (10.0, 15.1), 5),
        ("tps1_v", (10.0, 14.9), 0),
        ("tps2_v", (18.0, 21.0), 0),
    ],
)
def test_a_place_within_three_percent_on_the_same_track_is_the_same(
    channel: str, place: tuple[float, float], counts: int
) -> None:
    plan = replace(watch(Exposure.PASSES, 14, 18.0), channel="tps1_v", travel_pct=(18.0, 21.0))
    seen_place = SeenPlace(channel=channel, travel_pct=place, seen_in=5, crossed=9)
    found = found_in(recorded("after"), places=(seen_place,), crossed=(9,) * CELLS)
    assert from_recording(plan, found, 30.0) == (9.0, counts)
    assert from_recording(plan, replace(found, crossed=()), 30.0) is None
    assert from_recording(replace(plan, travel_pct=None), found, 30.0) is None


def test_a_plan_belongs_to_the_change_that_it_proves() -> None:
    done = change("throttle sensor renewed")
    place = SeenPlace(channel="tps1_v", travel_pct=(18.0, 21.0), seen_in=14, crossed=18)
    before = replace(recorded("before"), at=done.at - timedelta(hours=1))
    job = job_of(before, found_in(before, places=(place,)), done)
    like = propose_watch(job)
    plan = planned(Exposure.PASSES, "14", "18", 0.99, " hot ", like, job)
    assert (plan.change, plan.channel, plan.travel_pct) == (done.id, "tps1_v", (18.0, 21.0))
    assert (plan.conditions, plan.sure) == ("hot", 0.99)
    other = planned(Exposure.DRIVEN, "14", "18", 0.95, "", like, job)
    assert (other.channel, other.travel_pct) == ("", None)
    assert planned(Exposure.DRIVEN, "1", "2", 0.95, "", like, job_of()).change is None


def test_the_reminder_of_a_due_job_rings_in_the_morning() -> None:
    import vobject

    made = datetime(2026, 5, 4, 7, 0, tzinfo=UTC)
    row = JobRow("0" * 16, "1" * 16, "No 2", "", "", "", JobState.WATCHING, date(2026, 5, 3), made, made)
    event = vobject.readOne(as_calendar([row], made).decode()).vevent
    assert event.valarm.trigger.value == timedelta(hours=8)
    assert event.valarm.action.value == "DISPLAY"
    assert event.uid.value.startswith("0" * 16)


def test_what_showed_over_the_travel_is_gone_only_where_most_of_it_was_swept_again() -> None:
    bent, _ = seen("bent-track")
    wide = [f for f in bent.examination.findings if isinstance(f, Disagreement)]
    assert wide
    low, high = wide[0].travel_pct
    sound = sweep_recording(passes=8)
    two = Recording((sound.channels[0], replaced(sound.channels[0], kind=CHANNEL_KINDS["tps2_v"])))
    after = analyse(two)

    def outcome(swept_to: float) -> Asked:
        coverage = replaced(after.examination.coverage, swept_pct=((low, swept_to),))
        told = replaced(after, examination=replaced(after.examination, coverage=coverage, findings=()))
        names = {c.id for c in told.examination.channels}
        rows = [a for a in ask_again(bent, told, two) if set(a.channels) & names]
        return rows[0].outcome

    assert outcome(low + 0.81 * (high - low)) is Asked.GONE
    assert outcome(low + 0.79 * (high - low)) is Asked.NOT_TESTED
