"""What a step of each language does, apart from how it is drawn or set."""
