"""What the main view does, key by key: each module adds one kind of action to the one before."""
