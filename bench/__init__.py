"""Benches; run with ``./even-step bench``."""
