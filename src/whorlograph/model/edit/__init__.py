"""Changes to a program, as a person makes them: each gives another program, the old one stays."""
