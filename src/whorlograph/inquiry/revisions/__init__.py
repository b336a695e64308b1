"""Two revisions of a program: what differs, told apart from comments and drawing, and what it changes on the same log."""
