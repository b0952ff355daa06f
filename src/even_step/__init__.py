"""Even Step: a bench on which 3D models become printable toolpaths."""

__version__ = "0.1.0"
