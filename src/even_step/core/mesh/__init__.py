"""Meshes: read, weld, measure, repair, pose."""
