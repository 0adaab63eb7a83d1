"""From what was found to who is suspected, with every step kept."""

from nervus.judge.analyse import analyse
from nervus.judge.verdict import judge

__all__ = ["analyse", "judge"]
