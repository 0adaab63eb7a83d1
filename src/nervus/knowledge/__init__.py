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
    CodeEvidence,
    FaultLeaf,
    Judging,
    KnownCode,
    Likelihood,
    LookItem,
    Parameter,
    Prior,
    TestAdvice,
    ToldRow,
)
from nervus.knowledge.told import (
    code_evidence,
    complaints,
    fitting,
    look_items,
    told_in_words,
)

__all__ = [
    "CodeEvidence",
    "FaultLeaf",
    "Judging",
    "KnownCode",
    "Likelihood",
    "LookItem",
    "Parameter",
    "Prior",
    "TestAdvice",
    "ToldRow",
    "code_evidence",
    "complaints",
    "fitting",
    "judging",
    "known_codes",
    "look_items",
    "parameters",
    "profile_ids",
    "profile_named",
    "read_profile",
    "told_in_words",
]
