"""Tests: laid out as src, with the application driven in tests/pilot and tests/terminal."""
