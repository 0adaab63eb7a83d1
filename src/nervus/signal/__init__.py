"""From a recording to what it shows: passes, dead spots, drops, relation, rest, coverage.

Every part is a pure function over arrays. `examine` runs them in their order.
"""

from nervus.signal.examine import examine

__all__ = ["examine"]
