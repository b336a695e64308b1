"""Many logs of one machine: each replayed and asked what stopped it, results kept in one file, counted together."""
