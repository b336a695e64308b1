"""Proof: the log edited, the rest untouched, replayed and held against the untouched replay (ANSWERS.md, Proof)."""
