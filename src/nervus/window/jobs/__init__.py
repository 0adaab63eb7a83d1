"""The job in hand, its logbook and its files, off the interface thread."""
