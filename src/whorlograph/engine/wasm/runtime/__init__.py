"""What every compiled program has, whatever it does."""
