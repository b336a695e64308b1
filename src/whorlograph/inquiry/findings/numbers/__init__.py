"""What findings know of whole numbers: the rounds that they make, between which values they stay."""
