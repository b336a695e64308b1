"""The links of a trail, one module a kind; ``choose`` decides which one holds."""
