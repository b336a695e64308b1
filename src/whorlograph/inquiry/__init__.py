"""Answers: cross-reference, trails to their roots, proofs, findings, comparisons."""
