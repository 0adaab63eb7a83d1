"""Talking to vehicles and meters: the same code for real ones and for the stand-ins."""
