"""Jobs of the depot that are mended and proved: one that holds, one that comes back. All invented."""

from nervus.domain.job import JobState, Moment, Seen
from nervus.domain.repair import Exposure
from nervus.standin.depot_course import Course

_GOOD, _BAD = Seen.GOOD, Seen.BAD


def repairs() -> tuple[Course, ...]:
    """One that was mended by the book, and one that was not."""
    return (
        # A worn sensor, renewed and set, the same sweep again, watched until the plan was met.
        Course(8, 21)
        .told("stumbles as it pulls away from the pier", ("stumble",), ("place",))
        .codes("P0121")
        .looked(plug_seated=_GOOD, pins=_GOOD, harness=_GOOD)
        .recorded("dead-spot")
        .decided("a worn place on the track, pass after pass: the sensor is renewed")
        .off("sensor plug")
        .beside(("A 114", "0.52 V"), ("A 114", "0.56 V"))
        .done("throttle sensor renewed, set to 0.56 V closed", "worn_track_1", "same_recording")
        .guided(
            "adjustable_sensor",
            **{
                "at hand": "all",
                "old": "0.52 V",
                "plug_off": "done",
                "numbers": "yes",
                "marked": "done",
            },
            on="snug",
            plug_on="done",
        )
        .recorded("sweep-after-renewal")
        .codes(moment=Moment.REPAIRED)
        .watched(
            Exposure.PASSES,
            (14, 18.0),
            (6.0, 0, "pedal swept in the yard, cold"),
            (12.0, 0, "the same after the quay round, hot"),
            place=("tps1_v", (18.0, 20.8)),
        )
        .cost("throttle sensor", money=62.0)
        .cost("work", minutes=55.0)
        .now(JobState.MENDED),
        # Contacts cleaned, called mended after ten minutes; it came back with the first bumps.
        Course(6, 16)
        .told("cuts out on the washboard by the quarry", ("cuts_out",), ("bumps",))
        .codes("P0222-16", "P2135-62", status=0x2F)
        .recorded("loose-wire")
        .done("throttle plug contacts cleaned and seated", "open_signal_2_sensor_plug", "same_recording")
        .watched(Exposure.SHAKEN, (5, 2.0), (0.5, 0, "shaken in the bay"))
        .now(JobState.MENDED, words="the driver needs the bus", tentative=True)
        .watched(Exposure.DRIVEN, (4, 6.0), (1.5, 2, "driver: twice on the washboard"))
        .now(JobState.CAME_BACK, after_days=1),
    )
