"""Cycles: what a machine does again and again, laid turn by turn, so that the odd one stands out; what grows from turn to turn."""
