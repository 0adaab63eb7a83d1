"""The throttle profile that recordings and readings of a vehicle are held against."""

from nervus.domain.profile import ThrottleKind, ThrottleProfile
from nervus.knowledge import profile_ids, profile_named


def chosen_profile(name: str) -> ThrottleProfile | None:
    """The profile that somebody chose, by its name; `None` where nobody did.

    Nor where it is not known here: a vehicle may come from a workshop that has others.
    """
    return profile_named(name) if name in profile_ids() else None


def profile_for(throttle: ThrottleKind | None, chosen: str = "") -> ThrottleProfile | None:
    """The one that was chosen, by its name; else the usual one of a cable throttle.

    Electronic ones differ too much for one to stand for all.
    """
    own = chosen_profile(chosen)
    if own is not None or throttle is not ThrottleKind.CABLE:
        return own
    return next((p for p in map(profile_named, profile_ids()) if p.kind is ThrottleKind.CABLE), None)
