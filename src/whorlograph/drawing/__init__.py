"""One layout of a rung and one of a timeline, drawn as terminal text, SVG and PDF."""
