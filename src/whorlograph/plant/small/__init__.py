"""Small cases: each a machine of its own with one known fault, told in a few lines."""
