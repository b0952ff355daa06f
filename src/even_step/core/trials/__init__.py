"""Trials beside each other: their figures in a row, sweeps over a range, the line that fits, two compared."""
