"""Patterns that fill a region with lines at some density: straight families, curves, rings, branches."""
