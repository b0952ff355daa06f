"""Laying parts out on the bed, seen from above."""
