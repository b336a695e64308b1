"""The front: a program as its files give it becomes the one code (engine/code.py)."""
