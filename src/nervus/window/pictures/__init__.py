"""Recordings, findings, the nerve and the judgement as pictures."""
