"""What a job is made of: plain, immutable, typed data. No file, no interface, no computation.

Every other room speaks in these words, so this one imports none of them.
"""
