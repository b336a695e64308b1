"""Whorlograph: why a controller's output is off, from the program and the recorded log."""

__version__ = "0.1.0"
