"""The reference interpreter: every step in every scan, straight from the model.

Oracle of the tests, and the engine of last resort where WebAssembly does not run. It shares nothing with
the compiled engine but the model.
"""
