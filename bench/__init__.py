"""Measurements: `make bench`. Ratios within one run are what counts; machines are noisy."""
