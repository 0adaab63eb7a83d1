"""Tones for hands and eyes that are elsewhere, and where they come out."""
