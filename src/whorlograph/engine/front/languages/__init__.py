"""The languages that bodies are written in: each lowers a body to steps of code."""

LANGUAGES = {"LD": "engine.front.languages.ladder:lower", "FBD": "engine.front.languages.ladder:lower",
             "ST": "engine.front.languages.text:lower", "IL": "engine.front.languages.text:lower",
             "SFC": "engine.front.languages.chart:lower"}
