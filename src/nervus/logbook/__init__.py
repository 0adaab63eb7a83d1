"""The logbook: every job with all its entries, in one SQLite file that survives a workshop."""

from nervus.logbook.book import Logbook, Put

__all__ = ["Logbook", "Put"]
