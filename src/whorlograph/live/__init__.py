"""Recording from a running controller over open protocols, read-only."""
