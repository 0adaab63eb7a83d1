"""Jobs of the depot that play the classic traps of the trade. All of them are invented."""

from nervus.domain.job import CodeState, JobState, Moment, Seen
from nervus.standin.depot_course import Course

_GOOD, _BAD = Seen.GOOD, Seen.BAD


def traps() -> tuple[Course, ...]:
    """One job for each trap, the oldest first."""
    return (
        # Codes left over: the work that set them was done long ago.
        Course(3, 64)
        .told("lamp on since the harness was off for the gearbox", ("lamp",), ("after_work",))
        .codes("P0122", "P0507", state=CodeState.HISTORY)
        .codes(moment=Moment.CLEARED)
        .now(JobState.MENDED, after_days=7),
        # A part renewed in vain.
        Course(8, 37)
        .told("dies on the gravel at the school gate", ("cuts_out",), ("bumps",))
        .codes("P0122", status=0x2F)
        .done("throttle sensor renewed, set to 0.50 V closed")
        .codes("P0122", moment=Moment.REPAIRED, status=0x2F)
        .now(JobState.CAME_BACK, after_days=3)
        .read("signal 1 at the control unit plug, plug on, harness moved", 0.02)
        .read("signal 1 at the sensor plug, plug on, harness moved", 0.52),
        # Two changes at once: it is cured, and nobody knows by which.
        Course(6, 29)
        .told("reduced power every other day", ("reduced_power", "lamp"), ("key",))
        .codes("P0222-16", "P2135-62", status=0x2F)
        .done("throttle sensor renewed")
        .done("plug cleaned and seated")
        .codes(moment=Moment.REPAIRED)
        .now(JobState.WATCHING, 5),
        # A dirty plate that looks like a sensor.
        Course(4, 23)
        .told("hunts at idle and stalls at the pier", ("hunting_idle", "stalls"), ("cold",))
        .codes("P0121", "P0506")
        .looked(plug_seated=_GOOD, pins=_GOOD, dirt=_BAD, note="thick and oily at the edge")
        .now(JobState.OPEN),
        # A fault elsewhere: it misfires, and reduced power is what is told.
        Course(2, 17)
        .told("stumbles on the hill, lamp blinks", ("stumble", "lamp"), ("load",))
        .codes("P0300", "P0302", "P0304")
        .looked(hoses=_GOOD, plug_seated=_GOOD)
        .now(JobState.OPEN),
        # A sensor fault that shows only hot: cold, nothing shows.
        Course(7, 13)
        .told("limps home from the tip on hot days", ("reduced_power",), ("hot", "key"))
        .codes("P2135-62", "P0221-62", "P2106", status=0x28)
        .looked(plug_seated=_GOOD, pins=_GOOD, harness=_GOOD)
        .recorded("healthy")
        .now(JobState.WAITING, 2),
        # A pedal code on a dirty plate: the dirt is true, and is not the cause.
        Course(5, 9)
        .told("no pedal at the clinic, came back after the key", ("no_pedal",), ("key",))
        .codes("P2122-16", "P2138-62", "P2106", status=0x2F)
        .looked(dirt=_BAD, note="some film at the plate")
        .now(JobState.OPEN),
        # Consequence codes only: they say that it fell back, and not why.
        Course(6, 5)
        .told("crawled back from the airfield", ("reduced_power",), ())
        .codes("P2106", "P2110", "U0401")
        .now(JobState.OPEN),
        # Wiring that looks like a sensor: one track implausible, and right at the sensor itself.
        Course(7, 2)
        .told("jerks when it pulls away", ("bucking",), ("bumps",))
        .codes("P0221", "P0222-16", "P2135-62", status=0x2F)
        .read("signal 2 at the control unit plug, plug on, throttle closed, harness moved", 0.03)
        .read("signal 2 at the sensor plug, plug on, throttle closed, harness moved", 4.12)
        .now(JobState.OPEN),
    )
