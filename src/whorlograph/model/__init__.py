"""What a controller program and a log are: plain data, no computation that depends on a run."""
