"""From a recording to what it shows: passes, dead spots, drops, relation, rest, coverage.

Every part is a pure function over arrays. `examine.examine` runs them in their order. Nothing is
imported here, so that a part can be used without loading the others.
"""
