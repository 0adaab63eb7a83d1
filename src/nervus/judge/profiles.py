"""The throttle profile that readings at pins are compared with, where nobody chose one."""

from nervus.domain.profile import ThrottleKind, ThrottleProfile
from nervus.knowledge import profile_ids, profile_named


def profile_for(throttle: ThrottleKind | None) -> ThrottleProfile | None:
    """The usual one of a cable throttle; electronic ones differ too much for one to stand for all."""
    if throttle is not ThrottleKind.CABLE:
        return None
    return next((p for p in map(profile_named, profile_ids()) if p.kind is ThrottleKind.CABLE), None)
