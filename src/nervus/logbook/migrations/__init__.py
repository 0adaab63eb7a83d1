"""How an older logbook becomes one of today, step by step."""
