"""Readers and writers: recordings in, answers out. Hostile input ends in one clear sentence."""

from nervus.files.answer import answer, answer_schema, plain_report
from nervus.files.recording_csv import read_recording

__all__ = ["answer", "answer_schema", "plain_report", "read_recording"]
