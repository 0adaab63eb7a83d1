"""The whole chain for one recording: examine the signal, then judge the parts."""

from dataclasses import replace

from nervus.circuit.explain import explain, of_findings
from nervus.domain.analysis import Analysis, Cause
from nervus.domain.channel import Recording
from nervus.domain.profile import ThrottleProfile
from nervus.domain.progress import Progress, no_progress
from nervus.engine.idle import engine_state
from nervus.engine.rest_witness import cause_of_rest
from nervus.judge.causes import apart, judged_together
from nervus.judge.verdict import judge
from nervus.knowledge import judging
from nervus.signal.examine import examine
from nervus.signal.instruments.as_read import as_read


def analyse(
    recording: Recording,
    profile: ThrottleProfile | None = None,
    progress: Progress = no_progress,
) -> Analysis:
    """Findings and judgement of one recording.

    Args:
        recording: what was captured.
        profile: what the throttle should do; without one it is learned as far as it shows.
        progress: called between the steps; what it raises (`Stopped`) ends the analysis.

    Returns:
        Always an answer: a recording in which nothing can be seen says so.
    """
    recorded = recording.known()
    recording = as_read(recorded)
    examination = examine(recorded, recording, profile, cause_of_rest=cause_of_rest, progress=progress)
    examination = replace(examination, engine=engine_state(recording))
    circuit = explain(recording, examination)
    causes = []
    for part in apart(examination):
        own_ids = {id(f) for f in part.findings}
        numbers = [n for n, f in enumerate(examination.findings) if id(f) in own_ids]
        own = circuit if part is examination else of_findings(circuit, numbers)
        causes.append(Cause(part, judge(part, own, judging()), own))
    return Analysis(examination, judged_together(causes), circuit, tuple(causes))
