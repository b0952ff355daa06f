"""The one 3D view: camera, scene, drawers, picking, gestures."""
