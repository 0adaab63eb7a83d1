"""What is an ignition spike, or left of one, and no interruption."""

from nervus.signal import spikes
from nervus.signal.excursions import Excursion
from signals import recording, sweeps, track, volts


def test_what_rings_on_where_a_spike_was_bridged_is_the_spike() -> None:
    time_s, travel = sweeps(2, rate_hz=1000.0)
    seen = track(time_s, volts(travel))
    rest = Excursion((2.0005, 2.0015), 60.0, 60.0, 59.0, 2)
    deep = Excursion((2.0005, 2.0015), 60.0, 60.0, 40.0, 2)
    longer = Excursion((2.0005, 2.0035), 60.0, 60.0, 59.0, 4)
    later = Excursion((2.5, 2.501), 60.0, 60.0, 59.0, 2)
    lone = recording(seen.time_s, tps1_v=seen.level / 20.0)
    found = spikes.spikes_of(lone, seen, (rest, deep, longer, later), ((2.0, 2.001),))
    assert found == {id(rest)}
