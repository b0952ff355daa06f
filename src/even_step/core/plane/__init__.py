"""Plane geometry. Only ``region`` calls the polygon library, so that it can be exchanged."""
