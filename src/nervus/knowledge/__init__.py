"""What the trade knows, as data files with provenance, validated when they are loaded.

Numbers and sentences live in the `.toml` files beside this module; the code here only reads them,
checks them and hands them over as plain values. A damaged file is told, never worked around.
"""

from nervus.knowledge.loader import (
    judging,
    known_codes,
    parameters,
    profile_ids,
    profile_named,
    read_profile,
)
from nervus.knowledge.shapes import (
    FaultLeaf,
    Judging,
    KnownCode,
    Likelihood,
    Parameter,
    Prior,
    TestAdvice,
)

__all__ = [
    "FaultLeaf",
    "Judging",
    "KnownCode",
    "Likelihood",
    "Parameter",
    "Prior",
    "TestAdvice",
    "judging",
    "known_codes",
    "parameters",
    "profile_ids",
    "profile_named",
    "read_profile",
]
