"""Stand-ins that ship with Whorlograph: simulated machines, and the demo cases they made."""
