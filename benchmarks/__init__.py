"""What speed is claimed, measured: each module prints ratios within one run (docs/performance.md)."""
