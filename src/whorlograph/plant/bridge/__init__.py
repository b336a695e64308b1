"""Skerrow Bridge: a small bascule road bridge over a harbour channel. All of it is made up."""
